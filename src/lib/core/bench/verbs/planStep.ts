import { success } from '../../problem';
import type { Step } from '../../steps';
import { refused, type Ground, type Planned } from './ground';
import { planMove } from './move';
import {
  planDelete,
  planEnlarge,
  planExtend,
  planPutBack,
  planRelocate,
  planSetAside,
  planShrink,
} from './others';

const NOT_YET: Partial<Record<Step['verb'], string>> = {
  shrink: 'A volume is not made smaller here so far.',
  create: 'A new volume is not made here so far.',
  copy: 'Files are not copied from volume to volume here so far.',
};

/**
 * Why the bench does not carry a step out, whatever the disk holds; null: it does.
 * What depends on bytes is asked for when the disk is there.
 */
export function notCarriedOut(step: Step, fileSystem: string | null): string | null {
  if (step.verb === 'shrink' && fileSystem === null) return null;
  if (step.verb === 'extend' && fileSystem !== null && fileSystem !== 'ntfs')
    return 'Only NTFS is extended here so far.';
  return NOT_YET[step.verb] ?? null;
}

/** What a step comes to on the disk as it is now, or why it is not begun. Nothing is written to the disk. */
export async function planStep(ground: Ground, step: Step): Promise<Planned> {
  switch (step.verb) {
    case 'move':
      return planMove(ground, step);
    case 'extend':
      return planExtend(ground, step);
    case 'delete':
      return planDelete(ground, step);
    case 'set-aside':
      return planSetAside(ground, step);
    case 'put-back':
      return planPutBack(ground, step);
    case 'relocate-table':
      return planRelocate(ground);
    case 'enlarge-disk':
      return planEnlarge(ground, step);
    case 'decrypt':
      // The stand-in is made as it will be once that is done.
      return success({ operations: [] });
    case 'shrink':
      return planShrink(ground, step);
    case 'create':
    case 'copy':
      return refused('not-yet', NOT_YET[step.verb]!);
  }
}
