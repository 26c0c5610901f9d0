import type { ClusterRun } from '../../../volumes/ntfs/runs';
import type { ClusterMap } from '../../../disk';

/** A run of clusters of the volume. */
export interface Clusters {
  first: number;
  count: number;
}

/**
 * Without a map of its own a volume is in use like this: mostly packed to the front, a share of it spread over the
 * rest.
 */
const SPREAD = 0.06;
const BUCKETS = 256;

/**
 * Gives clusters away so that in the end each bucket of a volume has as many in use as the survey counted, the last of
 * them where the survey saw it. Within a bucket they lie together.
 */
export class Allocator {
  private readonly per: number;
  private readonly starts: number[];
  private readonly left: number[];
  private bucket = 0;
  readonly given: Clusters[] = [];

  /**
   * @param clusters of the volume
   * @param used how many are in use in the end
   * @param last the last one in use, or null
   */
  constructor(
    private readonly clusters: number,
    used: number,
    last: number | null,
    map: ClusterMap | null,
  ) {
    const wanted = map ? { per: map.clustersPerBucket, counts: [...map.used] } : spread(clusters, used, last);
    this.per = wanted.per;
    this.left = wanted.counts;
    this.starts = this.left.map((count, i) => {
      const first = i * this.per;
      const end = Math.min(clusters, first + this.per);
      const holdsLast = last !== null && last >= first && last < end && i > 0;
      return holdsLast ? Math.max(first, last + 1 - count) : first;
    });
  }

  /** Clusters that are still to be given away. */
  get remaining(): number {
    let sum = 0;
    for (const count of this.left) sum += count;
    return sum;
  }

  /** So many clusters, from the front, in as few runs as can be. Fewer where no more are wanted. */
  take(count: number): Clusters[] {
    const out: Clusters[] = [];
    for (let need = count; need > 0 && this.bucket < this.left.length;) {
      const here = Math.min(need, this.left[this.bucket]!);
      if (here === 0) {
        this.bucket++;
        continue;
      }
      this.give(this.bucket, here, out);
      need -= here;
    }
    this.given.push(...out.map((one) => ({ ...one })));
    return out;
  }

  /** The same from the last bucket, for what is to lie near the end. */
  takeLast(count: number): Clusters[] {
    const out: Clusters[] = [];
    for (let at = this.left.length - 1, need = count; need > 0 && at > this.bucket; at--) {
      const here = Math.min(need, this.left[at]!);
      if (here > 0) this.give(at, here, out);
      need -= here;
    }
    out.sort((a, b) => a.first - b.first);
    this.given.push(...out.map((one) => ({ ...one })));
    return out;
  }

  /** In one run, from the front on; null: nowhere are so many wanted together. */
  takeWhole(count: number): Clusters | null {
    for (let at = this.bucket; at < this.left.length; at++) {
      let end = at;
      let sum = this.left[at]!;
      // A run goes on into the next bucket where this one is filled to its end.
      while (
        sum < count &&
        this.fills(end) &&
        end + 1 < this.left.length &&
        this.starts[end + 1] === (end + 1) * this.per
      )
        sum += this.left[++end]!;
      if (sum < count) continue;
      const out: Clusters[] = [];
      for (let need = count, i = at; need > 0; i++) {
        const here = Math.min(need, this.left[i]!);
        this.give(i, here, out);
        need -= here;
      }
      this.given.push({ ...out[0]! });
      return out[0]!;
    }
    return null;
  }

  private fills(bucket: number): boolean {
    return this.starts[bucket]! + this.left[bucket]! === Math.min(this.clusters, (bucket + 1) * this.per);
  }

  private give(bucket: number, count: number, out: Clusters[]): void {
    const first = this.starts[bucket]!;
    const before = out.at(-1);
    if (before && before.first + before.count === first) before.count += count;
    else out.push({ first, count });
    this.starts[bucket] = first + count;
    this.left[bucket]! -= count;
  }
}

function spread(clusters: number, used: number, last: number | null): { per: number; counts: number[] } {
  const per = Math.max(8, Math.ceil(clusters / BUCKETS));
  const size = (i: number) => Math.min(per, clusters - i * per);
  const counts = new Array<number>(Math.ceil(clusters / per)).fill(0);
  const end = last === null ? counts.length : Math.floor(last / per) + 1;
  const room = (i: number) =>
    (i === end - 1 && last !== null ? Math.min(size(i), last + 1 - i * per) : size(i)) - counts[i]!;
  let left = used;
  const put = (i: number, count: number) => {
    const here = Math.max(0, Math.min(count, left, room(i)));
    counts[i]! += here;
    left -= here;
  };
  // Something at the very end first, then a little everywhere, then from the front.
  put(end - 1, Math.max(1, Math.floor(per * SPREAD)));
  const each = Math.floor((used * SPREAD) / Math.max(1, end));
  for (let i = 0; i < end; i++) put(i, each);
  for (let i = 0; i < end && left > 0; i++) put(i, left);
  return { per, counts };
}

/** Runs of a stream that lies in these clusters, in their order. */
export function runsOf(parts: readonly Clusters[], from = 0): ClusterRun[] {
  let vcn = from;
  return parts.map(({ first, count }) => {
    const run = { vcn, lcn: first, clusters: count };
    vcn += count;
    return run;
  });
}

export const countOf = (parts: readonly Clusters[]): number =>
  parts.reduce((sum, { count }) => sum + count, 0);
