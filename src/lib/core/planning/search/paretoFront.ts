import { covers, sameCriteria, type Criteria } from '../criteria';
import { rankBefore, type Rank } from '../evaluate';
import type { Wanted } from './wanted';

export interface Member<T> {
  criteria: Criteria;
  rank: Rank;
  value: T;
}

/** A Pareto front: what nothing else beats, one member for each set of criteria. */
export class ParetoFront<T> implements Wanted {
  readonly usual = false;
  members: Member<T>[] = [];

  /** Takes a member in unless it is beaten, and drops those that it beats. */
  add(member: Member<T>): boolean {
    for (const other of this.members) {
      if (!covers(other.criteria, member.criteria)) continue;
      if (!sameCriteria(other.criteria, member.criteria) || !rankBefore(member.rank, other.rank))
        return false;
    }
    this.members = this.members.filter((other) => !covers(member.criteria, other.criteria));
    this.members.push(member);
    return true;
  }

  /** Whether nothing with at least these figures can still come in, short of ties that rank alone decides. */
  isDominated(least: Criteria): boolean {
    for (const { criteria } of this.members) {
      if (covers(criteria, least) && !covers(least, criteria)) return true;
    }
    return false;
  }
}
