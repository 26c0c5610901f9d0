import type { Media } from '../disk';
import { MIB } from '../units';

/** A range of seconds, whole numbers, low <= high. */
export interface Seconds {
  low: number;
  high: number;
}

/** Copying within one disk, sustained, in MiB/s (domain facts 8). The low rate gives the long time. */
export const RATES: Record<Media, { low: number; high: number }> = {
  hdd: { low: 35, high: 60 },
  'sata-ssd': { low: 150, high: 250 },
  nvme: { low: 500, high: 1200 },
  virtual: { low: 80, high: 300 },
};

/** What each step takes whatever it copies, and what each restart takes. */
export const FIXED_STEP: Seconds = { low: 5, high: 30 };
export const RESTART: Seconds = { low: 120, high: 300 };

export const NO_TIME: Seconds = { low: 0, high: 0 };

/** How long copying takes, in whole seconds rounded up. */
export function copyTime(bytes: number, media: Media): Seconds {
  const { low, high } = RATES[media];
  return { low: Math.ceil(bytes / MIB / high), high: Math.ceil(bytes / MIB / low) };
}

export const addTimes = (...times: Seconds[]): Seconds => ({
  low: times.reduce((sum, time) => sum + time.low, 0),
  high: times.reduce((sum, time) => sum + time.high, 0),
});

export const timesOver = (time: Seconds, count: number): Seconds => ({
  low: time.low * count,
  high: time.high * count,
});
