import type { HoldingsTree } from './tree';

/**
 * What was counted already, with the bytes that it added: a folder within one that goes, or a file in one, is not
 * counted again.
 */
export class TakenBytes {
  private readonly folders = new Map<number, string>();
  private readonly files = new Set<number>();
  /** Bytes that are taken of a folder, however deep, by what takes them. */
  private readonly below: Map<string, number>[];

  constructor(private readonly tree: HoldingsTree) {
    this.below = tree.volume.folders.map(() => new Map());
  }

  /** Takes a folder, unless it lies in one that is taken; gives the bytes that it adds. */
  folder(place: number, id: string): number {
    if (this.lies(place)) return 0;
    const inside = [...this.below[place]!.values()].reduce((sum, bytes) => sum + bytes, 0);
    const bytes = Math.max(0, this.tree.folder(place).bytes - inside);
    this.folders.set(place, id);
    this.add(place, id, bytes);
    return bytes;
  }

  file(place: number, id: string): number {
    const file = this.tree.volume.files[place]!;
    if (this.files.has(place) || this.lies(file.in)) return 0;
    this.files.add(place);
    this.add(file.in, id, file.bytes);
    return file.bytes;
  }

  /** Bytes in a folder that are taken, by what takes them. */
  within(place: number): Record<string, number> {
    return Object.fromEntries(this.below[place]!);
  }

  private add(folder: number, id: string, bytes: number): void {
    for (const at of this.tree.upwards(folder))
      this.below[at]!.set(id, (this.below[at]!.get(id) ?? 0) + bytes);
  }

  private lies(place: number): boolean {
    for (const at of this.tree.upwards(place)) if (this.folders.has(at)) return true;
    return false;
  }
}
