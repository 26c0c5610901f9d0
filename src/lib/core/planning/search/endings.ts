import { selectAllTools, NO_TOOLS, windowsAlone, type ToolSet } from '../../tools';
import { MADE_ANEW } from '../usual';
import type { SearchContext } from './context';
import type { Constraint } from './differenceConstraints';
import { at, behindOf, movedTo, mustDecrypt } from './expansion';
import type { Block, SearchProblem, Smaller } from './searchProblem';
import {
  addPrecedence,
  addSlide,
  afterStep,
  bit,
  isInsideFrame,
  type Skeleton,
  type Slide,
} from './skeleton';

/**
 * A place for a block that comes onto the disk: behind the `behind`-th of the order, between two; its start is a new
 * position.
 */
interface Gap {
  behind: number;
  left: Block | null;
  right: Block | null;
  place: Int16Array;
}

function* gaps(
  problem: SearchProblem,
  { order, place: before, count }: Skeleton,
  block: Block,
): Generator<Gap> {
  for (let behind = -1; behind < order.length; behind++) {
    if (isInsideFrame(problem, order, behind) !== (block.kind === 'logical')) continue;
    const place = before.slice();
    place[block.id] = count;
    yield { behind, left: at(problem, order, behind), right: at(problem, order, behind + 1), place };
  }
}

/**
 * Every skeleton in which the target has its size: extended, copied to a volume that has it, or off the disk and to
 * come back with it.
 */
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
 * The skeleton once the target's files are in a new volume that is as large as is asked for, in each place that there
 * is for it: clear of the old one, which stands there until it is deleted.
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
  // While both stand there the new one lies between two, of which one may be the old one.
  for (const { left, right, place } of gaps(problem, from, target)) {
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
      restarts: afterStep(problem, from.restarts, selectAllTools(problem.kit), NO_TOOLS),
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
      // To the left the new one must end before the old one, by its own size; to the right it begins behind the old
      // one.
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

/**
 * Every place at which the first of the pending blocks can come back onto the disk. What that costs was counted when it
 * left.
 */
export function bringBack(context: SearchContext, from: Skeleton): Skeleton[] {
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
    for (const { behind, left, right, place } of gaps(problem, from, block)) {
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
            : afterStep(problem, from.restarts, selectAllTools(problem.kit), NO_TOOLS),
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
