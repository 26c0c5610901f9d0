import type { Seconds } from '../tools';
import type { Media } from '../disk';
import { MIB } from '../units';
import { itemsOf, progressOf, type Tick, type WorkSheet } from '../worksheet';

/** Something that was measured in the workshop: what was copied, how long it took, and what was estimated. */
export interface MeasuredRun {
  job: number;
  title: string;
  media: Media;
  bytes: number;
  seconds: number;
  estimate: Seconds;
}

/** A medium's rate from the workshop's own runs, in MiB/s. */
export interface MeasuredRate {
  media: Media;
  count: number;
  median: number;
  /** The middle half of the runs lies between these. */
  low: number;
  high: number;
}

/** Below this nothing can be said of a rate: starting a tool takes longer than copying. Bytes. */
const MIN_BYTES = 256 * MIB;

/**
 * What was measured on a sheet, where copying was waited for and nothing else was: not the image backup, which goes to
 * another disk, and no commit point with restarts in it.
 */
export function measureSheet(job: number, sheet: WorkSheet, ticks: readonly Tick[]): MeasuredRun[] {
  const progress = progressOf(sheet, ticks);
  return itemsOf(sheet).flatMap((item) => {
    const tick = progress.ticks.get(item.id);
    const part = sheet.runs.flatMap((run) => run.parts).find((one) => one.commit?.id === item.id);
    const copying = part ? part.steps.reduce((sum, step) => sum + step.waiting.high, 0) : item.waiting.high;
    const restarts = item.waiting.high > copying;
    if (tick?.outcome !== 'done' || !tick.seconds || item.bytes < MIN_BYTES || restarts) return [];
    return {
      job,
      title: item.title,
      media: sheet.disk.media,
      bytes: item.bytes,
      seconds: tick.seconds,
      estimate: item.waiting,
    };
  });
}

/** Median and middle half of the measured rates, a line for every medium that has any. */
export function computeMeasuredRates(runs: readonly MeasuredRun[]): MeasuredRate[] {
  const byMedia = new Map<Media, number[]>();
  for (const { media, bytes, seconds } of runs) {
    byMedia.set(media, [...(byMedia.get(media) ?? []), bytes / MIB / seconds]);
  }
  return [...byMedia].map(([media, rates]) => {
    const sorted = [...rates].sort((a, b) => a - b);
    return {
      media,
      count: sorted.length,
      median: quantile(sorted, 0.5),
      low: quantile(sorted, 0.25),
      high: quantile(sorted, 0.75),
    };
  });
}

/** Between two neighbours it lies as far as the share says (the usual linear rule). */
function quantile(sorted: readonly number[], share: number): number {
  const at = (sorted.length - 1) * share;
  const [below, above] = [sorted[Math.floor(at)]!, sorted[Math.ceil(at)]!];
  return below + (above - below) * (at - Math.floor(at));
}
