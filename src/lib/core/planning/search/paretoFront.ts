import { covers, coversButIdle, areSameCriteria, type Criteria } from '../criteria';
import { rankBefore, type Rank } from '../evaluate';
import type { WantedEnd } from './wanted';

export interface Member<T> {
  criteria: Criteria;
  rank: Rank;
  value: T;
}

/** A Pareto front: what nothing else beats, one member for each set of criteria. */
export class ParetoFront<T> implements WantedEnd {
  readonly usual = false;
  members: Member<T>[] = [];

  /**
   * @param allowed idle bytes up to which they are weighed; beyond that a route wastes, and how much is not asked any
   *   more
   */
  constructor(private readonly allowed = Infinity) {}

  /** Takes a member in unless it is beaten, and drops those that it beats. */
  add(member: Member<T>): boolean {
    for (const other of this.members) {
      if (!covers(other.criteria, member.criteria)) continue;
      if (!areSameCriteria(other.criteria, member.criteria) || !rankBefore(member.rank, other.rank))
        return false;
    }
    this.members = this.members.filter((other) => !covers(member.criteria, other.criteria));
    this.members.push(member);
    return true;
  }

  /**
   * Whether nothing with at least these figures is wanted any more, short of ties that rank alone decides. What wastes
   * is not wanted where something else is as good in all but idle space, however much that wastes itself
   * (docs/planner.md).
   */
  isDominated(least: Criteria): boolean {
    const wastes = least.idle > this.allowed;
    for (const { criteria } of this.members) {
      if (wastes ? coversButIdle(criteria, least) : covers(criteria, least)) {
        if (!covers(least, criteria)) return true;
      }
    }
    return false;
  }
}
