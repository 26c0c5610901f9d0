import { isZero, type Stretch } from '../devices/device';

/** A running SHA-256; the host brings it, since the core has none. */
export interface Hash {
  update(bytes: Uint8Array): void;
  /** In lower-case hex; nothing may be added after it. */
  digest(): string;
}
export type NewHash = () => Hash;

/** What is hashed: bytes by offset, and where it may hold anything but zeros. */
export interface Content {
  readonly size: number;
  read(offset: number, length: number): Promise<Uint8Array>;
  stretches(offset: number, length: number): Promise<Stretch[]>;
}

/** Blocks that hold only zeros are left out of a fingerprint, wherever they are. */
const BLOCK = 64 * 1024;
const PIECE = 2 ** 20;

/** Something that is read when it is asked for. */
export type Read = () => Promise<Uint8Array>;

/** The SHA-256 of some pieces, each read while the one before is hashed. */
export async function sha256(
  newHash: NewHash,
  pieces: Iterable<Read>,
  gate: (bytes: number) => Promise<void>,
): Promise<string> {
  const hash = newHash();
  let before: Promise<Uint8Array> | null = null;
  for (const read of pieces) {
    const next = read();
    next.catch(() => {}); // whoever waits for it below learns of it
    if (before) {
      const bytes = await before;
      hash.update(bytes);
      await gate(bytes.length);
    }
    before = next;
  }
  if (before) hash.update(await before);
  return hash.digest();
}

/**
 * A fingerprint of what is there: SHA-256 over the length and over every block of 64 KiB that holds anything, each with its
 * number. The same for the same bytes, however the device keeps them, and quick where most of it is empty.
 */
export async function fingerprint(
  newHash: NewHash,
  content: Content,
  offset: number,
  length: number,
  gate: (bytes: number) => Promise<void>,
): Promise<string> {
  const hash = newHash();
  const word = new DataView(new ArrayBuffer(8));
  const number = (value: number) => {
    word.setBigUint64(0, BigInt(value), true);
    hash.update(new Uint8Array(word.buffer).slice());
  };
  number(length);
  let done = 0;
  for (let look = 0; look < length; look += 64 * 2 ** 30) {
    const size = Math.min(64 * 2 ** 30, length - look);
    for (const stretch of await content.stretches(offset + look, size)) {
      const from = Math.floor((stretch.offset - offset) / BLOCK) * BLOCK;
      const end = Math.min(length, Math.ceil((stretch.offset + stretch.length - offset) / BLOCK) * BLOCK);
      for (let at = Math.max(done, from); at < end; at += PIECE) {
        const bytes = await content.read(offset + at, Math.min(PIECE, end - at));
        for (let i = 0; i < bytes.length; i += BLOCK) {
          const block = bytes.subarray(i, i + BLOCK);
          if (isZero(block)) continue;
          number((at + i) / BLOCK);
          hash.update(block);
        }
        await gate(bytes.length);
      }
      done = Math.max(done, end);
    }
  }
  return hash.digest();
}
