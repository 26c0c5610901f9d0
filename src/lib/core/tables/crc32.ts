import CRC32 from 'crc-32';

/** CRC-32 (the polynomial of IEEE 802.3, as UEFI wants it), as an unsigned number. */
export const crc32 = (bytes: Uint8Array): number => CRC32.buf(bytes) >>> 0;
