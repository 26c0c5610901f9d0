const hex = (bytes: Iterable<number>): string =>
  [...bytes]
    .map((byte) => byte.toString(16).padStart(2, '0'))
    .join('')
    .toUpperCase();

/** 16 bytes as stored on a GPT (first three groups little-endian, UEFI 2.10 appendix A) to text in upper case. */
export function guidToText(bytes: Uint8Array): string {
  const group = (from: number, to: number) => bytes.subarray(from, to);
  return [
    hex(group(0, 4).slice().reverse()),
    hex(group(4, 6).slice().reverse()),
    hex(group(6, 8).slice().reverse()),
    hex(group(8, 10)),
    hex(group(10, 16)),
  ].join('-');
}

/** The inverse of {@link guidToText}. @throws RangeError if `text` is no GUID */
export function guidToBytes(text: string): Uint8Array {
  if (!/^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(text)) throw new RangeError(`not a GUID: ${text}`);
  const plain = text.replaceAll('-', '');
  const bytes = Uint8Array.from({ length: 16 }, (_, i) => parseInt(plain.slice(2 * i, 2 * i + 2), 16));
  bytes.subarray(0, 4).reverse();
  bytes.subarray(4, 6).reverse();
  bytes.subarray(6, 8).reverse();
  return bytes;
}

export const ZERO_GUID = '00000000-0000-0000-0000-000000000000';
