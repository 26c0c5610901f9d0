import { ReadBeyondEnd, type ByteSource } from '../../images/source';

/** A run of bytes of a device. */
export interface Stretch {
  offset: number;
  length: number;
}

/**
 * A disk that is read and written in whole sectors. What was written is only sure to be there after the next
 * {@link flush}; until then a power cut may lose any of it, and may tear a write between two sectors, never within one.
 */
export interface Device extends ByteSource {
  /** Bytes that are written as one or not at all. */
  readonly sectorSize: number;
  /** @throws ReadBeyondEnd, RangeError where the range is no whole number of sectors, DeviceFailure */
  write(offset: number, bytes: Uint8Array): Promise<void>;
  /**
   * The same as writing zeros, for stretches of any length, and without taking room where the device can do without.
   */
  zero(offset: number, length: number): Promise<void>;
  /** Returns once everything that was written before is where no power cut reaches it. */
  flush(): Promise<void>;
  /** The stretches within a range that may hold anything but zeros, in order. */
  stretches(offset: number, length: number): Promise<Stretch[]>;
  /** Changes its size, in bytes; what is new reads as zeros. @throws DeviceFailure where it can't be changed */
  resize(size: number): Promise<void>;
}

/** A disk inside a file of some format. */
export interface OpenedDevice extends Device {
  /** Serial number of the disk, where the format keeps one that stays the same. */
  readonly serial?: string;
  /** Brings the file to an end; it stays open. */
  close(): Promise<void>;
}

/**
 * A device that can't do what it is asked for: it is full, or a sector can't be read. `message` is a sentence for
 * people.
 */
export class DeviceFailure extends Error {
  constructor(
    readonly code: 'device-full' | 'read-error' | 'fixed-size',
    message: string,
  ) {
    super(message);
    this.name = 'DeviceFailure';
  }
}

/**
 * @throws ReadBeyondEnd where a range does not lie within the device, RangeError where it begins or ends within a
 *   sector
 */
export function checkRange(
  { size, sectorSize }: Pick<Device, 'size' | 'sectorSize'>,
  offset: number,
  length: number,
): void {
  const whole = Number.isSafeInteger(offset) && Number.isSafeInteger(length);
  if (!whole || offset < 0 || length < 0 || offset + length > size)
    throw new ReadBeyondEnd(offset, length, size);
  if (offset % sectorSize !== 0 || length % sectorSize !== 0)
    throw new RangeError(`bytes ${offset} to ${offset + length - 1} are no whole sectors`);
}

/** Whether all bytes are zero. It ends at the first that is not, so it costs nothing where there is data. */
export const isZero = (bytes: Uint8Array): boolean => isAll(bytes, 0);

/** Whether all bytes are the same one. */
export function isAll(bytes: Uint8Array, byte: number): boolean {
  const lead = Math.min(bytes.length, (4 - (bytes.byteOffset & 3)) & 3);
  for (let i = 0; i < lead; i++) if (bytes[i] !== byte) return false;
  const words = new Uint32Array(bytes.buffer, bytes.byteOffset + lead, (bytes.length - lead) >> 2);
  const word = (byte * 0x01010101) >>> 0;
  for (let i = 0; i < words.length; i++) if (words[i] !== word) return false;
  for (let i = lead + 4 * words.length; i < bytes.length; i++) if (bytes[i] !== byte) return false;
  return true;
}

/** Stretches that follow each other without a gap, joined. */
export function joined(stretches: readonly Stretch[]): Stretch[] {
  const out: Stretch[] = [];
  for (const { offset, length } of stretches) {
    const last = out.at(-1);
    if (last && last.offset + last.length === offset) last.length += length;
    else if (length > 0) out.push({ offset, length });
  }
  return out;
}
