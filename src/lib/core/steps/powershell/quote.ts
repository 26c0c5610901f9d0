/**
 * A text as a PowerShell literal. Typographic quotes end a literal there as well as the plain one, so each is
 * doubled; line ends and other control characters, which no name holds rightly, are left out.
 */
export function quoteLiteral(text: string): string {
  // eslint-disable-next-line no-control-regex -- these are what is left out
  const plain = text.replace(/[\u0000-\u001f\u007f]/g, ' ');
  return `'${plain.replace(/['\u2018\u2019\u201a\u201b]/g, '$&$&')}'`;
}
