import type { FreeRun } from './bitmapPlan';

/** Free runs that are remembered at most; of more the smallest are left alone. */
const MOST = 500_000;
/** Runs of about the right size that are looked at for the one that fits best. */
const LOOK = 256;

/**
 * Free clusters that are given away so that what goes into them stays together: whole pieces into the run that fits
 * them best, and only where no run holds one it is split, over the largest.
 */
export class FreeSpace {
  /** In order of place; a run is used up from its front, so the order stays. */
  private readonly first: number[] = [];
  private readonly count: number[] = [];
  /** Numbers of runs by the power of two that they hold. */
  private readonly bySize: number[][] = Array.from({ length: 34 }, () => []);
  left = 0;

  /** @param runs free clusters in order */
  constructor(runs: Iterable<FreeRun>) {
    let least = 1;
    for (const { first, count } of runs) {
      if (count < least) continue;
      if (this.first.length >= MOST) {
        least *= 2;
        this.drop(least);
        if (count < least) continue;
      }
      this.first.push(first);
      this.count.push(count);
    }
    for (const [i, count] of this.count.entries()) {
      this.bySize[classOf(count)]!.push(i);
      this.left += count;
    }
  }

  /**
   * So many clusters, together where that can be; null: there are not so many, and nothing is taken.
   *
   * @param behind the cluster behind what they belong to: free room there is taken first
   */
  take(count: number, behind: number | null = null): FreeRun[] | null {
    if (count > this.left) return null;
    const out: FreeRun[] = [];
    let need = count;
    if (behind !== null) {
      const next = this.beginningAt(behind);
      if (next !== null && (this.count[next]! >= need || !this.fitting(need)))
        need -= this.use(next, need, out);
    }
    while (need > 0) {
      const fit = this.fitting(need);
      need -= this.use(fit ?? this.largest(), need, out);
    }
    return joined(out);
  }

  /** So many clusters in one run; null: there is none. */
  takeWhole(count: number): FreeRun | null {
    const fit = this.fitting(count);
    if (fit === null) return null;
    const out: FreeRun[] = [];
    this.use(fit, count, out);
    return out[0]!;
  }

  private beginningAt(cluster: number): number | null {
    let [low, high] = [0, this.first.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.first[middle]! < cluster) low = middle + 1;
      else high = middle;
    }
    // Runs that are used up may begin there as well.
    for (; this.first[low] === cluster; low++) if (this.count[low]! > 0) return low;
    return null;
  }

  /** The smallest run that holds so many, or nearly the smallest. */
  private fitting(count: number): number | null {
    const own = classOf(count);
    let best = this.fittingIn(own, count, LOOK);
    for (let size = own + 1; best === null && size < this.bySize.length; size++)
      best = this.fittingIn(size, count, LOOK);
    return best ?? this.fittingIn(own, count, Infinity);
  }

  private fittingIn(size: number, count: number, look: number): number | null {
    const runs = this.runsOf(size);
    let best: number | null = null;
    for (let i = runs.length - 1; i >= 0 && runs.length - i <= look; i--) {
      const held = this.count[runs[i]!]!;
      if (held >= count && (best === null || held < this.count[best]!)) best = runs[i]!;
    }
    return best;
  }

  private largest(): number {
    for (let size = this.bySize.length - 1; ; size--) {
      const runs = this.runsOf(size);
      if (runs.length > 0) return runs.reduce((a, b) => (this.count[b]! > this.count[a]! ? b : a));
    }
  }

  /**
   * The runs of a size; what has become smaller meanwhile stands in another list, and leaves this one once it comes to
   * its end.
   */
  private runsOf(size: number): number[] {
    const runs = this.bySize[size]!;
    for (let i = runs.length - 1, looked = 0; i >= 0 && looked < LOOK; i--, looked++) {
      if (classOf(this.count[runs[i]!]!) === size) continue;
      runs[i] = runs.at(-1)!;
      runs.pop();
    }
    return runs;
  }

  private use(run: number, most: number, out: FreeRun[]): number {
    const count = Math.min(most, this.count[run]!);
    out.push({ first: this.first[run]!, count });
    const before = classOf(this.count[run]!);
    this.first[run]! += count;
    this.count[run]! -= count;
    this.left -= count;
    const size = classOf(this.count[run]!);
    if (this.count[run]! > 0 && size !== before) this.bySize[size]!.push(run);
    return count;
  }

  private drop(least: number): void {
    let kept = 0;
    for (let i = 0; i < this.first.length; i++) {
      if (this.count[i]! < least) continue;
      this.first[kept] = this.first[i]!;
      this.count[kept++] = this.count[i]!;
    }
    this.first.length = this.count.length = kept;
  }
}

const classOf = (count: number): number => (count === 0 ? 0 : Math.floor(Math.log2(count)) + 1);

function joined(runs: readonly FreeRun[]): FreeRun[] {
  const out: FreeRun[] = [];
  for (const one of runs) {
    const last = out.at(-1);
    if (last && last.first + last.count === one.first) last.count += one.count;
    else out.push({ ...one });
  }
  return out;
}
