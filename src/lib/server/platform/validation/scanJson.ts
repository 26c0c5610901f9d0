/** Values that a body may hold in all. The largest survey that fits 4 MiB has some 150,000. */
export const MAX_VALUES = 250_000;
/** Depth of values in each other at the most; the deepest document of this product has 16. */
export const MAX_DEEP = 64;

const [QUOTE, BACKSLASH, COMMA] = [0x22, 0x5c, 0x2c];
const [OPEN_LIST, OPEN_OBJECT, CLOSE_LIST, CLOSE_OBJECT] = [0x5b, 0x7b, 0x5d, 0x7d];

/**
 * Counts the values of a JSON text and how deep they lie, before anything is made of them: `{}` of two bytes becomes an
 * object of a hundred, and a thousand brackets a thousand calls. Looks at bytes alone; whether it is JSON is told by
 * the parser.
 * @returns what is too much, in a sentence; null: nothing is
 */
export function findTooMuch(bytes: Uint8Array, mostValues = MAX_VALUES): string | null {
  let depth = 0;
  let values = 1;
  for (let i = 0; i < bytes.length; i++) {
    const byte = bytes[i];
    if (byte === QUOTE) {
      for (i++; i < bytes.length && bytes[i] !== QUOTE; i++) if (bytes[i] === BACKSLASH) i++;
    } else if (byte === COMMA) values++;
    else if (byte === OPEN_LIST || byte === OPEN_OBJECT) {
      values++;
      if (++depth > MAX_DEEP)
        return `Its values lie more than ${MAX_DEEP} deep in each other: no document here does.`;
    } else if (byte === CLOSE_LIST || byte === CLOSE_OBJECT) depth--;
    if (values > mostValues)
      return `It holds more than ${mostValues.toLocaleString('en-GB')} values: no document here does.`;
  }
  return null;
}
