/** A view of exactly these bytes, wherever they lie in their buffer. */
export const viewOf = (bytes: Uint8Array): DataView =>
  new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/** Bytes as text, one character each: for marks and names in headers. */
export const latin1 = (bytes: Uint8Array): string => new TextDecoder('latin1').decode(bytes);
