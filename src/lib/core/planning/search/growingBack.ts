import { NO_TOOLS, type ToolSet } from '../../tools';
import { grownBack, type Assignment } from './assign';
import type { SearchContext } from './context';
import type { Constraint } from './differenceConstraints';
import { countBits } from './packing';
import type { Block } from './searchProblem';
import { addPrecedence, afterStep, bit, countLeastRestarts, type Skeleton } from './skeleton';

/** Demands on an assignment whose donors grow back. */
interface Asked {
  /** Slots that the target takes. */
  grown: number;
  /**
   * Whether so many bytes are wanted with so many donors growing back, each in a step of its own, and so many slots
   * given in the end.
   */
  wanted: (bytes: number, growing: number, given: number) => boolean;
}

/** The same assignment once donors that it shrinks have grown back, one after the other, as far as that is wanted. */
export function* growingBack(
  context: SearchContext,
  at: Skeleton,
  assignment: Assignment,
  asked: Asked,
): Generator<Assignment> {
  const { problem } = context;
  const { grown, wanted } = asked;
  for (const { block: id, way } of assignment.used) {
    const block = problem.blocks[id]!;
    const growers = way.decrypted || at.decrypted & bit(id) ? block.growersOnceDecrypted : block.growers;
    // Each once, in the order of their numbers.
    if (at.regrown >= bit(id) || growers === NO_TOOLS || at.remade & bit(id)) continue;
    const more = countBits(at.regrown) + 1;
    if (!wanted(assignment.bytes, more, grown)) continue;
    const next = withGrown(context, at, block, growers);
    if (!next) continue;
    const found = grownBack(context, next, assignment, grown);
    // Room that was freed and that none of them takes could have been left.
    const taken = (next.freed & ~next.regrown) === 0;
    for (const one of taken ? found : []) if (wanted(one.bytes, more, one.given)) yield one;
    const rest = found.at(-1);
    if (rest && rest.given > grown) yield* growingBack(context, next, rest, asked);
  }
}

/** The skeleton with a donor that grows back; null: what it asks for in the end it asked for all along. */
function withGrown(context: SearchContext, at: Skeleton, block: Block, growers: ToolSet): Skeleton | null {
  const { problem } = context;
  const next: Skeleton = {
    ...at,
    regrown: at.regrown | bit(block.id),
    steps: at.steps + 1,
    beforeExtension: null,
    restarts: afterStep(problem, at.restarts, growers, NO_TOOLS),
    acts: { before: at.acts, act: { kind: 'grow-back', block: block.id } },
  };
  // Before the target's extension it may still belong to a mover's run.
  if (at.beforeExtension && at.acts) {
    const restarts = afterStep(problem, at.beforeExtension.restarts, growers, NO_TOOLS);
    const early = afterStep(problem, restarts, at.beforeExtension.tools, NO_TOOLS);
    if (Math.min(...early) < countLeastRestarts(next)) {
      const { before, act } = at.acts;
      next.beforeExtension = { ...at.beforeExtension, restarts };
      next.restarts = early;
      next.acts = { before: { before, act: { kind: 'grow-back', block: block.id } }, act };
    }
  }
  const edges: Constraint[] = [];
  const right = at.order[at.order.indexOf(block.id) + 1];
  addPrecedence(context, next, block, right === undefined ? null : problem.blocks[right]!, edges);
  const meanwhile = at.edges.some(
    ({ slack, from, to }) =>
      slack === block.id && !edges.some((last) => last.from === from && last.to === to),
  );
  return meanwhile ? { ...next, edges: [...at.edges, ...edges] } : null;
}
