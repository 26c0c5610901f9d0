import type { SearchContext } from './context';
import { greatestPlaces, leastPlaces, type Constraint } from './differenceConstraints';
import { allTools, either, NO_TOOLS, windowsAlone, type ToolSet } from '../../tools';
import { MADE_ANEW, orderChanges } from '../usual';
import { placesOf } from './usualLeast';
import { extenders, type SearchProblem, type Block, type Smaller } from './searchProblem';
import {
  afterStep,
  bit,
  addPrecedence,
  insideFrame,
  slackOf,
  addSlide,
  START,
  statusOf,
  unmovedOf,
  type Act,
  type Skeleton,
  type Slide,
} from './skeleton';

type Child = Skeleton;

/** Tests that a child must pass before it is made, since making it costs more. */
export interface Narrow {
  targetMoves: boolean;
  /** Whether a step of the block with these costs is still asked for, with these freed rooms then to be taken. */
  may: (block: Block, cost: Cost, freed: number) => boolean;
}

/** A skeleton with how near and how far its blocks can lie, in slots; made once for all its children. */
interface Expansion {
  context: SearchContext;
  from: Skeleton;
  narrow: Narrow;
  /** The least slot that can follow the block, and the greatest at which it can start. */
  endLeast: Float64Array;
  startGreatest: Float64Array;
  /** The fewest slots of each block as it stands, and made anew. */
  smallest: Float64Array;
  anew: Float64Array;
  /** Whether the place behind the i-th of the order lies in the extended partition; null: there is none. */
  framed: readonly boolean[] | null;
  children: Child[];
}

const at = (problem: SearchProblem, order: readonly number[], index: number): Block | null =>
  index < 0 || index >= order.length ? null : problem.blocks[order[index]!]!;
const behindOf = (block: Block | null): number => (block ? bit(block.id) : START);

/** Every skeleton that is one act longer, as far as `narrow` asks for it. */
export function expand(context: SearchContext, from: Skeleton, narrow: Narrow): Child[] {
  const { problem } = context;
  const expansion = expansionOf(context, from, narrow);
  from.order.forEach((id, index) => {
    const block = problem.blocks[id]!;
    if (id === problem.target && !narrow.targetMoves) return;
    // A step that frees room and needs none can always be done first, so it is only tried there.
    if (!from.moved) removals(problem, from, block, index, expansion.children);
    if (block.asideNeeds > 0) asideLate(expansion, block, index);
    moves(expansion, block, index);
    copiesIn(expansion, block, index);
  });
  return expansion.children;
}

function expansionOf(context: SearchContext, from: Skeleton, narrow: Narrow): Expansion {
  const { problem } = context;
  const { edges, count, place } = from;
  const { all } = context.limits;
  const least = leastPlaces(edges, count, all)!;
  const greatest = greatestPlaces(edges, count, all);
  const endLeast = new Float64Array(problem.blocks.length);
  const startGreatest = new Float64Array(problem.blocks.length);
  const smallestOf = new Float64Array(problem.blocks.length);
  const anew = new Float64Array(problem.blocks.length);
  for (const block of problem.blocks) {
    const own = place[block.id]!;
    const start = own < 0 ? block.first / problem.slot : least[own]!;
    smallestOf[block.id] = smallest(block, slackOf(problem, from, block), all, problem.slot);
    anew[block.id] = smallest(block, problem.blocks.length + block.id, all, problem.slot);
    endLeast[block.id] = start + smallestOf[block.id]!;
    startGreatest[block.id] = own < 0 ? block.first / problem.slot : greatest[own]!;
  }
  const frames = problem.blocks.some(({ kind }) => kind === 'open');
  const framed = frames ? from.order.map((_, behind) => insideFrame(problem, from.order, behind)) : null;
  return {
    framed,
    context,
    from,
    narrow,
    endLeast,
    startGreatest,
    smallest: smallestOf,
    anew,
    children: [],
  };
}

const isFramed = ({ framed }: Expansion, behind: number): boolean =>
  behind >= 0 && (framed?.[behind] ?? false);

/** The fewest slots that a block can have. */
function smallest(block: Block, slack: number, all: Int32Array, slot: number): number {
  const exact = block.sectors / slot;
  return slack < 0 || all[slack] === 0 ? exact : Math.min(exact, block.slots - all[slack]!);
}

function removals(
  problem: SearchProblem,
  from: Skeleton,
  block: Block,
  index: number,
  children: Child[],
): void {
  // Of several, in the order of their numbers: any other order is the same.
  for (let one = from.acts; one; one = one.before) if ('block' in one.act && one.act.block > block.id) return;
  const order = from.order.filter((_, i) => i !== index);
  const left = at(problem, from.order, index - 1);
  const isTarget = block.id === problem.target;
  const freed = isTarget ? from.freed : (from.freed & ~bit(block.id)) | behindOf(left);
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
  const { id } = block;
  if (block.deletable && id !== problem.target) {
    gone({ kind: 'delete', block: id }, 1, 0, { entries: from.entries + 1 });
  }
  if (block.asideBytes !== null && block.asideNeeds === 0) {
    const pending = [...from.pending, { block: id, act: 'put-back' as const }];
    const madeAnew = from.madeAnew + MADE_ANEW.aside;
    gone({ kind: 'set-aside', block: id }, 2, 2 * block.asideBytes, { pending, madeAnew });
  }
  if (block.copies.length === 0) return;
  const decrypt = mustDecrypt(from, block, block.copies[0]!.decrypted);
  problem.outside.forEach((_, place) => {
    if (from.outsideLeft[place]! < block.copyBytes) return;
    const outsideLeft = from.outsideLeft.map((bytes, i) => (i === place ? bytes - block.copyBytes : bytes));
    const pending = [...from.pending, { block: id, act: 'copy-back' as const }];
    gone(
      { kind: 'copy-out', block: id, place },
      4 + (decrypt ? 1 : 0),
      2 * block.copyBytes + (decrypt ? block.decryptBytes! : 0),
      {
        pending,
        outsideLeft,
        decrypted: decrypt ? from.decrypted | bit(id) : from.decrypted,
        madeAnew: from.madeAnew + MADE_ANEW.copied,
        targetMoves: from.targetMoves + (isTarget ? 1 : 0),
      },
    );
  });
}

/**
 * The target, which is the Windows volume, is extended by what the image lacks, and then the recovery partition is set aside. The first
 * extension takes room that is there, or was made by steps before.
 */
function asideLate({ context, from, narrow, children }: Expansion, block: Block, index: number): void {
  const { problem, aim } = context;
  const target = problem.blocks[problem.target]!;
  const slots = block.asideNeeds;
  if (from.remade & bit(block.id) || target.sectors + slots * problem.slot >= aim.goal) return;
  const extending = extenders(problem, (from.decrypted & bit(target.id)) !== 0);
  if (extending === NO_TOOLS) return;
  const tools = windowsAlone(problem.kit);
  const freed = (from.freed & ~bit(block.id)) | behindOf(at(problem, from.order, index - 1));
  const bytes = 2 * block.asideBytes!;
  const cost = { bytes, exposed: 0, steps: 3, tools, waiting: NO_TOOLS, decrypt: false };
  if (!narrow.may(block, cost, freed)) return;
  const right = at(problem, from.order, from.order.indexOf(target.id) + 1);
  const widened = { ...from, widened: slots };
  const edges = [...from.edges];
  if (!addPrecedence(context, widened, target, right, edges)) return;
  const before = { before: from.acts, act: { kind: 'widen' as const, slots, right: right?.id ?? null } };
  const extended = afterStep(problem, from.restarts, extending, NO_TOOLS);
  children.push({
    ...widened,
    acts: { before, act: { kind: 'aside-late', block: block.id } },
    edges,
    order: from.order.filter((id) => id !== block.id),
    pending: [...from.pending, { block: block.id, act: 'put-back' }],
    freed,
    steps: from.steps + cost.steps,
    bytes: from.bytes + bytes,
    restarts: afterStep(problem, extended, tools, NO_TOOLS),
    madeAnew: from.madeAnew + MADE_ANEW.aside,
    last: null,
  });
}

const mustDecrypt = (from: Skeleton, block: Block, needed: boolean): boolean =>
  needed && (from.decrypted & bit(block.id)) === 0 && block.decryptBytes !== null;

/** The tools that can move a block now, and whether it has to be decrypted for them; 0: none. */
function moversOf(from: Skeleton, block: Block): { tools: ToolSet; decrypt: boolean } {
  if (from.decrypted & bit(block.id)) {
    return { tools: either(block.movers, block.moversOnceDecrypted), decrypt: false };
  }
  if (block.movers) return { tools: block.movers, decrypt: false };
  return { tools: block.moversOnceDecrypted, decrypt: block.moversOnceDecrypted !== 0 };
}

function moves(expansion: Expansion, block: Block, index: number): void {
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
function copiesIn(expansion: Expansion, block: Block, index: number): void {
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

/** What a step adds. */
export interface Cost {
  bytes: number;
  exposed: number;
  steps: number;
  tools: ToolSet;
  waiting: ToolSet;
  decrypt: boolean;
}

/** Where a block goes: from the `index`-th of the order behind the `behind`-th, by a slide or past others, as itself or made anew. */
interface Going {
  index: number;
  behind: number;
  how?: Slide;
  anew?: boolean;
}

/** What stood before a block that goes, and what stands on either side of it afterwards; null: the bounds of the disk. */
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
  cost: Cost,
): void {
  const { context, from, narrow, children } = expansion;
  const { problem } = context;
  const { order } = from;
  const stays = how !== undefined;
  const [oldLeft, oldRight] = [at(problem, order, index - 1), at(problem, order, index + 1)];
  const left = stays ? oldLeft : at(problem, order, behind);
  const right = stays ? oldRight : at(problem, order, behind + 1);
  if (!hasRoom(expansion, block, left, right, anew)) return;
  const moved = stays ? order : movedTo(order, index, left);
  const restores =
    !stays &&
    context.usual === true &&
    orderChanges(placesOf(problem, moved)) < orderChanges(placesOf(problem, order));
  const freed = freedAfter(
    expansion,
    block,
    { oldLeft, left, right },
    how,
    (anew && block.shrinks.length > 0) || restores,
  );
  if (!narrow.may(block, cost, freed)) return;
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

function movedTo(order: readonly number[], index: number, left: Block | null): number[] {
  const rest = order.filter((_, i) => i !== index);
  const to = rest.indexOf(left ? left.id : -1) + 1;
  return [...rest.slice(0, to), order[index]!, ...rest.slice(to)];
}

/**
 * A block that goes twice in a row could go at once, unless it comes back over the place that it left: then only a leap, clear of
 * its place both times, or a copy of its files is worth the second step.
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
 * Room that was freed and that nothing took yet. A step whose room nobody ever takes could be left out, so a
 * route that still has such room at its end is beaten; only what moves for the sake of its own place is exempt:
 * the target, the recovery partition that comes back behind Windows, or Windows before it, a volume that is copied after it was shrunk,
 * since the new one may be larger again, what restores the order where that counts
 * (`ownSake`), and a donor that comes back to where it can grow back.
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
    // What lay behind the block now lies behind its former left neighbour.
    const inherited = freed & bit(block.id) ? behindOf(oldLeft) : 0;
    freed = (freed & ~bit(block.id)) | inherited | (exempt ? 0 : behindOf(oldLeft));
    freed &= ~behindOf(left);
  }
  return freed;
}

/** Every skeleton in which the target has its size: extended, copied to a volume that has it, or off the disk and to come back with it. */
export function ended(context: SearchContext, from: Skeleton, tools: ToolSet): Skeleton[] {
  if (!from.order.includes(context.problem.target)) return [{ ...from, extended: true }];
  const one = tools === NO_TOOLS ? null : extended(context, from, tools);
  return one ? [one] : [];
}

/** The skeleton once the target is extended, or null where its right neighbour stands still too near. */
function extended(context: SearchContext, from: Skeleton, tools: ToolSet): Skeleton | null {
  const { problem } = context;
  const index = from.order.indexOf(problem.target);
  const next: Skeleton = { ...from, extended: true };
  const edges: Constraint[] = [];
  const target = problem.blocks[problem.target]!;
  if (!addPrecedence(context, next, target, at(problem, from.order, index + 1), edges)) return null;
  next.edges = [...from.edges, ...edges];
  next.acts = { before: from.acts, act: { kind: 'extend' } };
  next.steps = from.steps + 1;
  next.restarts = afterStep(problem, from.restarts, tools, NO_TOOLS);
  next.beforeExtension = { restarts: from.restarts, tools };
  next.freed = from.freed & ~bit(problem.target);
  return next;
}

/**
 * The skeleton once the target's files are in a new volume that is as large as is asked for, in each place that there is for it: clear of
 * the old one, which stands there until it is deleted.
 */
export function copiedTarget(context: SearchContext, from: Skeleton): Skeleton[] {
  const { problem } = context;
  const target = problem.blocks[problem.target]!;
  const [copy] = target.copies;
  if (!copy || from.targetMoves > 0 || !from.order.includes(target.id)) return [];
  if (target.kind === 'primary' && from.entries < 1) return [];
  const decrypt = mustDecrypt(from, target, copy.decrypted);
  const index = from.order.indexOf(target.id);
  const children: Skeleton[] = [];
  for (let behind = -1; behind < from.order.length; behind++) {
    if (insideFrame(problem, from.order, behind) !== (target.kind === 'logical')) continue;
    // While both stand there the new one lies between these two, of which one may be the old one.
    const left = at(problem, from.order, behind);
    const right = at(problem, from.order, behind + 1);
    const place = from.place.slice();
    place[target.id] = from.count;
    const next: Skeleton = {
      ...from,
      place,
      count: from.count + 1,
      extended: true,
      remade: from.remade | bit(target.id),
      targetMoves: 1,
      moved: true,
      steps: from.steps + (decrypt ? 4 : 3),
      bytes: from.bytes + target.copyBytes + (decrypt ? target.decryptBytes! : 0),
      decrypted: decrypt ? from.decrypted | bit(target.id) : from.decrypted,
      madeAnew: from.madeAnew + MADE_ANEW.copied,
      restarts: afterStep(problem, from.restarts, allTools(problem.kit), NO_TOOLS),
      order: movedTo(from.order, index, left === target ? at(problem, from.order, index - 1) : left),
      freed: from.freed & ~behindOf(left) & ~bit(target.id),
      acts: {
        before: from.acts,
        act: { kind: 'copy-target', block: target.id, to: from.count, decrypt },
      },
    };
    const edges: Constraint[] = [];
    if (left === target || right === target) {
      const how: Slide = left === target ? 'clear-right' : 'clear-left';
      // To the left the new one must end before the old one, by its own size; to the right it begins behind the old one.
      addSlide(
        context,
        how === 'clear-left' ? { ...from, extended: true } : from,
        target,
        { to: from.count, how },
        edges,
      );
    }
    if (left !== target) addPrecedence(context, next, left, target, edges);
    if (right !== target) addPrecedence(context, next, target, right, edges);
    next.edges = [...from.edges, ...edges];
    children.push(next);
  }
  return children;
}

/** Every place at which the first of the pending blocks can come back onto the disk. What that costs was counted when it left. */
export function broughtBack(context: SearchContext, from: Skeleton): Skeleton[] {
  const { problem } = context;
  const [first, ...pending] = from.pending;
  if (!first) return [];
  const block = problem.blocks[first.block]!;
  const ways: readonly Smaller[] =
    first.act === 'put-back'
      ? [{ tools: windowsAlone(problem.kit), most: block.asideMost, decrypted: false }]
      : block.copies;
  const children: Skeleton[] = [];
  for (const way of ways) {
    for (let behind = -1; behind < from.order.length; behind++) {
      if (insideFrame(problem, from.order, behind) !== (block.kind === 'logical')) continue;
      const left = at(problem, from.order, behind);
      const right = at(problem, from.order, behind + 1);
      const place = from.place.slice();
      place[block.id] = from.count;
      const next: Skeleton = {
        ...from,
        place,
        count: from.count + 1,
        pending,
        beforeExtension: null,
        remade: from.remade | bit(block.id),
        order: [...from.order.slice(0, behind + 1), block.id, ...from.order.slice(behind + 1)],
        freed: from.freed & ~behindOf(left),
        acts: { before: from.acts, act: { kind: first.act, block: block.id, to: from.count, way } },
        restarts:
          first.act === 'put-back'
            ? from.restarts
            : afterStep(problem, from.restarts, allTools(problem.kit), NO_TOOLS),
      };
      const edges: Constraint[] = [];
      addPrecedence(context, next, left, block, edges);
      addPrecedence(context, next, block, right, edges);
      next.edges = [...from.edges, ...edges];
      children.push(next);
    }
  }
  return children;
}
