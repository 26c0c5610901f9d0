import { computeEnough, fullRange, type FullRange, type Growth } from '../forecast';
import type { Task } from '../planning';
import { planOntoDisk, withBought } from './onto';
import { planOnto } from './plan';

/** Capacities that are sold, in GB of 10^9 bytes. */
const SOLD = [250, 500, 1000, 2000, 4000, 8000] as const;

/**
 * Sectors of a disk that is sold with so many GB: makers count alike (IDEMA LBA1-03): 97,696,368 of 512 bytes for the
 * first 50 GB, and 1,953,504 for each further one; an eighth of that with sectors of 4 KiB.
 */
export const countSectorsSold = (gb: number, sectorSize: number): number =>
  Math.floor((97_696_368 + 1_953_504 * (gb - 50)) / (sectorSize / 512));

/** A disk that could be bought. */
export interface Buyable {
  gb: number;
  sectors: number;
  /** Bytes that the target has on it. */
  size: number;
  /** When the target is full on it; null: nothing is known of how it fills. */
  full: FullRange | null;
  /** Mark of one that lasts as long as was asked, or where nothing is known of that, has what was asked for. */
  enough: boolean;
}

/**
 * The disks that could be bought, those on which the target gets more, the smallest first.
 * @param now milliseconds since 1970, when `used` was measured
 * @param used bytes that will be in use at the beginning
 * @param least bytes that the target is to have where nothing is known of how it fills
 */
export function findBuyable(
  task: Task,
  {
    now,
    used,
    growth,
    years,
    least,
  }: { now: number; used: number; growth: Growth | null; years: number; least: number },
): Buyable[] {
  const wanted = growth ? computeEnough(used, growth, years) : least;
  const disks = SOLD.flatMap((gb): Buyable[] => {
    const sectors = countSectorsSold(gb, task.disk.sectorSize);
    const bought = withBought(task, sectors);
    const onto = planOntoDisk(bought.task, bought.number);
    const plan = onto.ok ? planOnto(onto.value) : onto;
    if (!plan.ok) return [];
    const { size } = plan.value;
    const full = growth && fullRange(used, size, now, growth);
    return [{ gb, sectors, size, full, enough: size >= wanted }];
  });
  // Beyond what the table or the file system reaches a larger one gives nothing more.
  return disks.filter(({ size }, i) => i === 0 || size > disks[i - 1]!.size);
}
