import { Type, type Static } from 'typebox';
import type { Drawing } from '$core/drawing';
import { closed, Name, Text } from '$core/shapes';
import { GIB } from '$core/units';
import { document, endpoint } from './endpoint';
import { SURVEY } from './examples';
import { DrawingShape } from './sheetSource';
import { Count, Id, Moment, Place } from './shapes';

/** Drawings: a technician's own steps, with every state that can be taken back. */

const Edition = Type.Integer({ minimum: 1, maximum: 2 ** 32 - 1 });
export const Told = Type.Array(Text, { maxItems: 1000, description: 'keys of advice not to be given again' });
/** A drawing with all that can be taken back. */
export const DrawingStates = closed({
  name: Name,
  states: Type.Array(DrawingShape, { minItems: 1, maxItems: 2000 }),
  position: Place,
});

const DrawingLineShape = closed({
  id: Id,
  name: Type.String(),
  kit: Type.String(),
  steps: Count,
  updatedAt: Moment,
  stale: Type.Boolean({ description: 'a newer survey came since' }),
});
/** A drawing as a list shows it. */
export type DrawingLine = Static<typeof DrawingLineShape>;

const SavedDrawingShape = closed({
  id: Id,
  name: Type.String(),
  surveyId: Id,
  /** Index of the present state, from 0. */
  position: Count,
  edition: Edition,
  told: Type.Array(Type.String()),
  states: Type.Array(DrawingShape),
});
/** A drawing with every state that it was in. */
export type SavedDrawing = Static<typeof SavedDrawingShape>;

const donor = SURVEY.disks[0]!.partitions[2]!;
const example: Drawing = {
  kit: 'windows-only',
  steps: [
    {
      id: 'a1',
      intent: { verb: 'shrink', partition: 3, to: { first: donor.first, sectors: (200 * GIB) / 512 } },
      tool: null,
      off: false,
    },
  ],
};

export const NewDrawingFile = document('new-drawing', DrawingStates, {
  name: 'By hand',
  states: [example],
  position: 0,
});
const SaveDrawing = document(
  'save-drawing',
  closed({
    edition: Type.Integer({
      minimum: 1,
      maximum: 2 ** 32 - 1,
      description: 'the edition that the change was made on',
    }),
    keep: Type.Integer({
      minimum: 0,
      maximum: 1_000_000,
      description: 'how many states stay, from the first',
    }),
    add: Type.Array(DrawingShape, { maxItems: 2000 }),
    position: Type.Integer({ minimum: 0, maximum: 1_000_000, description: 'which state is the present one' }),
    name: Type.Optional(Name),
    told: Type.Optional(Told),
  }),
  { edition: 1, keep: 1, add: [{ ...example, steps: [] }], position: 1 },
);
/** Change to a drawing's states: the first `keep` stay, `add` come behind them. */
export type DrawingChange = Static<(typeof SaveDrawing)['shape']>;

export const DRAWINGS = {
  'GET /jobs/{number}/drawings': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'The drawings of the job: a technician’s own steps',
    gives: 'The drawings',
    answer: Type.Array(DrawingLineShape),
  }),
  'POST /jobs/{number}/drawings': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Begin a drawing, empty or with what is in it already',
    body: NewDrawingFile,
    gives: 'Its id and edition',
    answer: closed({ id: Id, edition: Edition }),
    status: 201,
    errors: ['survey-first', 'no-state', 'no-kit'],
  }),
  'GET /jobs/{number}/drawings/{id}': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'A drawing with every state that it was in',
    gives: 'The drawing',
    answer: document('drawing', SavedDrawingShape),
    errors: ['no-drawing'],
  }),
  'PUT /jobs/{number}/drawings/{id}': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Save what changed in it; refused where another window saved since',
    body: SaveDrawing,
    gives: 'Its new edition',
    answer: closed({ edition: Edition }),
    errors: ['no-drawing', 'stale-drawing', 'no-kit'],
  }),
  'DELETE /jobs/{number}/drawings/{id}': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Throw a drawing away',
    gives: 'Gone',
    errors: ['no-drawing'],
  }),
};
