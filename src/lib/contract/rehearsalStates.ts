/**
 * Words for what a rehearsal is on, in which state, and what it can be told: without shapes, so that pages may know
 * them.
 */

export const REHEARSAL_STATES = [
  'waiting',
  'running',
  'paused',
  'cut',
  'stepped-back',
  'ended',
  'cancelled',
  'failed',
] as const;
export type RehearsalState = (typeof REHEARSAL_STATES)[number];

/** States in which a rehearsal has files, and takes commands. */
export const ALIVE: readonly RehearsalState[] = ['waiting', 'running', 'paused', 'cut', 'stepped-back'];
/** States in which it is stopped within its route. */
export const STOPPED: readonly RehearsalState[] = ['paused', 'cut', 'stepped-back'];

/** Disk that a route is carried out on: a made-up one, a copy of an image on the server, or that image itself. */
export const RUN_PLACES = ['stand-in', 'copy', 'image'] as const;
export type RunPlace = (typeof RUN_PLACES)[number];

export const PACES = ['fast', 'drive'] as const;
export type Pace = (typeof PACES)[number];

/** Commands to a rehearsal that is under way or stopped. */
export const COMMANDS = ['cut', 'pause', 'resume', 'step-back', 'cancel', 'give-up', ...PACES] as const;
export type Command = (typeof COMMANDS)[number];
export const PENDING_COMMANDS = ['pause', 'cut', 'cancel'] as const;

/** Outcome of a rehearsal that ended. */
export const VERDICTS = ['proved', 'differs'] as const;
