import { viewOf } from './bytes';
/**
 * Text that may hold half of a surrogate pair: names on NTFS are runs of 16-bit units that nobody checks (domain facts
 * 4), and a program that cuts a text by units may cut an emoji in two. Neither UTF-8 nor a database can hold such a
 * half, so it travels escaped, as `\uD83D`; where the text holds that very run of characters already, its backslash is
 * escaped as `\u005C`.
 */
const HALF = /[\uD800-\uDBFF](?![\uDC00-\uDFFF])|(?<![\uD800-\uDBFF])[\uDC00-\uDFFF]/g;
const LOOKS_ESCAPED = /\\(?=u(?:D[89A-F][0-9A-F]{2}|005C))/g;

const codeOf = (unit: string): string =>
  `\\u${unit.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}`;

/** Any run of 16-bit units as well-formed text, from which the very same units can be told. */
export const escapeHalves = (text: string): string =>
  text.replace(LOOKS_ESCAPED, '\\u005C').replace(HALF, codeOf);

/** Text with its halves escaped and everything else left alone; what is well-formed stays as it is. */
export const mendText = (text: string): string => text.replace(HALF, codeOf);

/** Text of 16-bit units as a volume holds them (UTF-16, little-endian), whatever they are. */
export function textOfUnits(bytes: Uint8Array): string {
  const view = viewOf(bytes);
  let text = '';
  for (let at = 0; at + 2 <= bytes.length; at += 2) text += String.fromCharCode(view.getUint16(at, true));
  return escapeHalves(text);
}

/** The first so many characters of a text; none is cut in two. */
export function takeFirstCharacters(text: string, most: number): string {
  if (text.length <= most) return text;
  let end = 0;
  for (let n = 0; n < most && end < text.length; n++) end += text.codePointAt(end)! > 0xffff ? 2 : 1;
  return text.slice(0, end);
}
