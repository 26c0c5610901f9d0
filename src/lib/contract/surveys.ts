import { Type, type Static } from 'typebox';
import { ChoicesShape, CleanupReportsShape, HoldingsShape } from '$core/holdings';
import { closed } from '$core/shapes';
import { SurveyShape } from '$core/survey';
import { document, endpoint, media, within } from './endpoint';
import { HOLDINGS, SURVEY } from './examples';
import { ImageName } from './imageName';
import { Count, Id, Moment, Saved, Target, Version } from './shapes';

/** Surveys of a job, what fills their volumes, and the target. */

export const SurveyFile = document('survey', SurveyShape, SURVEY);
export const HoldingsFile = document('holdings', HoldingsShape, HOLDINGS);

/** How a survey came: as a document, from a disk image, by hand. */
export const SURVEY_SOURCES = ['document', 'image', 'hand'] as const;
export type SurveySource = (typeof SURVEY_SOURCES)[number];
/** Purpose of a survey: to plan on it, or to prove the state afterwards. */
export const SURVEY_PURPOSES = ['found', 'left'] as const;
export type SurveyPurpose = (typeof SURVEY_PURPOSES)[number];

const SurveyLineShape = closed({
  id: Id,
  source: Type.Enum(SURVEY_SOURCES),
  takenAt: Moment,
  savedAt: Moment,
  disks: Count,
  partitions: Count,
  purpose: Type.Enum(SURVEY_PURPOSES),
});
/** A survey of a job as a list shows it. */
export type SurveyLine = Static<typeof SurveyLineShape>;

export const JobHoldingsShape = closed({
  takenAt: Moment,
  found: CleanupReportsShape,
  choices: ChoicesShape,
});
/** Contents of a survey's volumes, as far as they are known, and the choice of what goes. */
export type JobHoldings = Static<typeof JobHoldingsShape>;

/**
 * A line of what is told while an image is read: how far it is, and at the end the answer that a short request would
 * get.
 */
export type SurveyingLine<P = unknown> = { progress: P } | { status: number; answer: unknown };

export const SaveSurveyFile = document(
  'save-survey',
  closed({
    version: Version,
    source: Type.Enum(SURVEY_SOURCES),
    survey: within(SurveyFile),
    /** Contents of its volumes, where they were read with it. */
    holdings: Type.Optional(within(HoldingsFile)),
  }),
  { version: 1, source: 'document', survey: SURVEY },
);
const SaveHoldings = document('save-holdings', closed({ version: Version, holdings: within(HoldingsFile) }), {
  version: 1,
  holdings: HOLDINGS,
});
const SaveChoices = document('save-choices', closed({ version: Version, choices: ChoicesShape }), {
  version: 1,
  choices: [
    {
      disk: 0,
      partition: 1,
      goes: ['earlier-windows', 'hibernation'],
      moves: [{ path: '\\Users\\ida\\Pictures', to: { disk: 0, partition: 3 } }],
    },
  ],
});
const SurveyImage = document('survey-image', closed({ version: Version, image: ImageName }), {
  version: 1,
  image: 'booking-desk.qcow2',
});
const SaveTarget = document('save-target', closed({ version: Version, ...Target.properties }), {
  version: 1,
  disk: 0,
  partition: 1,
});

export const SURVEYS = {
  'GET /jobs/{number}/survey': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'The newest survey document of the job, just as it was given',
    gives: 'The survey document',
    answer: SurveyFile,
    errors: ['no-survey-yet'],
  }),
  'PUT /jobs/{number}/survey': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Give the job a survey; earlier ones are kept',
    body: SaveSurveyFile,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job'],
  }),
  'GET /jobs/{number}/surveys': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'All surveys of the job, newest first, without their documents',
    gives: 'The surveys',
    answer: Type.Array(SurveyLineShape),
  }),
  'GET /jobs/{number}/surveys/{id}': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'One of the job’s surveys, just as it was given',
    gives: 'The survey document',
    answer: SurveyFile,
    errors: ['no-survey'],
  }),
  'GET /jobs/{number}/survey.csv': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'The newest survey as a table of its partitions (RFC 4180)',
    gives: 'The table',
    answer: media('text/csv'),
    errors: ['no-survey-yet'],
  }),
  'POST /jobs/{number}/survey-image': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Survey an image of the server’s folder, and keep the survey',
    body: SurveyImage,
    gives: 'Lines of JSON: how far it is, and at the end `status` and `answer`',
    answer: media('application/x-ndjson'),
    errors: ['stale-job', 'no-image', 'image-at-work'],
  }),
  'GET /jobs/{number}/holdings': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    job: true,
    summary: 'What fills the volumes of the newest survey, by folder',
    gives: 'The holdings document',
    answer: HoldingsFile,
    errors: ['no-holdings-yet'],
  }),
  'PUT /jobs/{number}/holdings': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Give what fills the volumes of the newest survey',
    body: SaveHoldings,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job', 'survey-first'],
  }),
  'PUT /jobs/{number}/choices': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Choose what goes from the volumes first, and which folders move to another volume',
    body: SaveChoices,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job', 'holdings-first'],
  }),
  'PUT /jobs/{number}/target': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Choose the partition to grow',
    body: SaveTarget,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job', 'no-partition'],
  }),
};
