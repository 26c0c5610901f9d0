/**
 * A disk image or volume as a readable run of bytes. Readers of tables and volumes see nothing else, so the
 * same code reads a file in a browser, a file on a server and bytes in a test.
 */
export interface ByteSource {
  /** Bytes in all. */
  readonly size: number;
  /**
   * Exactly `length` bytes from `offset`.
   * @throws ReadBeyondEnd where the range does not lie within the source
   */
  read(offset: number, length: number): Promise<Uint8Array>;
}

/** A structure points outside the image: it is truncated, or the structure lies. */
export class ReadBeyondEnd extends Error {
  constructor(
    readonly offset: number,
    readonly length: number,
    readonly size: number,
  ) {
    super(`bytes ${offset} to ${offset + length - 1} lie outside the ${size} bytes there are`);
    this.name = 'ReadBeyondEnd';
  }
}

/** The file around a disk is damaged or cut short: what it says of the disk can't be followed. `message` says which. */
export class ImageDamage extends Error {}

/** A disk image's file, whose end is not the disk's: what reads beyond it has found the file damaged. */
export const refuseImageDamage = (file: ByteSource): ByteSource => ({
  size: file.size,
  async read(offset, length) {
    try {
      return await file.read(offset, length);
    } catch (error) {
      if (error instanceof ReadBeyondEnd)
        throw new ImageDamage('it is cut short, or points beyond its own end');
      throw error;
    }
  },
});

/** `reader` with its ranges checked: it is called with ranges inside 0..size only. */
export function checkedSource(
  size: number,
  reader: (offset: number, length: number) => Promise<Uint8Array>,
): ByteSource {
  return {
    size,
    async read(offset, length) {
      const whole = Number.isSafeInteger(offset) && Number.isSafeInteger(length);
      if (!whole || offset < 0 || length < 0 || offset + length > size) {
        throw new ReadBeyondEnd(offset, length, size);
      }
      return reader(offset, length);
    },
  };
}

export const makeBytesSource = (bytes: Uint8Array): ByteSource =>
  checkedSource(bytes.length, async (offset, length) => bytes.subarray(offset, offset + length));

/** The part of `source` from `offset`, as a source of its own. */
export const slice = (source: ByteSource, offset: number, size: number): ByteSource =>
  checkedSource(size, (at, length) => source.read(offset + at, length));
