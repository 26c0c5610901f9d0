/** The path of the first place in which two JSON values differ, as a JSON pointer; null: they are the same. */
export function differenceIn(a: unknown, b: unknown, path = ''): string | null {
  if (a === b) return null;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return path;
  if (Array.isArray(a) !== Array.isArray(b)) return path;
  const [left, right] = [a as Record<string, unknown>, b as Record<string, unknown>];
  for (const key of new Set([...Object.keys(left), ...Object.keys(right)])) {
    // Undefined and absent are the same in JSON.
    const found = differenceIn(own(left, key), own(right, key), `${path}/${key}`);
    if (found !== null) return found;
  }
  return null;
}

const own = (value: Record<string, unknown>, key: string): unknown =>
  Object.hasOwn(value, key) ? value[key] : undefined;

/** The value at a path that {@link differenceIn} gave, shortly, for a sentence. */
export function showShortly(value: unknown, path: string): string {
  const at = path
    .split('/')
    .slice(1)
    .reduce<unknown>(
      (one, key) =>
        typeof one === 'object' && one !== null ? own(one as Record<string, unknown>, key) : undefined,
      value,
    );
  const text = at === undefined ? 'nothing' : JSON.stringify(at);
  return text.length > 80 ? `${text.slice(0, 77).toWellFormed()}…` : text;
}
