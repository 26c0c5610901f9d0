/** A view of exactly these bytes, wherever they lie in their buffer. */
export const viewOf = (bytes: Uint8Array): DataView =>
  new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/** Bytes as text, one character each: for marks and names in headers. */
export const latin1 = (bytes: Uint8Array): string => new TextDecoder('latin1').decode(bytes);

/** Runs of bytes, one behind the other. */
export function concatBytes(parts: readonly Uint8Array[]): Uint8Array {
  const out = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}
