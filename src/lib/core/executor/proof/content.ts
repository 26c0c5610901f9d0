import { isZero, type Stretch } from '../devices/device';

/**
 * A running cryptographic hash of 256 bits, the same for both readings of a disk; the host brings it, since the core
 * has none.
 */
export interface Hash {
  update(bytes: Uint8Array): void;
  /** In lower-case hex; nothing may be added after it. */
  digest(): string;
}
export type NewHash = () => Hash;

/**
 * The same where it may be worked out beside what reads: whoever adds bytes gives them away, and waits where too many
 * wait already.
 */
export interface StreamHash {
  update(bytes: Uint8Array): void | Promise<void>;
  digest(): string | Promise<string>;
}
/** @param size bytes that will be added, about */
export type NewStreamHash = (size: number) => StreamHash;

/** Bytes to be hashed, by offset, with the places that may hold anything but zeros. */
export interface Content {
  readonly size: number;
  read(offset: number, length: number): Promise<Uint8Array>;
  stretches(offset: number, length: number): Promise<Stretch[]>;
}

/** Called between pieces with the bytes that were read; stops by throwing. */
export type Gate = (bytes: number) => Promise<void>;

/** Blocks that hold only zeros are left out of a fingerprint, wherever they are. */
const BLOCK = 64 * 1024;
const PIECE = 2 ** 20;
const READ_AT_ONCE = 4 * 2 ** 20;
const LOOK = 64 * 2 ** 30;

/** Something that is read when it is asked for. */
export type ReadBytes = () => Promise<Uint8Array>;

/** The hash of some pieces, each read while the one before is hashed. */
export async function hashOf(hash: StreamHash, pieces: Iterable<ReadBytes>, gate: Gate): Promise<string> {
  await hashInto(hash, pieces, gate);
  return hash.digest();
}

/** Adds some pieces to a hash, each read while the one before is hashed. */
export async function hashInto(hash: StreamHash, pieces: Iterable<ReadBytes>, gate: Gate): Promise<void> {
  let before: Promise<Uint8Array> | null = null;
  for (const read of pieces) {
    const next = read();
    next.catch(() => {}); // whoever waits for it below learns of it
    if (before) {
      const bytes = await before;
      const { length } = bytes;
      await hash.update(bytes);
      await gate(length);
    }
    before = next;
  }
  if (!before) return;
  const bytes = await before;
  const { length } = bytes;
  await hash.update(bytes);
  await gate(length);
}

/** The bytes of some stretches, in reads of a fair size. */
export function* readsOf(content: Pick<Content, 'read'>, stretches: Iterable<Stretch>): Generator<ReadBytes> {
  for (const { offset, length } of stretches)
    for (let at = 0; at < length; at += READ_AT_ONCE)
      yield () => content.read(offset + at, Math.min(READ_AT_ONCE, length - at));
}

/** Some whole numbers as bytes, so that what is hashed says where it lies. */
export function numbers(...values: readonly number[]): Uint8Array {
  const view = new DataView(new ArrayBuffer(8 * values.length));
  values.forEach((value, i) => view.setBigUint64(8 * i, BigInt(value), true));
  return new Uint8Array(view.buffer);
}

/**
 * A fingerprint of what is there: a hash over the length and over every block of 64 KiB that holds anything, each with
 * its number. The same for the same bytes, however the device keeps them, and quick where most of it is empty.
 *
 * @param within the stretches of the content that count, in order; default all of it
 */
export async function fingerprint(
  newHash: NewHash,
  content: Content,
  gate: Gate,
  within: readonly Stretch[] = [{ offset: 0, length: content.size }],
): Promise<string> {
  const hash = newHash();
  hash.update(numbers(content.size));
  for (const { offset, length } of within) {
    // Blocks are counted from the start of each stretch: what lies between them is never read.
    let done = 0;
    hash.update(numbers(offset, length));
    for (let look = 0; look < length; look += LOOK) {
      for (const stretch of await content.stretches(offset + look, Math.min(LOOK, length - look))) {
        const from = Math.floor((stretch.offset - offset) / BLOCK) * BLOCK;
        const end = Math.min(length, Math.ceil((stretch.offset + stretch.length - offset) / BLOCK) * BLOCK);
        for (let at = Math.max(done, from); at < end; at += PIECE) {
          const bytes = await content.read(offset + at, Math.min(PIECE, end - at));
          for (let i = 0; i < bytes.length; i += BLOCK) {
            const block = bytes.subarray(i, i + BLOCK);
            if (isZero(block)) continue;
            hash.update(numbers((at + i) / BLOCK));
            hash.update(block);
          }
          await gate(bytes.length);
        }
        done = Math.max(done, end);
      }
    }
  }
  return hash.digest();
}

/** Pairs of offset and length as stretches. */
export const stretchesOf = (pairs: readonly number[]): Stretch[] =>
  Array.from({ length: pairs.length / 2 }, (_, i) => ({ offset: pairs[2 * i]!, length: pairs[2 * i + 1]! }));
