import type { HeldFile, HeldFolder, VolumeHoldings } from './document';

/** Holdings of a volume as a tree to be walked: places are those of the document's lists. */
export class HoldingsTree {
  private readonly children: number[][];
  private readonly filesIn: number[][];

  constructor(readonly volume: VolumeHoldings) {
    this.children = volume.folders.map(() => []);
    this.filesIn = volume.folders.map(() => []);
    volume.folders.forEach((folder, place) => {
      if (folder.in !== null) this.children[folder.in]!.push(place);
    });
    volume.files.forEach((file, place) => this.filesIn[file.in]!.push(place));
    const { folders } = volume;
    for (const list of this.children) list.sort((a, b) => folders[b]!.bytes - folders[a]!.bytes || a - b);
  }

  folder(place: number): HeldFolder {
    return this.volume.folders[place]!;
  }

  /** Named folders in a folder, the largest first. */
  foldersIn(place: number): readonly number[] {
    return this.children[place]!;
  }

  /** Named files that lie in a folder itself, the largest first as in the document. */
  filesOf(place: number): readonly number[] {
    return this.filesIn[place]!;
  }

  /** Bytes of a folder that are in no named folder within: its own files, and what is small. */
  restOf(place: number): number {
    const within = this.children[place]!.reduce((sum, one) => sum + this.folder(one).bytes, 0);
    return Math.max(0, this.folder(place).bytes - within);
  }

  /** Backslash first; the root is one alone. */
  pathOf(place: number): string {
    const parts = this.upwards(place).map((at) => this.folder(at).name);
    return `\\${parts.reverse().slice(1).join('\\')}`;
  }

  pathOfFile(file: HeldFile): string {
    const folder = this.pathOf(file.in);
    return folder === '\\' ? `\\${file.name}` : `${folder}\\${file.name}`;
  }

  /** A folder, the one that it lies in, and so on to the root. */
  upwards(place: number): number[] {
    const way: number[] = [];
    for (let at: number | null = place; at !== null; at = this.folder(at).in) way.push(at);
    return way;
  }

  /**
   * The named folders that fit a path: parts apart by a backslash, whatever their case; `*` is any one part, `**` any
   * number of them, none as well.
   */
  find(pattern: string): number[] {
    const parts = pattern.split('\\').filter((part) => part !== '');
    let at = new Set([0]);
    for (const part of parts) {
      const next = new Set<number>();
      for (const place of at) {
        if (part === '**') for (const below of this.below(place)) next.add(below);
        else
          for (const child of this.children[place]!)
            if (part === '*' || same(this.folder(child).name, part)) next.add(child);
      }
      at = next;
    }
    return [...at];
  }

  /** A folder and everything named below it. */
  private *below(place: number): Generator<number> {
    const waiting = [place];
    for (let one = waiting.pop(); one !== undefined; one = waiting.pop()) {
      yield one;
      waiting.push(...this.children[one]!);
    }
  }
}

const same = (a: string, b: string): boolean => a.toLowerCase() === b.toLowerCase();
