import { leastBytes, type Corner } from '../shares';
import type { Reach } from './reach';
import type { Board, Piece } from './pieces';
import { bit, type Aim, type Skeleton } from './skeleton';
import { cheapestWayOut, movings, staysAround, type Hopeless, type Option } from './ways';

/** What stands still to the left and to the right of where the target ends up; null: the bounds of the disk. */
interface Compartment {
  left: Piece | null;
  right: Piece | null;
  /** Sectors. */
  start: number;
  end: number;
  /** Slots by which what is left of it may be made smaller, and what that copies. */
  most: number;
  hull: readonly Corner[];
}

/**
 * What must happen where the target moves once more. Whatever keeps its place from now on lies on one side of it:
 * the nearest of those on either side bound a compartment, everything between them must go, and the target fits in.
 */
export function landings(
  board: Board,
  aim: Aim,
  at: Skeleton,
  reach: Reach,
  room: number,
  copied: boolean,
  hopeless: Hopeless,
): Option[][] {
  const { area, slot } = board;
  const unmoved = at.order
    .filter((id) => id !== board.target && at.place[id]! < 0)
    .map((id) => board.pieces[id]!);
  const options: Option[][] = [];
  const target = movings(board, at, board.pieces[board.target]!, room);
  const [own] = target as [Option];
  const goings = new Map<Piece, Option[]>();
  const goingOf = (piece: Piece): Option[] => {
    const known = goings.get(piece);
    if (known) return known;
    // Its bytes and its step are counted where it goes.
    const going = movings(board, at, piece, room).map((one) => ({
      ...one,
      bytes: one.bytes - piece.moveBytes,
      steps: 0,
    }));
    goings.set(piece, going);
    return going;
  };
  for (let from = 0; from <= unmoved.length; from++) {
    const left = unmoved[from - 1] ?? null;
    const start = left ? left.first + left.sectors : area.first;
    const most = left && left.shrinks.length > 0 ? reach.all[left.id]! : 0;
    const hull = left ? reach.hulls[left.id]! : [];
    const way: Option = { steps: 0, bytes: 0, exposed: 0, asked: 0, pieces: 0 };
    let heaviest: Piece | null = null;
    for (let to = from; to <= unmoved.length; to++) {
      const right = unmoved[to] ?? null;
      const least = { ...way, steps: way.steps + 1, bytes: way.bytes + own.bytes };
      if (hopeless(least, own.restarts!, copied)) break;
      const end = right ? right.first : aim.end >= 0 ? Infinity : area.end;
      const asked = Math.max(0, Math.ceil((aim.goal - (end - start)) / slot - 1e-9));
      if (asked <= most) {
        const givenBytes = leastBytes(hull, asked);
        if (!hopeless({ ...least, asked, givenBytes }, own.restarts!, copied)) {
          const compartment = { left, right, start, end, most, hull };
          const heavy = heaviest && !copied ? goingOf(heaviest) : null;
          options.push(
            ...landingsIn(board, aim, at, compartment, { ...way, asked, givenBytes }, target, heavy),
          );
        }
      }
      if (!right) break;
      const out = cheapestWayOut(at, right);
      if (!out) break;
      way.steps += out.steps;
      way.bytes += out.bytes;
      way.pieces |= bit(right.id);
      if (staysAround(board, at, right) && right.moveBytes > (heaviest?.moveBytes ?? 0)) heaviest = right;
    }
  }
  return options;
}

function landingsIn(
  board: Board,
  aim: Aim,
  at: Skeleton,
  compartment: Compartment,
  way: Option,
  moves: readonly Option[],
  heavy: readonly Option[] | null,
): Option[][] {
  const { slot } = board;
  const { start, end, most } = compartment;
  /** Slots that the left side must give so that so many sectors fit in before `stop`. */
  const asked = (sectors: number, stop: number): number => {
    const slots = Math.max(0, Math.ceil((sectors - (stop - start)) / slot - 1e-9));
    return slots <= most ? slots : Infinity;
  };
  const given = (slots: number) => ({
    asked: slots,
    givenBytes: slots > 0 ? leastBytes(compartment.hull, slots) : 0,
  });
  const targets = at.targetMoves > 0 ? moves : firstMoves();
  const rests = restsOf(board, at, compartment, way, (slots) => {
    const both = asked(aim.goal + slots * slot, end);
    return both === Infinity ? null : given(both);
  });
  return targets.flatMap((target) =>
    rests.flatMap((rest) => (heavy ? heavy.map((one) => [target, rest, one]) : [[target, rest]])),
  );

  /** From where it was found: over its own place, clear of it at once, or by a leap and back. */
  function firstMoves(): Option[] {
    const target = board.pieces[board.target]!;
    const stop = target.first + target.sectors;
    const [over, leap] = moves;
    const clear = leap ?? over!;
    if (end <= target.first || start >= stop) return [clear];
    const found: Option[] = [over!];
    if (target.moveBytes === 0) return found;
    // To the left it may grow over its former place afterwards, to the right not.
    const before = asked(target.sectors, target.first);
    if (before < Infinity) found.push({ ...clear, ...given(before), asked: Math.max(clear.asked, before) });
    if (end - stop >= aim.goal) found.push(clear);
    found.push({ ...clear, steps: 2, bytes: 2 * clear.bytes });
    return found;
  }
}

/** The recovery partition is Windows' neighbour only if it stands right of the compartment, or goes into it. */
function restsOf(
  board: Board,
  at: Skeleton,
  { right }: Compartment,
  way: Option,
  askedWith: (slots: number) => { asked: number; givenBytes: number } | null,
): Option[] {
  if (board.recovery < 0 || board.windows !== board.target) return [way];
  const recovery = board.pieces[board.recovery]!;
  if (right === recovery) return [{ ...way, givesUp: 0 }];
  const pending = at.pending.some(({ piece }) => piece === recovery.id);
  if (!pending && !at.order.includes(recovery.id)) return [way];
  const slots = recovery.shrinks.length > 0 ? 0 : recovery.slots - recovery.asideMost;
  const asked = askedWith(slots);
  const rests: Option[] = [{ ...way, givesUp: 1 }];
  if (!asked) return rests;
  const counted = pending || (way.pieces & bit(recovery.id)) !== 0 || at.place[recovery.id]! >= 0;
  const out = cheapestWayOut(at, recovery);
  if (counted) rests.push({ ...way, ...asked, givesUp: 0 });
  else if (out) {
    rests.push({
      ...way,
      steps: way.steps + out.steps,
      bytes: way.bytes + out.bytes,
      pieces: way.pieces | bit(recovery.id),
      ...asked,
      givesUp: 0,
    });
  }
  return rests;
}
