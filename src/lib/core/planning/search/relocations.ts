import { either, NO_TOOLS, type ToolSet } from '../../tools';
import { MADE_ANEW } from '../usual';
import {
  at,
  behindOf,
  isFramed,
  movedTo,
  mustDecrypt,
  type ExpansionCost,
  type Expansion,
} from './expansion';
import type { Block } from './searchProblem';
import {
  addPrecedence,
  addSlide,
  afterStep,
  bit,
  statusOf,
  unmovedOf,
  type Act,
  type Skeleton,
  type Slide,
} from './skeleton';

/** The tools that can move a block now, and whether it has to be decrypted for them; 0: none. */
function moversOf(from: Skeleton, block: Block): { tools: ToolSet; decrypt: boolean } {
  if (from.decrypted & bit(block.id)) {
    return { tools: either(block.movers, block.moversOnceDecrypted), decrypt: false };
  }
  if (block.movers) return { tools: block.movers, decrypt: false };
  return { tools: block.moversOnceDecrypted, decrypt: block.moversOnceDecrypted !== 0 };
}

/** A block moves, over its own place or clear of it, or past others. */
export function moves(expansion: Expansion, block: Block, index: number): void {
  const { from } = expansion;
  const { tools, decrypt } = moversOf(from, block);
  if (tools === NO_TOOLS) return;
  const frame = block.kind === 'open' || block.kind === 'close';
  const flavours: readonly Slide[] =
    block.moveBytes > 0 && !frame ? ['clear-right', 'clear-left', 'right', 'left'] : ['right', 'left'];
  const act = (to: number): Act =>
    frame ? { kind: 'resize', block: block.id, to } : { kind: 'move', block: block.id, to, decrypt };
  const cost = {
    bytes: block.moveBytes + (decrypt ? block.decryptBytes! : 0),
    steps: decrypt ? 2 : 1,
    tools,
    waiting: block.atRestart,
    decrypt,
  };
  // The cost is the same wherever the block goes: if no route with it is wanted, no place needs to be tried.
  const { may } = expansion.narrow;
  const still = { ...cost, exposed: 0 };
  if (!may(block, still, 0)) return;
  for (const how of flavours) {
    const exposed = how === 'right' || how === 'left' ? block.moveBytes : 0;
    relocated(expansion, block, { index, behind: index, how }, act, { ...cost, exposed });
  }
  if (frame) return;
  for (let behind = -1; behind < from.order.length; behind++) {
    if (behind === index || behind === index - 1) continue;
    if (isFramed(expansion, behind) !== (block.kind === 'logical')) continue;
    relocated(expansion, block, { index, behind }, act, still);
  }
}

/** Copies into a new volume: like a move clear of its former place, by any tool, in three steps. */
export function addCopies(expansion: Expansion, block: Block, index: number): void {
  const { from } = expansion;
  if (from.remade & bit(block.id)) return;
  if (block.kind === 'primary' && from.entries < 1) return;
  for (const way of block.copies) {
    const decrypt = mustDecrypt(from, block, way.decrypted);
    const cost = {
      bytes: block.copyBytes + (decrypt ? block.decryptBytes! : 0),
      steps: decrypt ? 4 : 3,
      tools: way.tools,
      waiting: NO_TOOLS,
      exposed: 0,
      decrypt,
    };
    if (!expansion.narrow.may(block, cost, 0)) continue;
    const act = (to: number): Act => ({ kind: 'copy-in', block: block.id, to, way });
    for (let behind = -1; behind < from.order.length; behind++) {
      if (isFramed(expansion, behind) !== (block.kind === 'logical')) continue;
      if (behind === index - 1 || behind === index) {
        // Between the same neighbours, beside the old one, which still stands there.
        const how: Slide = behind === index ? 'clear-right' : 'clear-left';
        relocated(expansion, block, { index, behind: index, how, anew: true }, act, cost);
      } else {
        relocated(expansion, block, { index, behind, anew: true }, act, cost);
      }
    }
  }
}

/**
 * Where a block goes: from the `index`-th of the order behind the `behind`-th, by a slide or past others, as itself or
 * made anew.
 */
interface Going {
  index: number;
  behind: number;
  how?: Slide;
  anew?: boolean;
}

/**
 * What stood before a block that goes, and what stands on either side of it afterwards; null: the bounds of the disk.
 */
interface Neighbours {
  oldLeft: Block | null;
  left: Block | null;
  right: Block | null;
}

/**
 * The skeleton after a block went to the place behind the `behind`-th of the order: the same order where that
 * is its own place. What is cheap to rule out is ruled out before anything is made.
 */
function relocated(
  expansion: Expansion,
  block: Block,
  { index, behind, how, anew = false }: Going,
  act: (to: number) => Act,
  cost: ExpansionCost,
): void {
  const { context, from, narrow, children } = expansion;
  const { problem } = context;
  const { order } = from;
  const stays = how !== undefined;
  const [oldLeft, oldRight] = [at(problem, order, index - 1), at(problem, order, index + 1)];
  const left = stays ? oldLeft : at(problem, order, behind);
  const right = stays ? oldRight : at(problem, order, behind + 1);
  if (!hasRoom(expansion, block, left, right, anew)) return;
  const restores = !stays && context.usual === true && restoresOrder(expansion, block, index, behind);
  const freed = freedAfter(
    expansion,
    block,
    { oldLeft, left, right },
    how,
    (anew && block.shrinks.length > 0) || restores,
  );
  if (!narrow.may(block, cost, freed)) return;
  const moved = stays ? order : movedTo(order, index, left);
  if (!isWorthTwo(from, block, moved, cost.exposed > 0, anew)) return;
  const steps = from.steps + cost.steps;
  const bytes = from.bytes + cost.bytes;
  const exposed = from.exposed + cost.exposed;

  const place = from.place.slice();
  place[block.id] = from.count;
  const next: Skeleton = {
    ...from,
    place,
    count: from.count + 1,
    remade: anew ? from.remade | bit(block.id) : from.remade,
    freed,
    acts: { before: from.acts, act: act(from.count) },
    bytes,
    exposed,
    steps,
    restarts: afterStep(problem, from.restarts, cost.tools, cost.waiting),
    moved: true,
    madeAnew: anew ? from.madeAnew + MADE_ANEW.copied : from.madeAnew,
    booted: block.bootedFrom ? from.booted | bit(block.id) : from.booted,
    order: moved,
    last: { block: block.id, order, anew, exposed: cost.exposed > 0 },
  };
  if (how !== 'left' && how !== 'right' && from.place[block.id]! < 0) {
    const walls = unmovedOf(from) & ~bit(block.id);
    const then = { block: block.id, anew, walls, status: statusOf(problem, from) };
    next.cleared = [...from.cleared, then];
  }
  if (cost.decrypt) next.decrypted = from.decrypted | bit(block.id);
  if (block.id === problem.target) next.targetMoves = from.targetMoves + 1;
  const edges = [...from.edges];
  if (how) {
    // A new volume to the left must end before the old one, by its own size, which is not the old one's.
    const own = anew && how === 'clear-left' ? { ...from, remade: next.remade } : from;
    addSlide(context, own, block, { to: from.count, how }, edges);
  }
  addPrecedence(context, next, left, block, edges);
  addPrecedence(context, next, block, right, edges);
  next.edges = edges;
  children.push(next);
}

/** Whether fewer pairs stand the other way round than as found once a block went past others. */
function restoresOrder(
  { context: { problem }, from: { order } }: Expansion,
  block: Block,
  index: number,
  behind: number,
): boolean {
  let change = 0;
  for (let i = Math.min(index, behind + 1); i <= Math.max(index, behind); i++) {
    const other = problem.blocks[order[i]!]!;
    if (other === block || other.kind === 'open' || other.kind === 'close') continue;
    change += block.first > other.first === behind > index ? -1 : 1;
  }
  return change < 0;
}

/**
 * A block that goes twice in a row could go at once, unless it comes back over the place that it left: then only a
 * leap, clear of its place both times, or a copy of its files is worth the second step.
 */
function isWorthTwo(
  { last }: Skeleton,
  { id }: Block,
  order: readonly number[],
  exposed: boolean,
  anew: boolean,
): boolean {
  if (last?.block !== id) return true;
  if (order.some((one, i) => one !== last.order[i])) return false;
  return anew || last.anew || !(exposed || last.exposed);
}

/** Whether the block can fit between two others at all, as near and as far as those can lie. */
function hasRoom(
  expansion: Expansion,
  block: Block,
  left: Block | null,
  right: Block | null,
  anew: boolean,
): boolean {
  const { problem, aim } = expansion.context;
  const start = left ? expansion.endLeast[left.id]! : problem.area.first / problem.slot;
  const stop = right
    ? expansion.startGreatest[right.id]!
    : aim.end < 0
      ? problem.area.end / problem.slot
      : Infinity;
  return start + (anew ? expansion.anew : expansion.smallest)[block.id]! <= stop + 1e-9;
}

/**
 * Room that was freed and that nothing took yet. A step whose room nobody ever takes could be left out, so a route that
 * still has such room at its end is beaten; only what moves for the sake of its own place is exempt: the target, the
 * recovery partition that comes back behind Windows, or Windows before it, a volume that is copied after it was shrunk,
 * since the new one may be larger again, what restores the order where that counts (`ownSake`), and a donor that comes
 * back to where it can grow back.
 */
function freedAfter(
  { context: { problem }, from }: Expansion,
  block: Block,
  { oldLeft, left, right }: Neighbours,
  how: Slide | undefined,
  ownSake: boolean,
): number {
  const again = (problem.growable & bit(block.id)) !== 0;
  const exempt =
    ownSake ||
    again ||
    block.id === problem.target ||
    (block.id === problem.recovery && left !== null && left.id === problem.windows) ||
    (block.id === problem.windows && right !== null && right.id === problem.recovery);
  let { freed } = from;
  if (how === 'clear-right' || how === 'right') {
    freed = (freed & ~bit(block.id)) | (exempt ? 0 : behindOf(oldLeft));
  } else if (how === 'clear-left' || how === 'left') {
    freed = (freed & ~behindOf(oldLeft)) | (exempt ? 0 : bit(block.id));
  } else {
    // Room behind the block now lies behind its former left neighbour.
    const inherited = freed & bit(block.id) ? behindOf(oldLeft) : 0;
    freed = (freed & ~bit(block.id)) | inherited | (exempt ? 0 : behindOf(oldLeft));
    freed &= ~behindOf(left);
  }
  return freed;
}
