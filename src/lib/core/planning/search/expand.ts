import type { SearchContext } from './context';
import { expansionOf, type Narrow } from './expansion';
import { addCopies, moves } from './relocations';
import { setAsideLate, addRemovals } from './removals';
import type { Skeleton } from './skeleton';

/** Every skeleton that is one act longer, as far as `narrow` asks for it. */
export function expand(context: SearchContext, from: Skeleton, narrow: Narrow): Skeleton[] {
  const { problem } = context;
  const expansion = expansionOf(context, from, narrow);
  from.order.forEach((id, index) => {
    const block = problem.blocks[id]!;
    if (id === problem.target && !narrow.targetMoves) return;
    // A step that frees room and needs none can always be done first, so it is only tried there.
    if (!from.moved) addRemovals(expansion, block, index);
    if (block.asideNeeds > 0) setAsideLate(expansion, block, index);
    moves(expansion, block, index);
    addCopies(expansion, block, index);
  });
  return expansion.children;
}
