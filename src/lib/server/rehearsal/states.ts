import { Type, type Static } from 'typebox';
import { Bytes, closed, orNull } from '$core/shapes';

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

/** Those in which it still has files, and something can be asked of it. */
export const ALIVE: readonly RehearsalState[] = ['waiting', 'running', 'paused', 'cut', 'stepped-back'];

/** Words as a list of SQL; they are ours. */
export const quoted = (list: readonly string[]): string => list.map((one) => `'${one}'`).join(', ');

/** What a route is carried out on: a made-up disk, a copy of an image that lies on the server, or that image itself. */
export const PLACES = ['stand-in', 'copy', 'image'] as const;
export type RunPlace = (typeof PLACES)[number];

export const PACES = ['fast', 'drive'] as const;
export type Pace = (typeof PACES)[number];

/** What can be asked of a rehearsal that is under way or stopped. */
export const WISHES = ['cut', 'pause', 'resume', 'step-back', 'cancel', 'give-up', 'fast', 'drive'] as const;
export type Wish = (typeof WISHES)[number];

const Count = Type.Integer({ minimum: 0 });

/** How far a rehearsal is, as everybody sees it. */
export const RehearsalProgressShape = closed({
  phase: Type.Enum(['waiting', 'making', 'before', 'carrying-out', 'after', 'over']),
  /** Files of the stand-in, once it is made. */
  files: orNull(Count),
  /** The present step, counted from 0; as many as there are once all are done. */
  step: Count,
  /** Bytes of the present step that have arrived, of how many. */
  arrived: Bytes,
  toArrive: Bytes,
  /** It is being taken back. */
  backing: Type.Boolean(),
  /** Bytes of the journal in use. */
  journal: Bytes,
  /** Bytes that each step has written. */
  written: Type.Array(Bytes, { maxItems: 200 }),
  /** Milliseconds that each step has taken. */
  took: Type.Array(Count, { maxItems: 200 }),
  /** Bytes a second, lately; null: nothing is being written. */
  rate: orNull(Bytes),
  /** How many times as fast as the drive it goes; null: as fast as it can. */
  factor: orNull(Type.Number({ minimum: 1 })),
  cuts: Count,
});
export type RehearsalProgress = Static<typeof RehearsalProgressShape>;

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
