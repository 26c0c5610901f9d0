/**
 * What the tablet shows in the place of a page that it did not keep, while the server can't be reached. It stands for
 * itself: nothing else may be at hand.
 * @param sheets paths of the sheets that were kept, `/jobs/2601/sheet`
 */
export function writeOfflinePage(sheets: readonly string[]): string {
  const links = sheets
    .map(
      (path) =>
        `<li><a href="${path.replaceAll('&', '&amp;').replaceAll('"', '&quot;')}">Work sheet of job ${/\d+/.exec(path)?.[0] ?? ''}</a></li>`,
    )
    .join('');
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>The server can’t be reached · Gentle Tide</title>
<style>
  :root { color-scheme: light dark; --ink: #1c2a33; --paper: #f6f3ec; --accent: #115a66; --line: #bfb8a8; }
  @media (prefers-color-scheme: dark) { :root { --ink: #e9eef0; --paper: #10191d; --accent: #8fd0d8; --line: #48585f; } }
  body { margin: 0 auto; max-width: 34rem; padding: 4rem 1.5rem; background: var(--paper); color: var(--ink); font: 1.0625rem/1.5 system-ui, sans-serif; }
  a { color: var(--accent); }
  ul { padding: 0; list-style: none; display: grid; gap: .75rem; }
  li a { display: block; padding: 1rem; border: 1px solid var(--line); border-radius: .75rem; font-weight: 650; text-decoration: none; }
</style>
</head>
<body>
<h1>The server can’t be reached</h1>
<p>${
    sheets.length > 0
      ? 'These sheets are kept on this device. You can go on ticking; what you tick is sent when the server answers again.'
      : 'No sheet is kept on this device. One that was opened here once can be worked on without the server.'
  }</p>
<ul>${links}</ul>
<p><a href="">Try again</a></p>
</body>
</html>
`;
}
