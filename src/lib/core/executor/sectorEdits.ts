import { concatBytes } from '../bytes';
import type { Device } from './devices/device';
import type { DiskChange } from './plan';

/**
 * Changes to a disk that are thought out before any is made. Bytes go in anywhere; what comes out is whole sectors,
 * with what stood there before, in groups that follow each other.
 */
export class SectorEdits {
  private readonly now = new Map<number, Uint8Array>();
  private readonly groups: DiskChange[][] = [];
  private touched = new Set<number>();
  private readonly forced = new Set<number>();
  /** The sectors' content when the present group began. */
  private begun = new Map<number, Uint8Array>();

  constructor(private readonly disk: Device) {}

  /** Bytes as they are with all that was drafted so far. */
  async read(offset: number, length: number): Promise<Uint8Array> {
    const out = new Uint8Array(length);
    for (const { sector, from, at, take } of this.pieces(offset, length)) {
      out.set((await this.sector(sector)).subarray(from, from + take), at);
    }
    return out;
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    for (const { sector, from, at, take } of this.pieces(offset, bytes.length)) {
      const held = await this.sector(sector);
      if (!this.touched.has(sector)) {
        this.begun.set(sector, held.slice());
        this.touched.add(sector);
      }
      held.set(bytes.subarray(at, at + take), from);
    }
  }

  /**
   * The same where an operation before changes what stands there now: it is written whatever stood there.
   */
  async put(offset: number, bytes: Uint8Array): Promise<void> {
    await this.write(offset, bytes);
    for (const { sector } of this.pieces(offset, bytes.length)) this.forced.add(sector);
  }

  /** Whether the sector that begins there was handed over by {@link put}. */
  isPut(offset: number): boolean {
    return this.forced.has(Math.floor(offset / this.disk.sectorSize));
  }

  /** Ends a group: all of it is safe before the next begins. */
  endGroup(): void {
    const size = this.disk.sectorSize;
    /** Neighbouring sectors, joined once. */
    const runs: { offset: number; before: Uint8Array[]; after: Uint8Array[] }[] = [];
    for (const sector of [...this.touched].sort((a, b) => a - b)) {
      const [before, after] = [this.begun.get(sector)!, this.now.get(sector)!.slice()];
      if (!this.forced.has(sector) && before.every((byte, i) => byte === after[i])) continue;
      const last = runs.at(-1);
      const offset = sector * size;
      if (last && last.offset + last.after.length * size === offset) {
        last.before.push(before);
        last.after.push(after);
      } else runs.push({ offset, before: [before], after: [after] });
    }
    const changes: DiskChange[] = runs.map(({ offset, before, after }) => ({
      offset,
      before: concatBytes(before),
      after: concatBytes(after),
    }));
    if (changes.length > 0) this.groups.push(changes);
    this.touched = new Set();
    this.begun = new Map();
  }

  /** All groups, the one that is open ended. */
  get changes(): DiskChange[][] {
    this.endGroup();
    return this.groups;
  }

  private async sector(number: number): Promise<Uint8Array> {
    const held = this.now.get(number);
    if (held) return held;
    const size = this.disk.sectorSize;
    const found = await this.disk.read(number * size, size);
    const mine = found.slice();
    this.now.set(number, mine);
    return mine;
  }

  private *pieces(
    offset: number,
    length: number,
  ): Generator<{ sector: number; from: number; at: number; take: number }> {
    const size = this.disk.sectorSize;
    for (let at = 0; at < length;) {
      const sector = Math.floor((offset + at) / size);
      const from = offset + at - sector * size;
      const take = Math.min(size - from, length - at);
      yield { sector, from, at, take };
      at += take;
    }
  }
}
