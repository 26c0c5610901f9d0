const ONES = Uint8Array.from({ length: 256 }, (_, byte) => {
  let count = 0;
  for (let bits = byte; bits; bits &= bits - 1) count++;
  return count;
});

/** Counts used clusters of a bitmap that comes in pieces, one bit a cluster, lowest bit first. */
export class ClusterCount {
  used = 0;
  /** The highest cluster in use, or -1. */
  last = -1;
  private at = 0;

  constructor(private readonly clusters: number) {}

  /** Takes the next piece in order. Bits beyond the last cluster are padding and do not count. */
  add(piece: Uint8Array): void {
    const whole = Math.min(piece.length, Math.max(0, Math.floor((this.clusters - this.at) / 8)));
    let used = 0;
    for (let i = 0; i < whole; i++) used += ONES[piece[i]!]!;
    this.used += used;
    let top = whole - 1;
    while (top >= 0 && piece[top] === 0) top--;
    if (top >= 0) this.last = this.at + 8 * top + (31 - Math.clz32(piece[top]!));
    const rest = this.clusters - this.at - 8 * whole;
    if (whole < piece.length && rest > 0 && rest < 8) {
      const bits = piece[whole]! & ((1 << rest) - 1);
      this.used += ONES[bits]!;
      if (bits) this.last = this.at + 8 * whole + (31 - Math.clz32(bits));
    }
    this.at += 8 * piece.length;
  }

  /** True once every cluster has been seen. */
  get complete(): boolean {
    return this.at >= this.clusters;
  }
}
