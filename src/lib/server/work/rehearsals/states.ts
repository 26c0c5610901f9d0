import type { RehearsalProgress } from '$contract/rehearsals';

/** Progress of a rehearsal before it has begun. */
export const AT_FIRST: RehearsalProgress = {
  phase: 'waiting',
  files: null,
  step: 0,
  arrived: 0,
  toArrive: 0,
  backing: false,
  journal: 0,
  written: [],
  took: [],
  rate: null,
  factor: null,
  cuts: 0,
};

/** Whether a run has written to its disk. */
export const isBegun = ({ phase }: RehearsalProgress): boolean =>
  phase === 'carrying-out' || phase === 'after';
