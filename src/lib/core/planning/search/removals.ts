import { NO_TOOLS, windowsAlone } from '../../tools';
import { MADE_ANEW } from '../usual';
import { at, behindOf, mustDecrypt, type Expansion } from './expansion';
import { extenders, type Block } from './searchProblem';
import { addPrecedence, afterStep, bit, type Act, type Skeleton } from './skeleton';

/** A block leaves the disk: deleted, set aside or copied out, which needs no room on it. */
export function addRemovals(
  { context: { problem }, from, children }: Expansion,
  block: Block,
  index: number,
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
 * The target, which is the Windows volume, is extended by what the image lacks, and then the recovery partition is set
 * aside. The first extension takes room that is there, or was made by steps before.
 */
export function setAsideLate(
  { context, from, narrow, children }: Expansion,
  block: Block,
  index: number,
): void {
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
