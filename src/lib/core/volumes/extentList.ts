/** More than this many pieces are not kept apart: what lies between two near ones counts as in use then. */
const MAX_PIECES = 400_000;

/**
 * Stretches in use, in the order of their place, those that touch joined. Where there are too many, the smallest gaps
 * between them are taken for used: what is copied then is more than needed, never less. Bytes.
 */
export class ExtentList {
  private pairs: number[] = [];
  /** Gaps up to this long are closed. */
  private gap = 0;

  constructor(private readonly most = MAX_PIECES) {}

  /** The next stretch; it begins no earlier than the one before. */
  add(offset: number, length: number): void {
    if (length <= 0) return;
    const { pairs } = this;
    const last = pairs.length - 2;
    if (last >= 0 && offset - (pairs[last]! + pairs[last + 1]!) <= this.gap) {
      pairs[last + 1] = Math.max(pairs[last + 1]!, offset + length - pairs[last]!);
      return;
    }
    pairs.push(offset, length);
    if (pairs.length > 2 * this.most) this.close();
  }

  /** Pairs of offset and length. */
  get extents(): number[] {
    return this.pairs;
  }

  /** The clusters whose bits are set in a piece of a bitmap, lowest bit first. */
  addBits(bits: Uint8Array, count: number, offset: number, clusterSize: number): void {
    for (let at = 0; at < count;) {
      const byte = bits[at >> 3]!;
      if ((at & 7) === 0 && byte === 0) {
        at += 8;
        continue;
      }
      const run = at;
      while (at < count && (bits[at >> 3]! >> (at & 7)) & 1) {
        if ((at & 7) === 0 && bits[at >> 3] === 0xff && at + 8 <= count) at += 8;
        else at++;
      }
      this.add(offset + run * clusterSize, (at - run) * clusterSize);
      if (at === run) at++;
    }
  }

  private close(): void {
    while (this.pairs.length > this.most) {
      this.gap = Math.max(4096, 2 * this.gap);
      const old = this.pairs;
      this.pairs = [];
      for (let i = 0; i < old.length; i += 2) this.add(old[i]!, old[i + 1]!);
    }
  }
}
