import { isAll, type Device, type Stretch } from '../devices/device';
import type { WrittenPiece } from '../plan';

/** Bytes of a block in which repeated bytes are looked for. */
const BLOCK = 4096;

/** A place where nothing lies, and what is written there, kept instead of written. */
export class RecordingDevice implements Device {
  readonly laid: WrittenPiece[] = [];

  constructor(
    readonly size: number,
    readonly sectorSize: number,
  ) {}

  read(): Promise<Uint8Array> {
    return Promise.reject(new Error('nothing is read back while a volume is formatted'));
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    // A log of one byte, or an empty table, takes no room in a journal.
    let from = 0;
    for (let at = 0; at < bytes.length; at += BLOCK) {
      const block = bytes.subarray(at, at + BLOCK);
      const byte = block[0]!;
      if ((byte !== 0 && byte !== 0xff) || !isAll(block, byte)) continue;
      this.keep(offset + from, bytes.subarray(from, at));
      this.fill(offset + at, block.length, byte);
      from = at + block.length;
    }
    this.keep(offset + from, bytes.subarray(from));
  }

  private keep(offset: number, bytes: Uint8Array): void {
    if (bytes.length > 0) this.laid.push({ offset, bytes: bytes.slice() });
  }

  private fill(offset: number, length: number, byte: number): void {
    const last = this.laid.at(-1);
    if (last && 'byte' in last && last.byte === byte && last.offset + last.length === offset)
      last.length += length;
    else this.laid.push({ offset, length, byte });
  }

  async zero(offset: number, length: number): Promise<void> {
    if (length > 0) this.fill(offset, length, 0);
  }

  async flush(): Promise<void> {}
  async resize(): Promise<void> {}

  stretches(): Promise<Stretch[]> {
    return Promise.resolve([]);
  }
}
