import type { SearchContext } from './context';
import { findGreatestPlaces, findLeastPlaces } from './differenceConstraints';
import type { ToolSet } from '../../tools';
import type { SearchProblem, Block } from './searchProblem';
import { bit, isInsideFrame, slackOf, START, type Skeleton } from './skeleton';

/** Addition of a step. */
export interface ExpansionCost {
  bytes: number;
  exposed: number;
  steps: number;
  tools: ToolSet;
  waiting: ToolSet;
  decrypt: boolean;
}

/** Tests that a child must pass before it is made, since making it costs more. */
export interface Narrow {
  targetMoves: boolean;
  /** Whether a step of the block with these costs is still asked for, with these freed rooms then to be taken. */
  may: (block: Block, cost: ExpansionCost, freed: number) => boolean;
}

/** A skeleton with how near and how far its blocks can lie, in slots; made once for all its children. */
export interface Expansion {
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
  children: Skeleton[];
}

/** The block at a place of the order; null: the bounds of the disk. */
export const at = (problem: SearchProblem, order: readonly number[], index: number): Block | null =>
  index < 0 || index >= order.length ? null : problem.blocks[order[index]!]!;
/** Sign of room that was freed behind a block, or at the start of the disk. */
export const behindOf = (block: Block | null): number => (block ? bit(block.id) : START);

/** The expansion of a skeleton that is possible. */
export function expansionOf(context: SearchContext, from: Skeleton, narrow: Narrow): Expansion {
  const { problem } = context;
  const { edges, count, place } = from;
  const { all } = context.limits;
  const least = findLeastPlaces(edges, count, all)!;
  const greatest = findGreatestPlaces(edges, count, all);
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
  const framed = frames ? from.order.map((_, behind) => isInsideFrame(problem, from.order, behind)) : null;
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

/** Whether the place behind the i-th of the order lies in the extended partition. */
export const isFramed = ({ framed }: Expansion, behind: number): boolean =>
  behind >= 0 && (framed?.[behind] ?? false);

/** The fewest slots that a block can have. */
function smallest(block: Block, slack: number, all: Int32Array, slot: number): number {
  const exact = block.sectors / slot;
  return slack < 0 || all[slack] === 0 ? exact : Math.min(exact, block.slots - all[slack]!);
}

/** Whether a block has to be decrypted before it is copied. */
export const mustDecrypt = (from: Skeleton, block: Block, needed: boolean): boolean =>
  needed && (from.decrypted & bit(block.id)) === 0 && block.decryptBytes !== null;

/** The order once the `index`-th block stands behind another, or first. */
export function movedTo(order: readonly number[], index: number, left: Block | null): number[] {
  const id = order[index]!;
  const moved = left ? [] : [id];
  for (const other of order) {
    if (other === id) continue;
    moved.push(other);
    if (other === left?.id) moved.push(id);
  }
  return moved;
}
