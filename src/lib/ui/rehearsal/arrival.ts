import type { Basin } from '$core/chart';
import { overlaps } from '$core/disk';
import type { Step } from '$core/steps';

/** How much of a step has been done, 0..1. */
export const shareOf = ({ arrived, toArrive }: { arrived: number; toArrive: number }): number =>
  toArrive > 0 ? Math.min(1, arrived / toArrive) : 0;

/**
 * The part of a basin that holds what has arrived: it fills from the end that is reached first (domain facts 9).
 * Pixels.
 */
export function computeArrivedPart(
  { x, width }: Pick<Basin, 'x' | 'width'>,
  share: number,
  toRight: boolean,
): { x: number; width: number } {
  const filled = width * share;
  return { x: toRight ? x + width - filled : x, width: filled };
}

/**
 * Whether what moves arrives from its far end on: it slides to the right. What goes clear of its old place arrives from
 * its beginning.
 */
export const goesRight = (step: Step): boolean =>
  step.verb === 'move' && step.from.first < step.to.first && overlaps(step.from, step.to);
