/** A point in time and what was measured at it. */
export interface Point {
  /** Milliseconds since 1970. */
  at: number;
  /** Bytes. */
  value: number;
}

/** A straight line through measurements, in bytes a day, with the range in which its slope lies. */
export interface Line {
  slope: number;
  low: number;
  high: number;
  /** Measurements at different times that it goes by. */
  points: number;
}

export const DAY = 86_400_000;
/** Quantile of the normal distribution for a range that holds the slope nine times in ten. */
const NINE_IN_TEN = 1.645;
/** The most measurements that are looked at: each with each makes some 20,000 slopes. */
const MAX_POINTS = 200;

/**
 * The line of Theil and Sen: its slope is the median of the slopes of all pairs, so that one measurement in four may be
 * anything (a film that was copied and deleted again) and hardly moves it. The range is Sen's, from the ranks of the
 * slopes (P. K. Sen, Estimates of the regression coefficient based on Kendall's tau, 1968); with few measurements it is
 * all of them.
 *
 * @returns null with less than two different times
 */
export function theilSen(all: readonly Point[]): Line | null {
  const points = newestAtEach(all).slice(-MAX_POINTS);
  const slopes: number[] = [];
  points.forEach((a, i) => {
    for (const b of points.slice(i + 1)) slopes.push(((b.value - a.value) / (b.at - a.at)) * DAY);
  });
  if (slopes.length === 0) return null;
  slopes.sort((a, b) => a - b);
  const n = points.length;
  const width = NINE_IN_TEN * Math.sqrt((n * (n - 1) * (2 * n + 5)) / 18);
  const low = Math.floor((slopes.length - width) / 2);
  const high = Math.ceil((slopes.length + width) / 2);
  const at = (rank: number) => slopes[Math.max(0, Math.min(slopes.length - 1, rank))]!;
  return { slope: median(slopes), low: at(low), high: at(high - 1), points: n };
}

/** Measurements in the order of time; of those at the same time the last counts. */
function newestAtEach(points: readonly Point[]): Point[] {
  const byTime = new Map(points.map((point) => [point.at, point]));
  return [...byTime.values()].sort((a, b) => a.at - b.at);
}

/** @param sorted at least one */
function median(sorted: readonly number[]): number {
  const middle = sorted.length / 2;
  return Number.isInteger(middle) ? (sorted[middle - 1]! + sorted[middle]!) / 2 : sorted[Math.floor(middle)]!;
}
