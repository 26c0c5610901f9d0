import type { Device } from './device';

/** A table in a file that is held in memory, and written back sector by sector where it changed. */
export class SectorTable {
  private readonly dirty = new Set<number>();
  private readonly view: DataView;

  /** @param at byte of the file where it begins, on a sector; its length is a number of whole ones */
  constructor(
    private readonly file: Device,
    private readonly at: number,
    readonly bytes: Uint8Array,
  ) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  }

  static async read(file: Device, at: number, length: number): Promise<SectorTable> {
    const whole = Math.ceil(length / file.sectorSize) * file.sectorSize;
    return new SectorTable(file, at, (await file.read(at, whole)).slice());
  }

  get changed(): boolean {
    return this.dirty.size > 0;
  }

  /** Changes a part of it through a view of the whole. */
  change(offset: number, length: number, set: (view: DataView) => void): void {
    set(this.view);
    const { sectorSize } = this.file;
    for (let at = Math.floor(offset / sectorSize); at * sectorSize < offset + length; at++)
      this.dirty.add(at);
  }

  get(): DataView {
    return this.view;
  }

  async write(): Promise<void> {
    const { sectorSize } = this.file;
    for (const sector of this.dirty)
      await this.file.write(
        this.at + sector * sectorSize,
        this.bytes.subarray(sector * sectorSize, (sector + 1) * sectorSize),
      );
    this.dirty.clear();
  }
}
