import type { ClusterMap } from '../../disk';

const ONES = Uint8Array.from({ length: 256 }, (_, byte) => {
  let count = 0;
  for (let bits = byte; bits; bits &= bits - 1) count++;
  return count;
});

const MAX_BUCKETS = 2048;

/** Counts used clusters of a bitmap that comes in pieces, one bit a cluster, lowest bit first. */
export class ClusterCount {
  used = 0;
  /** The highest cluster in use, or -1. */
  last = -1;
  readonly map: ClusterMap;
  private at = 0;

  constructor(private readonly clusters: number) {
    // Whole bytes to a bucket, so that counting stays a matter of bytes.
    const clustersPerBucket = 8 * Math.max(1, Math.ceil(clusters / MAX_BUCKETS / 8));
    const used = new Array<number>(Math.ceil(clusters / clustersPerBucket)).fill(0);
    this.map = { clustersPerBucket, used };
  }

  /** Takes the next piece in order. Bits beyond the last cluster are padding and do not count. */
  add(piece: Uint8Array): void {
    const left = Math.max(0, this.clusters - this.at);
    const whole = Math.min(piece.length, Math.floor(left / 8));
    const bytesPerBucket = this.map.clustersPerBucket / 8;
    for (let i = 0; i < whole;) {
      const byteAt = this.at / 8 + i;
      const bucket = Math.floor(byteAt / bytesPerBucket);
      const end = Math.min(whole, i + (bucket + 1) * bytesPerBucket - byteAt);
      let used = 0;
      for (; i < end; i++) used += ONES[piece[i]!]!;
      this.count(bucket, used);
    }
    let top = whole - 1;
    while (top >= 0 && piece[top] === 0) top--;
    if (top >= 0) this.last = this.at + 8 * top + (31 - Math.clz32(piece[top]!));
    const rest = left - 8 * whole;
    if (whole < piece.length && rest > 0) {
      const bits = piece[whole]! & ((1 << rest) - 1);
      const first = this.at + 8 * whole;
      this.count(Math.floor(first / this.map.clustersPerBucket), ONES[bits]!);
      if (bits) this.last = first + (31 - Math.clz32(bits));
    }
    this.at += 8 * piece.length;
  }

  /** True once every cluster has been seen. */
  get complete(): boolean {
    return this.at >= this.clusters;
  }

  private count(bucket: number, used: number): void {
    this.used += used;
    this.map.used[bucket] = this.map.used[bucket]! + used;
  }
}
