import { Type, type Static } from 'typebox';
import { closed } from '../shapes';
import type { Media } from '../disk';
import { MIB } from '../units';

/** A range of seconds, whole numbers, low <= high. */
export interface Seconds {
  low: number;
  high: number;
}

/** A range of MiB/s. The low rate gives the long time. */
const rate = Type.Number({ exclusiveMinimum: 0, maximum: 100_000 });
const Rate = closed({ low: rate, high: rate });
const second = Type.Integer({ minimum: 0, maximum: 86_400 });
const UpToADay = closed({ low: second, high: second });

/** Rates of every estimate of time. */
export const RatesShape = closed({
  /** Copying within one disk, sustained, in MiB/s. */
  copying: closed({ hdd: Rate, 'sata-ssd': Rate, nvme: Rate, virtual: Rate } satisfies Record<
    Media,
    unknown
  >),
  /** Time of a person for each step, whatever it copies. */
  step: UpToADay,
  restart: UpToADay,
});
export type Rates = Static<typeof RatesShape>;

/** The defaults (domain facts 8); a workshop's own replace them. */
export const DEFAULT_RATES: Rates = {
  copying: {
    hdd: { low: 35, high: 60 },
    'sata-ssd': { low: 150, high: 250 },
    nvme: { low: 500, high: 1200 },
    virtual: { low: 80, high: 300 },
  },
  step: { low: 5, high: 30 },
  restart: { low: 120, high: 300 },
};

export const NO_TIME: Seconds = { low: 0, high: 0 };

/** Time of copying, in whole seconds rounded up. */
export function copyTime(bytes: number, media: Media, rates: Rates = DEFAULT_RATES): Seconds {
  const { low, high } = rates.copying[media];
  return { low: Math.ceil(bytes / MIB / high), high: Math.ceil(bytes / MIB / low) };
}

export const addTimes = (...times: Seconds[]): Seconds => ({
  low: times.reduce((sum, time) => sum + time.low, 0),
  high: times.reduce((sum, time) => sum + time.high, 0),
});

export const multiplySeconds = (time: Seconds, count: number): Seconds => ({
  low: time.low * count,
  high: time.high * count,
});
