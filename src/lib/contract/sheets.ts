import { Type, type Static } from 'typebox';
import { FileProofShape, LayoutProofShape } from '$core/proof';
import { closed, orNull } from '$core/shapes';
import { GIB } from '$core/units';
import { TickShape, WorkSheetShape } from '$core/worksheet';
import { document, endpoint, media, within } from './endpoint';
import { LATER, SURVEY } from './examples';
import { SheetOriginShape } from './sheetSource';
import { Count, Id, Moment, Saved, Version } from './shapes';
import { SurveyFile } from './surveys';

/** Work sheets, what is ticked on them, and what is proved of them. */

const SheetLineShape = closed({
  id: Id,
  title: Type.String(),
  createdAt: Moment,
  items: Count,
  done: Count,
  failed: orNull(Type.String()),
});
/** A sheet of a job as a list shows it. */
export type SheetLine = Static<typeof SheetLineShape>;

const SavedSheetShape = closed({
  id: Id,
  surveyId: Id,
  origin: SheetOriginShape,
  document: WorkSheetShape,
  /** Its source, as far as it is compared with the job's state now. */
  made: closed({ first: Type.Unknown(), steps: Type.Unknown() }),
  /** The job's state when somebody said to work from it all the same. */
  despite: orNull(Type.String()),
  createdAt: Moment,
  ticks: Type.Array(TickShape),
  /** Outcome of the newest rehearsal of the same route, in a sentence; null: there is none. */
  rehearsed: orNull(Type.String()),
});
export type SavedSheet = Static<typeof SavedSheetShape>;

const ProofsShape = closed({
  layout: orNull(closed({ proof: LayoutProofShape, surveyId: Id, at: Moment })),
  files: orNull(closed({ proof: FileProofShape, at: Moment })),
});
/** Proofs of a sheet, the newest of each kind. */
export type Proofs = Static<typeof ProofsShape>;

export const LatestSheetShape = closed({
  id: Id,
  items: Count,
  done: Count,
  /** Title of the item that failed. */
  failed: orNull(Type.String()),
  current: Type.Boolean({ description: 'false once a newer survey came' }),
  /** Outcome of the comparison with the disk afterwards. */
  verdict: orNull(Type.Enum(['proved', 'open', 'lost'])),
});

const Paper = Type.Enum(['a4', 'letter'], { description: 'size of the paper' });
const query = { paper: Paper };

const NewSheet = document(
  'new-sheet',
  closed({
    version: Version,
    drawing: Type.Optional(
      Type.Integer({
        minimum: 1,
        maximum: Number.MAX_SAFE_INTEGER,
        description: 'id of a drawing; without it the chosen route counts',
      }),
    ),
  }),
  { version: 1 },
);
const WorkDespite = document(
  'work-despite',
  closed({
    against: Type.String({ maxLength: 100, description: 'what the sheet was held against, as it was shown' }),
  }),
  { against: '1 2 0  0' },
);
const Ticks = document('ticks', closed({ ticks: Type.Array(TickShape, { maxItems: 1000 }) }), {
  ticks: [
    {
      id: '47540000-0000-4000-8000-000000000001',
      item: 'before-power',
      outcome: 'done',
      who: 'Ida',
      at: LATER,
      note: '',
      seconds: null,
      answers: {},
    },
  ],
});
const AllTicks = closed({ ticks: Type.Array(TickShape) });
const SaveLayoutProof = document('layout-proof', closed({ version: Version, survey: within(SurveyFile) }), {
  version: 1,
  survey: { ...SURVEY, takenAt: LATER },
});
const head = {
  takenAt: SURVEY.takenAt,
  machine: SURVEY.machine.name ?? '',
  disks: ['GT-EX-0001'],
  folders: ['D:\\'],
  files: 1200,
  bytes: 60 * GIB,
};
const none = { count: 0, named: [] };
const SaveFileProof = document('file-proof', closed({ version: Version, proof: FileProofShape }), {
  version: 1,
  proof: {
    verdict: 'proved',
    before: head,
    after: { ...head, takenAt: LATER },
    same: 1200,
    moved: 0,
    changed: none,
    missing: none,
    added: none,
    unreadable: none,
  },
});

export const SHEETS = {
  'GET /jobs/{number}/report.pdf': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'The report for the customer',
    query,
    gives: 'The report',
    answer: media('application/pdf'),
    errors: ['nothing-to-report'],
  }),
  'GET /jobs/{number}/sheets': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'The work sheets of the job, newest first',
    gives: 'The sheets',
    answer: Type.Array(SheetLineShape),
  }),
  'POST /jobs/{number}/sheets': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Make the work sheet of the chosen route, or of a drawing',
    body: NewSheet,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job', 'no-drawing', 'goal-first', 'stale-plan', 'no-route-found'],
  }),
  'GET /jobs/{number}/sheets/{id}': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'A work sheet with what was ticked on it and proved of it',
    gives: 'The sheet',
    answer: document(
      'sheet',
      closed({
        ...SavedSheetShape.properties,
        stale: orNull(Type.String({ description: 'why it must not be worked from' })),
        proofs: ProofsShape,
      }),
    ),
    errors: ['no-sheet'],
  }),
  'GET /jobs/{number}/sheets/{id}/sheet.pdf': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'The work sheet as PDF; refused once it is stale',
    query,
    gives: 'The sheet',
    answer: media('application/pdf'),
    errors: ['no-sheet', 'stale-sheet'],
  }),
  'GET /jobs/{number}/sheets/{id}/sheet.md': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'The work sheet as Markdown; refused once it is stale',
    gives: 'The sheet',
    answer: media('text/markdown'),
    errors: ['no-sheet', 'stale-sheet'],
  }),
  'PUT /jobs/{number}/sheets/{id}/despite': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Work from a sheet all the same whose goal, route or survey is another by now',
    body: WorkDespite,
    gives: 'Gone',
    errors: ['no-sheet', 'sheet-ended', 'sheet-changed-again'],
  }),
  'GET /jobs/{number}/sheets/{id}/ticks': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'What was ticked on a sheet so far',
    gives: 'Every tick of the sheet',
    answer: AllTicks,
    errors: ['no-sheet'],
  }),
  'POST /jobs/{number}/sheets/{id}/ticks': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Keep ticks; one that is sent twice is kept once',
    body: Ticks,
    gives: 'Every tick of the sheet',
    answer: AllTicks,
    errors: ['no-sheet', 'stale-sheet', 'other-sheet'],
  }),
  'POST /jobs/{number}/sheets/{id}/layout-proof': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Hold a survey taken after the work against the sheet',
    body: SaveLayoutProof,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job', 'no-sheet'],
  }),
  'POST /jobs/{number}/sheets/{id}/file-proof': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Keep what came of comparing two manifests of files',
    body: SaveFileProof,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job', 'no-sheet'],
  }),
};
