/** (bytes copied, exposed bytes, restarts, steps, idle, gives-up), exact integers (domain facts 8). */
export type Vector = readonly [number, number, number, number, number, number];

/** Whether `a` is no worse in all than `b`; equal counts. Written out: the search asks it all the time. */
export const coversAll = (a: Vector, b: Vector): boolean =>
  a[0] <= b[0] && a[1] <= b[1] && a[2] <= b[2] && a[3] <= b[3] && a[4] <= b[4] && a[5] <= b[5];

export const sameVector = (a: Vector, b: Vector): boolean =>
  a[0] === b[0] && a[1] === b[1] && a[2] === b[2] && a[3] === b[3] && a[4] === b[4] && a[5] === b[5];

/** Whether `a` beats `b`: no worse in all and better in one. */
export const beats = (a: Vector, b: Vector): boolean => coversAll(a, b) && !sameVector(a, b);

/** What decides between routes of one vector: less stranded space, fewer partitions touched, a smaller list. */
export interface Rank {
  stranded: number;
  touched: number;
  list: string;
}

export const rankBefore = (a: Rank, b: Rank): boolean => {
  if (a.stranded !== b.stranded) return a.stranded < b.stranded;
  if (a.touched !== b.touched) return a.touched < b.touched;
  return a.list < b.list;
};

export interface Member<T> {
  vector: Vector;
  rank: Rank;
  value: T;
}

/** Unbeaten routes, one for each vector. */
export class Front<T> {
  members: Member<T>[] = [];

  /** Takes a route in unless it is beaten, and drops those that it beats. */
  add(member: Member<T>): boolean {
    for (const other of this.members) {
      if (sameVector(other.vector, member.vector)) {
        if (!rankBefore(member.rank, other.rank)) return false;
      } else if (coversAll(other.vector, member.vector)) return false;
    }
    this.members = this.members.filter((other) => !coversAll(member.vector, other.vector));
    this.members.push(member);
    return true;
  }

  /** Whether nothing with at least these figures can still come in, short of ties that rank alone decides. */
  closes(least: Vector): boolean {
    for (const { vector } of this.members) {
      if (coversAll(vector, least) && !sameVector(vector, least)) return true;
    }
    return false;
  }
}
