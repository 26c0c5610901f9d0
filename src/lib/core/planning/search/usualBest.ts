import type { Intent } from '../../steps';
import { bytesOf } from '../../disk';
import { rankBefore, type Evaluated } from '../evaluate';
import type { Task } from '../task';
import {
  compareByFirst,
  middleTimes,
  makeUsualKey,
  computeUsualSeconds,
  wasteOf,
  type MiddleTimes,
} from '../usual';
import type { Least, WantedEnd } from './wanted';

/** Seconds by which two sums of the same figures may differ. */
const ROUNDING = 1e-6;

interface Found {
  route: Evaluated;
  intents: Intent[];
}

/** The most usual route so far, and what can't become more usual any more. */
export class UsualBest implements WantedEnd {
  readonly usual = true;
  found: Found | null = null;
  private key: readonly number[] = [];
  private readonly times: MiddleTimes;
  private readonly added: number;

  /** @param size bytes that the target ends with */
  constructor({ disk, target, rates }: Task, size: number) {
    this.times = middleTimes(disk, rates);
    this.added = size - bytesOf(disk, target);
  }

  offer(route: Evaluated, intents: Intent[]): void {
    const key = makeUsualKey(route.usual, route.criteria);
    const by = this.found ? compareByFirst(key, this.key) : -1;
    if (by > 0 || (by === 0 && !rankBefore(route.rank, this.found!.route.rank))) return;
    this.found = { route, intents };
    this.key = key;
  }

  isDominated = (least: Least): boolean => {
    if (!this.found) return false;
    const { key } = this;
    if (least.madeAnew !== key[0]) return least.madeAnew > key[0]!;
    if (least.bootStarts !== key[1]) return least.bootStarts > key[1]!;
    if (least.givesUp !== key[2]) return least.givesUp > key[2]!;
    if (least.orderChanges !== key[3]) return least.orderChanges > key[3]!;
    const waste = wasteOf(least.idle, this.added);
    if (waste !== key[4]) return waste > key[4]!;
    const seconds = computeUsualSeconds(this.times, least);
    // Of equals the rank decides, so they are looked at.
    if (Math.abs(seconds - key[5]!) > ROUNDING) return seconds > key[5]!;
    return least.steps > key[6]!;
  };
}
