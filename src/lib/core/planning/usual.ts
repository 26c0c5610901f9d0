import { Type, type Static } from 'typebox';
import { Bytes, closed } from '../shapes';
import { bytesOf, type Disk, type Partition } from '../disk';
import { copyOf, sourceOf, type Step } from '../steps';
import type { Rates } from '../tools';
import { GIB, MIB } from '../units';
import type { Criteria } from './criteria';
import type { Totals } from './evaluate';

const Count = Type.Integer({ minimum: 0 });

/**
 * What the usual order counts besides the criteria (domain facts 8): less is more usual in each. Whether the recovery
 * partition stays behind Windows is counted as well, but is a criterion.
 */
export const UsualShape = closed({
  /**
   * Volumes made anew: a data volume copied and deleted counts 2, whether its files have a volume of their own again or
   * join another, the recovery partition set aside 1, a file system or the table converted 1.
   */
  madeAnew: Count,
  /** Partitions that the machine boots from and whose start moves. */
  bootStarts: Count,
  /** Pairs of partitions that stand the other way round than as found. */
  orderChanges: Count,
  /** Bytes left unallocated that nobody asked for; 0 up to 1 GiB or 5 % of what is added, whichever is more. */
  waste: Bytes,
  /** The middle of the time that the route takes, exposed time counted twice. */
  seconds: Type.Number({ minimum: 0 }),
});
export type Usual = Static<typeof UsualShape>;

/** The figures by which the usual order decides, the first that differs first. */
export const makeUsualKey = (
  usual: Usual,
  { givesUp, steps }: Pick<Criteria, 'givesUp' | 'steps'>,
): readonly number[] => [
  usual.madeAnew,
  usual.bootStarts,
  givesUp,
  usual.orderChanges,
  usual.waste,
  usual.seconds,
  steps,
];

/** Compares two lists of figures by the first that differs; 0 where none does. */
export function compareByFirst(a: readonly number[], b: readonly number[]): number {
  const i = a.findIndex((figure, k) => figure !== b[k]);
  return i < 0 ? 0 : a[i]! - b[i]!;
}

/** Whether the machine boots from it: its start is what firmware or boot data name. */
export const isBootedFrom = ({ role, active }: Pick<Partition, 'role' | 'active'>): boolean =>
  role === 'windows' || role === 'efi' || role === 'system' || active;

/**
 * What a data volume that is copied and deleted counts, the recovery partition set aside and put back, and a file
 * system or a table that is converted for good.
 */
export const MADE_ANEW = { copied: 2, aside: 1, converted: 1 } as const;

/** Idle bytes that are no waste yet, for so many bytes added. */
export const computeAllowedIdle = (added: number): number => Math.max(GIB, added * 0.05);

/** Idle bytes as waste: none up to what is allowed. */
export const wasteOf = (idle: number, added: number): number => (idle > computeAllowedIdle(added) ? idle : 0);

/** Seconds in the middle of their range: a byte that is copied or exposed, a restart, a step. */
export interface MiddleTimes {
  perByte: number;
  perRestart: number;
  perStep: number;
}

export function middleTimes(disk: Disk, rates: Rates): MiddleTimes {
  const middle = ({ low, high }: { low: number; high: number }): number => (low + high) / 2;
  const { low, high } = rates.copying[disk.media];
  return {
    perByte: middle({ low: 1 / high, high: 1 / low }) / MIB,
    perRestart: middle(rates.restart),
    perStep: middle(rates.step),
  };
}

/**
 * The middle of the time, exposed time counted twice; not rounded up to whole seconds, so it never falls where a figure
 * rises.
 */
export const computeUsualSeconds = (
  { perByte, perRestart, perStep }: MiddleTimes,
  { bytesCopied, exposedBytes, restarts, steps }: Omit<Criteria, 'idle' | 'givesUp'>,
): number => (bytesCopied + exposedBytes) * perByte + restarts * perRestart + steps * perStep;

/** Facts of a route that was carried out on a disk. */
interface Done {
  steps: readonly Step[];
  /** Partitions as left, in the order of their position. */
  left: readonly Pick<Partition, 'number' | 'first'>[];
  totals: Pick<Totals, 'idle' | 'bytesCopied' | 'exposedBytes' | 'restarts' | 'steps'>;
}

/** The figures of a route that adds so many bytes to its target. */
export function usualOf(
  { disk, target, rates }: { disk: Disk; target: Partition; rates: Rates },
  { steps, left, totals }: Done,
): Usual {
  const copied = new Set<number>();
  const aside = new Set<number>();
  const moved = new Set<number>();
  let converted = 0;
  for (const step of steps) {
    if (step.verb === 'copy' || step.verb === 'join')
      copied.add('fromOutside' in step ? step.of : step.partition);
    if (step.verb === 'set-aside') aside.add(step.partition);
    if (step.verb === 'move') moved.add(step.partition);
    if (step.verb === 'convert-volume' || step.verb === 'convert-table') converted++;
  }
  const boots = disk.partitions.filter((one) => isBootedFrom(one) && moved.has(one.number));
  const into = copyOf(steps, target.number);
  const now = into && 'partition' in into ? into.partition : target.number;
  const enlarged = steps.reduce(
    (size, step) => (step.partition === now && step.to ? bytesOf(disk, step.to) : size),
    bytesOf(disk, target),
  );
  return {
    madeAnew: copied.size * MADE_ANEW.copied + aside.size * MADE_ANEW.aside + converted * MADE_ANEW.converted,
    bootStarts: boots.length,
    orderChanges: orderChanges(orderLeft(disk, steps, left)),
    waste: wasteOf(totals.idle, enlarged - bytesOf(disk, target)),
    seconds: computeUsualSeconds(middleTimes(disk, rates), totals),
  };
}

/**
 * The places as found of what is on the disk, in the order as left; a new volume stands for the one whose files it has.
 */
function orderLeft(disk: Disk, steps: readonly Step[], left: Done['left']): number[] {
  const found = disk.partitions
    .filter(({ kind }) => kind !== 'extended')
    .sort((a, b) => a.first - b.first)
    .map(({ number }) => number);
  return [...left]
    .sort((a, b) => a.first - b.first)
    .map(({ number }) => found.indexOf(sourceOf(disk, steps, number)?.number ?? number))
    .filter((place) => place >= 0);
}

/** Pairs that stand the other way round. */
export function orderChanges(places: readonly number[]): number {
  let pairs = 0;
  places.forEach((place, i) => {
    for (let k = 0; k < i; k++) if (places[k]! > place) pairs++;
  });
  return pairs;
}
