/** The list of jobs with something else asked for; whatever changes, it begins at its first page. */
export function listAddress(now: URL, change: Record<string, string>): string {
  const params = new URLSearchParams(now.searchParams);
  params.delete('page');
  for (const [name, value] of Object.entries(change)) {
    if (value === '') params.delete(name);
    else params.set(name, value);
  }
  const text = params.toString();
  return text === '' ? '/' : `/?${text}`;
}
