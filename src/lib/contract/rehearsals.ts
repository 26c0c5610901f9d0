import { Type, type Static } from 'typebox';
import { ExecutionProofShape, EXTENTS } from '$core/executor';
import { RouteShape } from '$core/planning';
import { Bytes, closed, orNull } from '$core/shapes';
import { document, endpoint, media } from './endpoint';
import { COMMANDS, PACES, PENDING_COMMANDS, REHEARSAL_STATES, RUN_PLACES, VERDICTS } from './rehearsalStates';
import { Count, Id, Moment } from './shapes';

/** Rehearsals: a route carried out on a stand-in disk, on a copy of an image, or on that image. */

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

const Verdict = orNull(Type.Enum(VERDICTS));

export const RehearsalShape = closed({
  id: Id,
  place: Type.Enum(RUN_PLACES),
  /** The image that it is carried out on, or that the copy is made of; null for a stand-in. */
  image: orNull(Type.String()),
  /** The file that is worked on, in the folder of images. */
  file: orNull(Type.String()),
  state: Type.Enum(REHEARSAL_STATES),
  pace: Type.Enum(PACES),
  /** The command that has not been carried out yet. */
  wish: orNull(Type.Enum(PENDING_COMMANDS)),
  route: RouteShape,
  current: Type.Boolean({ description: 'it is of the route that is chosen now' }),
  elsewhere: Type.Boolean({ description: 'it came with its job from another bench' }),
  progress: RehearsalProgressShape,
  room: Bytes,
  problem: orNull(Type.String()),
  verdict: Verdict,
  who: Type.String(),
  createdAt: Moment,
  changedAt: Moment,
});
export type Rehearsal = Static<typeof RehearsalShape>;
const RehearsalFile = document('rehearsal', RehearsalShape);

export const LatestRehearsalShape = closed({
  id: Id,
  state: Type.Enum(REHEARSAL_STATES),
  verdict: Verdict,
  changedAt: Moment,
  cuts: Count,
  current: Type.Boolean({ description: 'it is of the route that is chosen now' }),
  elsewhere: Type.Boolean({ description: 'it came with the job from another bench' }),
  place: Type.Enum(RUN_PLACES),
  image: orNull(Type.String()),
});

export const ProofFile = document('proof', ExecutionProofShape);

const StartRehearsal = document(
  'start-rehearsal',
  closed({
    pace: Type.Enum(PACES, { description: 'as fast as it goes, or like the drive, in time-lapse' }),
    place: Type.Optional(
      Type.Enum(RUN_PLACES, {
        description:
          'a made-up disk (where nothing is said), a copy of the image that the survey was read from, or that image itself',
      }),
    ),
    typed: Type.Optional(
      Type.String({ maxLength: 400, description: 'the name of the image, to work on the image itself' }),
    ),
    extent: Type.Optional(
      Type.Enum(EXTENTS, {
        description:
          'what is read for the proof on an image: what is moved and the structures of the rest (where nothing is said), or everything in use',
      }),
    ),
  }),
  { pace: 'fast' },
);
export type RehearsalStart = Static<(typeof StartRehearsal)['shape']>;

const RehearsalCommand = document('rehearsal-wish', closed({ wish: Type.Enum(COMMANDS) }), {
  wish: 'cancel',
});

export const REHEARSALS = {
  'GET /jobs/{number}/rehearsals': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'The rehearsals of the job, newest first',
    gives: 'The rehearsals, with how far each is',
    answer: Type.Array(RehearsalShape),
  }),
  'POST /jobs/{number}/rehearsals': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary:
      'Carry the chosen route out, as soon as it is its turn: on a stand-in disk, on a copy of the image of the survey, or on that image',
    body: StartRehearsal,
    gives: 'The rehearsal',
    answer: RehearsalFile,
    status: 201,
    errors: [
      'nothing-to-rehearse',
      'stale-route',
      'not-rehearsable',
      'under-way',
      'image-under-way',
      'not-from-image',
      'name-not-typed',
      'image-gone',
      'image-read',
      'run-begun',
      'image-open',
      'no-room-for-copy',
    ],
  }),
  'GET /jobs/{number}/rehearsals/{id}': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'How far a rehearsal is',
    gives: 'The rehearsal',
    answer: RehearsalFile,
    errors: ['no-rehearsal'],
  }),
  'PUT /jobs/{number}/rehearsals/{id}': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Cut the power, pause, resume, take the step back, end it, or change its pace',
    body: RehearsalCommand,
    gives: 'The rehearsal',
    answer: RehearsalFile,
    errors: ['no-rehearsal', 'not-now'],
  }),
  'GET /jobs/{number}/rehearsals/{id}/events': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'Watch a rehearsal: its state whenever it changes, as server-sent events',
    gives: 'The events',
    answer: media('text/event-stream'),
    errors: ['no-rehearsal', 'too-many-watching'],
  }),
  'GET /jobs/{number}/rehearsals/{id}/proof': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'What came of it: every file, every partition, every step',
    gives: 'The proof',
    answer: ProofFile,
    errors: ['no-rehearsal', 'no-proof'],
  }),
};
