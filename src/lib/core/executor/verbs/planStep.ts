import { failure, success } from '../../problem';
import type { Step } from '../../steps';
import { planCopy } from './copy';
import { planCreate } from './create';
import type { PlanContext, Planned } from './ground';
import { planMove } from './move';
import { planDelete, planEnlarge, planPutBack, planRelocate, planSetAside } from './others';
import { planExtend, planShrink } from './resize';

/** Plan of a step on the disk as it is now, or the reason why it is not begun. Nothing is written to the disk. */
export async function planStep(ground: PlanContext, step: Step): Promise<Planned> {
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
    case 'make-table':
    case 'clone':
    case 'boot-check':
    case 'convert-volume':
    case 'convert-table':
    case 'join':
    case 'move-folders':
      return failure({
        code: 'windows-only',
        path: '',
        message: 'The bench does not do this: it needs Windows itself, or another disk.',
      });
    case 'shrink':
      return planShrink(ground, step);
    case 'create':
      return planCreate(ground, step);
    case 'copy':
      return planCopy(ground, step);
  }
}
