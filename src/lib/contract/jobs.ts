import { Type, type Static } from 'typebox';
import { RoutesAnswerShape } from '$core/planning';
import { Bytes, closed, Name, orNull } from '$core/shapes';
import { MIB } from '$core/units';
import { document, endpoint, media, within } from './endpoint';
import { GoalShape } from './goals';
import { LatestRehearsalShape } from './rehearsals';
import { Count, Day, Id, JobNumber, Moment, Number16, Saved, Target, Version, VersionSeen } from './shapes';
import { LatestSheetShape } from './sheets';
import { JobHoldingsShape, SURVEY_SOURCES, SurveyFile } from './surveys';

/** Jobs: the list, what is said of one, everything current about it, its history and its file. */

/** The furthest stage of a job with something to show that is not stale. */
export const JOB_STAGES = ['survey', 'diagnosis', 'target', 'route', 'sheet', 'proof', 'done'] as const;
export type JobStage = (typeof JOB_STAGES)[number];
export const JOB_SORTS = ['changed', 'number', 'customer', 'due'] as const;
export const JOB_GROUPS = ['open', 'due', 'archived'] as const;
/** Jobs on a page of the list, at most. */
export const MAX_PAGE = 200;

/** Bytes of a job's file, packed. */
export const MAX_JOB_FILE = 32 * MIB;

/** Fields that people write about a job. */
export const DETAILS = {
  customer: Name,
  machine: Name,
  notes: Type.String({ maxLength: 20_000 }),
  due: orNull(Day),
};
const JobDetails = document('job-details', closed({ version: Version, ...DETAILS }), {
  version: 1,
  customer: 'Salt Pan Library',
  machine: 'catalogue',
  notes: 'Comes back on Friday.',
  due: '2026-11-27',
});
/** Details of a job besides its disks. */
export type JobDetails = Omit<Static<(typeof JobDetails)['shape']>, 'version'>;

const JobSummaryShape = closed({
  number: JobNumber,
  customer: Type.String(),
  machine: Type.String(),
  version: Count,
  updatedAt: Moment,
  due: orNull(Day),
  archived: Type.Boolean(),
  stage: Type.Enum(JOB_STAGES),
  stale: Type.Boolean(),
  target: orNull(
    closed({ disk: Number16, partition: Number16, name: Type.String(), size: Bytes, used: orNull(Bytes) }),
  ),
  /** The new total that was asked for. */
  goal: orNull(Bytes),
  routeTitle: orNull(Type.String()),
  /** How far its work sheet is, where there is one that counts. */
  sheet: orNull(closed({ done: Count, items: Count, failed: orNull(Type.String()) })),
  /** The job that was about the same machine before. */
  before: orNull(JobNumber),
});
/** A job as the list shows it. */
export type JobSummary = Static<typeof JobSummaryShape>;

const JobPageShape = closed({
  jobs: Type.Array(JobSummaryShape),
  total: Type.Integer({ minimum: 0, description: 'of all pages' }),
  /** How many jobs there are at each stage, whatever stage is asked for. */
  stages: Type.Partial(closed(Object.fromEntries(JOB_STAGES.map((stage) => [stage, Count])) as Stages)),
});
type Stages = Record<JobStage, typeof Count>;
export type JobPage = Static<typeof JobPageShape>;

const JobShape = closed({
  number: JobNumber,
  customer: Type.String(),
  machine: Type.String(),
  version: Count,
  notes: Type.String(),
  due: orNull(Day),
  archived: Type.Boolean(),
  survey: orNull(
    closed({
      id: Id,
      source: Type.Enum(SURVEY_SOURCES),
      document: within(SurveyFile),
      createdAt: Moment,
      /** File in the server's folder of images that it was read from. */
      image: orNull(Type.String()),
    }),
  ),
  /** Contents of the newest survey's volumes, as far as they are known, and the choice of what goes. */
  holdings: orNull(JobHoldingsShape),
  target: orNull(Target),
  goal: orNull(GoalShape),
  answer: orNull(RoutesAnswerShape),
  /** Place of the chosen route in the answer. */
  chosen: Count,
  rehearsal: orNull(LatestRehearsalShape),
  sheet: orNull(LatestSheetShape),
  /** Unreadable documents of the job, in sentences; they count as missing, and go along with an export. */
  unshown: Type.Array(Type.String()),
});
/** A job with everything current about it. */
export type Job = Static<typeof JobShape>;

const HistoryEntryShape = closed({
  at: Moment,
  who: Type.String(),
  what: Type.String(),
  /** Written here; taken over with a job from another workshop; or from before there was a key. */
  kind: Type.Enum(['here', 'elsewhere', 'plain']),
  seal: Type.String(),
  holds: Type.Boolean({ description: 'whether it is as it was written' }),
});
export type HistoryEntry = Omit<Static<typeof HistoryEntryShape>, 'holds'>;
const HistoryShape = Type.Array(HistoryEntryShape);

const NewJob = document('new-job', closed({ customer: Name, machine: Name }), {
  customer: 'Salt Pan Library',
  machine: 'catalogue',
});
const ArchiveJob = document('archive-job', closed({ version: Version, archived: Type.Boolean() }), {
  version: 1,
  archived: true,
});

export const JOBS = {
  'GET /jobs': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    summary: 'A page of the jobs in the workshop, with how many there are at each stage',
    query: {
      q: Type.String({ description: 'words in number, customer, machine or notes' }),
      stage: Type.Enum(JOB_STAGES, { description: 'only those at this stage' }),
      show: Type.Enum(JOB_GROUPS, {
        description: 'in the workshop, due by tomorrow or late, or in the archive',
      }),
      sort: Type.Enum(JOB_SORTS, { description: 'what comes first' }),
      page: Type.Integer({ minimum: 1, description: 'counted from 1' }),
      size: Type.Integer({ minimum: 1, maximum: MAX_PAGE, description: 'jobs on a page' }),
    },
    gives: 'The jobs, their number over all pages, and how many stand at each stage',
    answer: document('job-list', JobPageShape),
  }),
  'POST /jobs': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    summary: 'Add a job',
    body: NewJob,
    gives: 'Saved',
    answer: Saved,
    status: 201,
    location: '/jobs/{number}',
  }),
  'GET /jobs/{number}': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'One job with its survey, goal and route',
    gives: 'The job',
    answer: document('job', JobShape),
  }),
  'PUT /jobs/{number}': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Change customer, machine, notes and due date',
    body: JobDetails,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job'],
  }),
  'DELETE /jobs/{number}': endpoint({
    need: 'owner',
    scope: 'jobs:write',
    job: true,
    summary: 'Delete the job with everything that belongs to it',
    query: { version: VersionSeen },
    gives: 'Gone',
    errors: ['stale-job', 'no-version', 'job-on-image'],
  }),
  'POST /jobs/import': endpoint({
    need: 'owner',
    scope: 'jobs:write',
    summary: 'Take over a job that another bench exported',
    body: media('application/zip'),
    mostBytes: MAX_JOB_FILE,
    gives: 'Saved',
    answer: Saved,
    status: 201,
    location: '/jobs/{number}',
  }),
  'PUT /jobs/{number}/archive': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Put the job into the archive, or take it out again',
    body: ArchiveJob,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job'],
  }),
  'GET /jobs/{number}/history': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'Everything that was done on the job, oldest first; each entry is sealed with the one before it',
    gives: 'The history; `holds` tells of each entry whether it is as it was written',
    answer: HistoryShape,
  }),
  'GET /history': endpoint({
    need: 'owner',
    scope: 'jobs:read',
    summary: 'What was done at the bench as a whole, oldest first: jobs deleted and taken over',
    gives: 'The history',
    answer: HistoryShape,
  }),
  'GET /jobs/{number}/export': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'The whole job as a ZIP with JSON inside',
    gives: 'The file',
    answer: media('application/zip'),
  }),
};
