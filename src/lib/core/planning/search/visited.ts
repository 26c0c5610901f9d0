import { allows, projectionOf, type Projection } from './projection';
import type { Amounts } from './tension';
import type { Board } from './pieces';
import type { Aim, Skeleton } from './skeleton';

interface Seen {
  bytes: number;
  exposed: number;
  steps: number;
  restarts: readonly number[];
  projection: Projection;
}

/** Skeletons that were looked at, so that one which can do no more for no less is left out. */
export class Visited {
  private readonly seen = new Map<string, Seen[]>();

  constructor(
    private readonly board: Board,
    private readonly aim: Aim,
    private readonly all: Amounts,
  ) {}

  /** Whether an earlier one stands no worse in all; else it is kept itself. */
  covers(at: Skeleton): boolean {
    const key = keyOf(at);
    const { bytes, exposed, steps, restarts } = at;
    const projection = projectionOf(this.board, this.aim, at, this.all);
    const others = this.seen.get(key);
    const covered = others?.some(
      (other) =>
        other.bytes <= bytes &&
        other.exposed <= exposed &&
        other.steps <= steps &&
        other.restarts.every((so, i) => so <= restarts[i]!) &&
        allows(other.projection, projection, this.all),
    );
    if (covered) return true;
    const one = { bytes, exposed, steps, restarts, projection };
    if (others) others.push(one);
    else this.seen.set(key, [one]);
    return false;
  }
}

/** All that the steps to come depend on, but for where the pieces stand. */
function keyOf(at: Skeleton): string {
  const ways: string[] = [];
  let placed = 0;
  for (const id of at.order) if (at.place[id]! >= 0) placed |= 1 << id;
  for (let one = at.acts; one; one = one.before) {
    if (one.act.kind === 'copy-in') ways.push(`${one.act.piece}.${one.act.way.most}.${one.act.way.tools}`);
  }
  return [
    at.order.join(),
    placed,
    at.remade,
    ways.sort().join(),
    at.decrypted,
    at.pending.map(({ piece, act, place }) => `${piece}${act}${place}`).join(),
    at.entries,
    at.outsideLeft.join(),
    at.moved,
    at.targetMoves > 0,
  ].join(';');
}
