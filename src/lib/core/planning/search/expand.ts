import type { Reach } from './reach';
import { greatestPlaces, leastPlaces, type Constraint } from './tension';
import { allTools, either, NO_TOOLS, windowsAlone, type ToolSet } from '../../tools';
import type { Board, Piece, Smaller } from './pieces';
import {
  afterStep,
  bit,
  follows,
  insideFrame,
  reliefOf,
  slides,
  START,
  statusOf,
  unmovedOf,
  type Act,
  type Aim,
  type Skeleton,
  type Slide,
} from './skeleton';

type Child = Skeleton;

/** What narrows the children down before they are made. */
export interface Narrow {
  reach: Reach;
  targetMoves: boolean;
  /** Whether a step of the piece with these costs is still asked for, with these freed rooms then to be taken. */
  may: (piece: Piece, cost: Cost, freed: number) => boolean;
}

/** A skeleton with how near and how far its pieces can lie, in slots; made once for all its children. */
interface Room {
  board: Board;
  aim: Aim;
  from: Skeleton;
  narrow: Narrow;
  /** The least slot that can follow the piece, and the greatest at which it can start. */
  endLeast: Float64Array;
  startGreatest: Float64Array;
  /** The fewest slots of each piece as it stands, and made anew. */
  smallest: Float64Array;
  anew: Float64Array;
  /** Whether the place behind the i-th of the order lies in the extended partition; null: there is none. */
  framed: readonly boolean[] | null;
  children: Child[];
}

const at = (board: Board, order: readonly number[], index: number): Piece | null =>
  index < 0 || index >= order.length ? null : board.pieces[order[index]!]!;
const behindOf = (piece: Piece | null): number => (piece ? bit(piece.id) : START);

/** Every skeleton that is one act longer, as far as `narrow` asks for it. */
export function expand(board: Board, aim: Aim, from: Skeleton, narrow: Narrow): Child[] {
  const room = roomOf(board, aim, from, narrow);
  from.order.forEach((id, index) => {
    const piece = board.pieces[id]!;
    if (id === board.target && !narrow.targetMoves) return;
    // What frees room without needing any comes first: later it could not do more.
    if (!from.moved) removals(board, from, piece, index, room.children);
    moves(room, piece, index);
    if (id !== board.target) copiesIn(room, piece, index);
  });
  return room.children;
}

function roomOf(board: Board, aim: Aim, from: Skeleton, narrow: Narrow): Room {
  const { edges, count, place } = from;
  const { all } = narrow.reach;
  const least = leastPlaces(edges, count, all)!;
  const greatest = greatestPlaces(edges, count, all);
  const endLeast = new Float64Array(board.pieces.length);
  const startGreatest = new Float64Array(board.pieces.length);
  const smallestOf = new Float64Array(board.pieces.length);
  const anew = new Float64Array(board.pieces.length);
  for (const piece of board.pieces) {
    const own = place[piece.id]!;
    const start = own < 0 ? piece.first / board.slot : least[own]!;
    smallestOf[piece.id] = smallest(piece, reliefOf(board, from, piece), all, board.slot);
    anew[piece.id] = smallest(piece, board.pieces.length + piece.id, all, board.slot);
    endLeast[piece.id] = start + smallestOf[piece.id]!;
    startGreatest[piece.id] = own < 0 ? piece.first / board.slot : greatest[own]!;
  }
  const frames = board.pieces.some(({ kind }) => kind === 'open');
  const framed = frames ? from.order.map((_, behind) => insideFrame(board, from.order, behind)) : null;
  return {
    framed,
    board,
    aim,
    from,
    narrow,
    endLeast,
    startGreatest,
    smallest: smallestOf,
    anew,
    children: [],
  };
}

const isFramed = ({ framed }: Room, behind: number): boolean => behind >= 0 && (framed?.[behind] ?? false);

/** The fewest slots that a piece can have. */
function smallest(piece: Piece, relief: number, all: Int32Array, slot: number): number {
  const exact = piece.sectors / slot;
  return relief < 0 || all[relief] === 0 ? exact : Math.min(exact, piece.slots - all[relief]!);
}

function removals(board: Board, from: Skeleton, piece: Piece, index: number, children: Child[]): void {
  // Of several, in the order of their numbers: any other order is the same.
  for (let one = from.acts; one; one = one.before) if ('piece' in one.act && one.act.piece > piece.id) return;
  const order = from.order.filter((_, i) => i !== index);
  const left = at(board, from.order, index - 1);
  const freed = (from.freed & ~bit(piece.id)) | behindOf(left);
  const gone = (act: Act, steps: number, bytes: number, more: Partial<Skeleton> = {}) =>
    children.push({
      ...from,
      acts: { before: from.acts, act },
      order,
      freed,
      steps: from.steps + steps,
      bytes: from.bytes + bytes,
      ...more,
    });
  const { id } = piece;
  if (piece.deletable && id !== board.target) {
    gone({ kind: 'delete', piece: id }, 1, 0, { entries: from.entries + 1 });
  }
  if (piece.asideBytes !== null) {
    const pending = [...from.pending, { piece: id, act: 'put-back' as const }];
    gone({ kind: 'set-aside', piece: id }, 2, 2 * piece.asideBytes, { pending });
  }
  if (piece.copies.length === 0) return;
  const decrypt = mustDecrypt(from, piece, piece.copies[0]!.decrypted);
  board.outside.forEach((_, place) => {
    if (from.outsideLeft[place]! < piece.copyBytes) return;
    const outsideLeft = from.outsideLeft.map((bytes, i) => (i === place ? bytes - piece.copyBytes : bytes));
    const pending = [...from.pending, { piece: id, act: 'copy-back' as const }];
    gone(
      { kind: 'copy-out', piece: id, place },
      4 + (decrypt ? 1 : 0),
      2 * piece.copyBytes + (decrypt ? piece.decryptBytes! : 0),
      { pending, outsideLeft, decrypted: decrypt ? from.decrypted | bit(id) : from.decrypted },
    );
  });
}

const mustDecrypt = (from: Skeleton, piece: Piece, needed: boolean): boolean =>
  needed && (from.decrypted & bit(piece.id)) === 0 && piece.decryptBytes !== null;

/** The tools that can move a piece now, and whether it has to be decrypted for them; 0: none. */
function moversOf(from: Skeleton, piece: Piece): { tools: ToolSet; decrypt: boolean } {
  if (from.decrypted & bit(piece.id)) {
    return { tools: either(piece.movers, piece.moversOnceDecrypted), decrypt: false };
  }
  if (piece.movers) return { tools: piece.movers, decrypt: false };
  return { tools: piece.moversOnceDecrypted, decrypt: piece.moversOnceDecrypted !== 0 };
}

function moves(room: Room, piece: Piece, index: number): void {
  const { from } = room;
  const { tools, decrypt } = moversOf(from, piece);
  if (tools === NO_TOOLS) return;
  const frame = piece.kind === 'open' || piece.kind === 'close';
  const flavours: readonly Slide[] =
    piece.moveBytes > 0 && !frame ? ['clear-right', 'clear-left', 'right', 'left'] : ['right', 'left'];
  const act = (to: number): Act =>
    frame ? { kind: 'resize', piece: piece.id, to } : { kind: 'move', piece: piece.id, to, decrypt };
  const cost = {
    bytes: piece.moveBytes + (decrypt ? piece.decryptBytes! : 0),
    steps: decrypt ? 2 : 1,
    tools,
    waiting: piece.atRestart,
    decrypt,
  };
  // Whatever becomes of it: where nothing is asked for even so, no place needs to be tried.
  const { may } = room.narrow;
  const still = { ...cost, exposed: 0 };
  if (!may(piece, still, 0)) return;
  for (const how of flavours) {
    const exposed = how === 'right' || how === 'left' ? piece.moveBytes : 0;
    relocated(room, piece, index, index, act, { ...cost, exposed }, how);
  }
  if (frame) return;
  for (let behind = -1; behind < from.order.length; behind++) {
    if (behind === index || behind === index - 1) continue;
    if (isFramed(room, behind) !== (piece.kind === 'logical')) continue;
    relocated(room, piece, index, behind, act, still);
  }
}

/** Copies into a new volume: like a move clear of its former place, by any tool, in three steps. */
function copiesIn(room: Room, piece: Piece, index: number): void {
  const { from } = room;
  if (from.remade & bit(piece.id)) return;
  if (piece.kind === 'primary' && from.entries < 1) return;
  for (const way of piece.copies) {
    const decrypt = mustDecrypt(from, piece, way.decrypted);
    const cost = {
      bytes: piece.copyBytes + (decrypt ? piece.decryptBytes! : 0),
      steps: decrypt ? 4 : 3,
      tools: way.tools,
      waiting: NO_TOOLS,
      exposed: 0,
      decrypt,
    };
    if (!room.narrow.may(piece, cost, 0)) continue;
    const act = (to: number): Act => ({ kind: 'copy-in', piece: piece.id, to, way });
    for (let behind = -1; behind < from.order.length; behind++) {
      if (isFramed(room, behind) !== (piece.kind === 'logical')) continue;
      if (behind === index - 1 || behind === index) {
        // Between the same neighbours, beside the old one, which still stands there.
        const how: Slide = behind === index ? 'clear-right' : 'clear-left';
        relocated(room, piece, index, index, act, cost, how, true);
      } else {
        relocated(room, piece, index, behind, act, cost, undefined, true);
      }
    }
  }
}

/** What a step adds. */
export interface Cost {
  bytes: number;
  exposed: number;
  steps: number;
  tools: ToolSet;
  waiting: ToolSet;
  decrypt: boolean;
}

/**
 * The skeleton after a piece went to the place behind the `behind`-th of the order: the same order where that
 * is its own place. What is cheap to rule out is ruled out before anything is made.
 */
function relocated(
  room: Room,
  piece: Piece,
  index: number,
  behind: number,
  act: (to: number) => Act,
  cost: Cost,
  how?: Slide,
  anew = false,
): void {
  const { board, aim, from, narrow, children } = room;
  const { order } = from;
  const stays = how !== undefined;
  const [oldLeft, oldRight] = [at(board, order, index - 1), at(board, order, index + 1)];
  const left = stays ? oldLeft : at(board, order, behind);
  const right = stays ? oldRight : at(board, order, behind + 1);
  if (!hasRoom(room, piece, left, right, anew)) return;
  const freed = freedAfter(board, from, piece, oldLeft, left, right, how, anew);
  if (!narrow.may(piece, cost, freed)) return;
  const moved = stays ? order : movedTo(order, index, left);
  if (!isWorthTwo(from, piece, moved, cost.exposed > 0, anew)) return;
  const steps = from.steps + cost.steps;
  const bytes = from.bytes + cost.bytes;
  const exposed = from.exposed + cost.exposed;

  const place = from.place.slice();
  place[piece.id] = from.count;
  const next: Skeleton = {
    ...from,
    place,
    count: from.count + 1,
    remade: anew ? from.remade | bit(piece.id) : from.remade,
    freed,
    acts: { before: from.acts, act: act(from.count) },
    bytes,
    exposed,
    steps,
    restarts: afterStep(board, from.restarts, cost.tools, cost.waiting),
    moved: true,
    order: moved,
    last: { piece: piece.id, order, anew, exposed: cost.exposed > 0 },
  };
  if (how !== 'left' && how !== 'right' && from.place[piece.id]! < 0) {
    const walls = unmovedOf(from) & ~bit(piece.id);
    const then = { piece: piece.id, anew, walls, status: statusOf(board, from) };
    next.cleared = [...from.cleared, then];
  }
  if (cost.decrypt) next.decrypted = from.decrypted | bit(piece.id);
  if (piece.id === board.target) next.targetMoves = from.targetMoves + 1;
  const edges = [...from.edges];
  if (how) {
    // A new volume to the left must end before the old one, by its own size, which is not the old one's.
    const own = anew && how === 'clear-left' ? { ...from, remade: next.remade } : from;
    slides(board, aim, own, piece, from.count, how, edges);
  }
  follows(board, aim, next, left, piece, edges);
  follows(board, aim, next, piece, right, edges);
  next.edges = edges;
  children.push(next);
}

function movedTo(order: readonly number[], index: number, left: Piece | null): number[] {
  const rest = order.filter((_, i) => i !== index);
  const to = rest.indexOf(left ? left.id : -1) + 1;
  return [...rest.slice(0, to), order[index]!, ...rest.slice(to)];
}

/**
 * A piece that goes twice in a row could go at once, unless it comes back over the place that it left: then only a leap, clear of
 * its place both times, or a copy of its files is worth the second step.
 */
function isWorthTwo(
  { last }: Skeleton,
  { id }: Piece,
  order: readonly number[],
  exposed: boolean,
  anew: boolean,
): boolean {
  if (last?.piece !== id) return true;
  if (order.some((one, i) => one !== last.order[i])) return false;
  return anew || last.anew || !(exposed || last.exposed);
}

/** Whether the piece can fit between two others at all, as near and as far as those can lie. */
function hasRoom(room: Room, piece: Piece, left: Piece | null, right: Piece | null, anew: boolean): boolean {
  const { board, aim } = room;
  const start = left ? room.endLeast[left.id]! : board.area.first / board.slot;
  const stop = right ? room.startGreatest[right.id]! : aim.end < 0 ? board.area.end / board.slot : Infinity;
  return start + (anew ? room.anew : room.smallest)[piece.id]! <= stop + 1e-9;
}

/**
 * Room that was freed and that nothing took yet. A step whose room nobody ever takes could be left out, so a
 * route that still has such room at its end is beaten; only what moves for the sake of its own place is exempt:
 * the target, the recovery partition that comes back behind Windows, or Windows before it, and a volume that is copied after it was shrunk,
 * since the new one may be larger again.
 */
function freedAfter(
  board: Board,
  from: Skeleton,
  piece: Piece,
  oldLeft: Piece | null,
  left: Piece | null,
  right: Piece | null,
  how: Slide | undefined,
  anew: boolean,
): number {
  const exempt =
    piece.id === board.target ||
    (anew && piece.shrinks.length > 0) ||
    (piece.id === board.recovery && left !== null && left.id === board.windows) ||
    (piece.id === board.windows && right !== null && right.id === board.recovery);
  let { freed } = from;
  if (how === 'clear-right' || how === 'right') {
    freed = (freed & ~bit(piece.id)) | (exempt ? 0 : behindOf(oldLeft));
  } else if (how === 'clear-left' || how === 'left') {
    freed = (freed & ~behindOf(oldLeft)) | (exempt ? 0 : bit(piece.id));
  } else {
    // What lay behind the piece now lies behind its former left neighbour.
    const inherited = freed & bit(piece.id) ? behindOf(oldLeft) : 0;
    freed = (freed & ~bit(piece.id)) | inherited | (exempt ? 0 : behindOf(oldLeft));
    freed &= ~behindOf(left);
  }
  return freed;
}

/** The skeleton once the target is extended, or null where its right neighbour stands still too near. */
export function extended(board: Board, aim: Aim, from: Skeleton, tools: ToolSet): Skeleton | null {
  const index = from.order.indexOf(board.target);
  const next: Skeleton = { ...from, extended: true };
  const edges: Constraint[] = [];
  const target = board.pieces[board.target]!;
  if (!follows(board, aim, next, target, at(board, from.order, index + 1), edges)) return null;
  next.edges = [...from.edges, ...edges];
  next.acts = { before: from.acts, act: { kind: 'extend' } };
  next.steps = from.steps + 1;
  next.restarts = afterStep(board, from.restarts, tools, NO_TOOLS);
  next.freed = from.freed & ~bit(board.target);
  return next;
}

/** Every way to bring the first of what is pending back onto the disk. Its cost was counted when it left. */
export function broughtBack(board: Board, aim: Aim, from: Skeleton): Skeleton[] {
  const [first, ...pending] = from.pending;
  if (!first) return [];
  const piece = board.pieces[first.piece]!;
  const ways: readonly Smaller[] =
    first.act === 'put-back'
      ? [{ tools: windowsAlone(board.kit), most: piece.asideMost, decrypted: false }]
      : piece.copies;
  const children: Skeleton[] = [];
  for (const way of ways) {
    for (let behind = -1; behind < from.order.length; behind++) {
      if (insideFrame(board, from.order, behind) !== (piece.kind === 'logical')) continue;
      const left = at(board, from.order, behind);
      const right = at(board, from.order, behind + 1);
      const place = from.place.slice();
      place[piece.id] = from.count;
      const next: Skeleton = {
        ...from,
        place,
        count: from.count + 1,
        pending,
        remade: from.remade | bit(piece.id),
        order: [...from.order.slice(0, behind + 1), piece.id, ...from.order.slice(behind + 1)],
        freed: from.freed & ~behindOf(left),
        acts: { before: from.acts, act: { kind: first.act, piece: piece.id, to: from.count, way } },
        restarts:
          first.act === 'put-back'
            ? from.restarts
            : afterStep(board, from.restarts, allTools(board.kit), NO_TOOLS),
      };
      const edges: Constraint[] = [];
      follows(board, aim, next, left, piece, edges);
      follows(board, aim, next, piece, right, edges);
      next.edges = [...from.edges, ...edges];
      children.push(next);
    }
  }
  return children;
}
