import { SHOWN, SORTS } from './jobList';
import type { BodyName } from './schemas';
import { JOB_STAGES } from './stage';

/** One endpoint of the API, as far as it is not the same for all (openapi.ts). */
export interface Endpoint {
  summary: string;
  /** Name of the schema of its body, or the type of a body that is no JSON. */
  takes?: BodyName | 'application/zip' | 'application/octet-stream';
  /** Parameters of the query: name, schema, what they are for. */
  query?: readonly (readonly [string, object, string])[];
  /** What a good answer is, in words: `Saved` gives the job's number and version. */
  gives: string;
  /** Its schema, where it is JSON of a known form: by name, or written out. */
  schema?: BodyName | object;
  /** Its type, where it is no JSON. */
  type?: string;
  /** 200 where nothing else is said; 204 has no content. */
  status?: 201 | 204;
  /** Refused with 409 where somebody else saved since, or where it is stale. */
  conflicts?: true;
}

const VERSION = ['version', { type: 'integer' }, 'the version that was looked at'] as const;
const PAPER = ['paper', { enum: ['a4', 'letter'] }, 'size of the paper'] as const;
const LIST = { type: 'array' };
const JOB = '/api/v1/jobs/{number}';
const SHEET = `${JOB}/sheets/{id}`;
const DRAWING = `${JOB}/drawings/{id}`;
const REHEARSAL = `${JOB}/rehearsals/{id}`;

/** Every endpoint, by method and path. */
export const ENDPOINTS: Readonly<Record<string, Endpoint>> = {
  'post /api/v1/diagnosis': {
    summary: 'Why a partition cannot simply grow, and what could be done',
    takes: 'diagnosis-request',
    gives: 'The diagnosis',
    schema: 'diagnosis',
  },
  'post /api/v1/routes': {
    summary: 'Routes that reach a goal',
    takes: 'routes-request',
    gives: 'The routes, or the findings that say why there is none',
    schema: 'routes-answer',
  },
  'get /api/v1/jobs': {
    summary: 'A page of the jobs in the workshop, with how many there are at each stage',
    query: [
      ['q', { type: 'string' }, 'words in number, customer, machine or notes'],
      ['stage', { enum: JOB_STAGES }, 'only those at this stage'],
      ['show', { enum: SHOWN }, 'in the workshop, due by tomorrow or late, or in the archive'],
      ['sort', { enum: SORTS }, 'what comes first'],
      ['page', { type: 'integer', minimum: 1 }, 'counted from 1'],
      ['size', { type: 'integer', minimum: 1, maximum: 200 }, 'jobs on a page'],
    ],
    gives: 'The jobs, their number over all pages, and how many stand at each stage',
  },
  'post /api/v1/jobs': { summary: 'Add a job', takes: 'new-job', gives: 'Saved', status: 201 },
  [`get ${JOB}`]: { summary: 'One job with its survey, goal and route', gives: 'The job' },
  [`put ${JOB}`]: {
    summary: 'Change customer, machine, notes and due date',
    takes: 'job-details',
    gives: 'Saved',
    conflicts: true,
  },
  [`delete ${JOB}`]: {
    summary: 'Delete the job with everything that belongs to it',
    query: [VERSION],
    gives: 'Gone',
    status: 204,
    conflicts: true,
  },
  'post /api/v1/jobs/import': {
    summary: 'Take over a job that another bench exported',
    takes: 'application/zip',
    gives: 'Saved',
    status: 201,
  },
  [`put ${JOB}/archive`]: {
    summary: 'Put the job into the archive, or take it out again',
    takes: 'archive-job',
    gives: 'Saved',
    conflicts: true,
  },
  [`get ${JOB}/history`]: {
    summary: 'Everything that was done on the job, oldest first; each entry is sealed with the one before it',
    gives: 'The history; `holds` tells of each entry whether it is as it was written',
    schema: LIST,
  },
  'get /api/v1/history': {
    summary: 'What was done at the bench as a whole, oldest first: jobs deleted and taken over',
    gives: 'The history',
    schema: LIST,
  },
  [`get ${JOB}/export`]: {
    summary: 'The whole job as a ZIP with JSON inside',
    gives: 'The file',
    type: 'application/zip',
  },
  [`get ${JOB}/report.pdf`]: {
    summary: 'The report for the customer',
    query: [PAPER],
    gives: 'The report',
    type: 'application/pdf',
  },
  [`get ${JOB}/survey`]: {
    summary: 'The newest survey document of the job, just as it was given',
    gives: 'The survey document',
    schema: 'survey',
  },
  [`put ${JOB}/survey`]: {
    summary: 'Give the job a survey; earlier ones are kept',
    takes: 'save-survey',
    gives: 'Saved',
    conflicts: true,
  },
  [`post ${JOB}/survey-image`]: {
    summary: 'Survey an image of the server’s folder, and keep the survey',
    takes: 'survey-image',
    gives: 'Lines of JSON: how far it is, and at the end `status` and `answer`',
    type: 'application/x-ndjson',
    conflicts: true,
  },
  [`get ${JOB}/survey.csv`]: {
    summary: 'The newest survey as a table of its partitions (RFC 4180)',
    gives: 'The table',
    type: 'text/csv',
  },
  [`get ${JOB}/surveys`]: {
    summary: 'All surveys of the job, newest first, without their documents',
    gives: 'The surveys',
    schema: LIST,
  },
  [`get ${JOB}/surveys/{id}`]: {
    summary: 'One of the job’s surveys, just as it was given',
    gives: 'The survey document',
    schema: 'survey',
  },
  [`put ${JOB}/target`]: {
    summary: 'Choose the partition to grow',
    takes: 'save-target',
    gives: 'Saved',
    conflicts: true,
  },
  [`put ${JOB}/goal`]: {
    summary: 'Ask for a size; the routes are planned and kept with it',
    takes: 'save-goal',
    gives: 'Saved',
    conflicts: true,
  },
  [`put ${JOB}/route`]: {
    summary: 'Choose one of the routes found',
    takes: 'choose-route',
    gives: 'Saved',
    conflicts: true,
  },
  [`get ${JOB}/drawings`]: {
    summary: 'The drawings of the job: a technician’s own steps',
    gives: 'The drawings',
    schema: LIST,
  },
  [`post ${JOB}/drawings`]: {
    summary: 'Begin a drawing, empty or with what is in it already',
    takes: 'new-drawing',
    gives: 'Its id and edition',
    status: 201,
  },
  [`get ${DRAWING}`]: { summary: 'A drawing with every state that it was in', gives: 'The drawing' },
  [`put ${DRAWING}`]: {
    summary: 'Save what changed in it; refused where another window saved since',
    takes: 'save-drawing',
    gives: 'Its new edition',
    conflicts: true,
  },
  [`delete ${DRAWING}`]: { summary: 'Throw a drawing away', gives: 'Gone', status: 204 },
  [`get ${JOB}/sheets`]: {
    summary: 'The work sheets of the job, newest first',
    gives: 'The sheets',
    schema: LIST,
  },
  [`post ${JOB}/sheets`]: {
    summary: 'Make the work sheet of the chosen route, or of a drawing',
    takes: 'new-sheet',
    gives: 'Saved',
    conflicts: true,
  },
  [`get ${SHEET}`]: {
    summary: 'A work sheet with what was ticked on it and proved of it',
    gives: 'The sheet',
  },
  [`get ${SHEET}/sheet.pdf`]: {
    summary: 'The work sheet as PDF; refused once it is stale',
    query: [PAPER],
    gives: 'The sheet',
    type: 'application/pdf',
    conflicts: true,
  },
  [`get ${SHEET}/sheet.md`]: {
    summary: 'The work sheet as Markdown; refused once it is stale',
    gives: 'The sheet',
    type: 'text/markdown',
    conflicts: true,
  },
  [`post ${SHEET}/ticks`]: {
    summary: 'Keep ticks; one that is sent twice is kept once',
    takes: 'ticks',
    gives: 'Every tick of the sheet',
    conflicts: true,
  },
  [`post ${SHEET}/layout-proof`]: {
    summary: 'Hold a survey taken after the work against the sheet',
    takes: 'layout-proof',
    gives: 'Saved',
    conflicts: true,
  },
  [`post ${SHEET}/file-proof`]: {
    summary: 'Keep what came of comparing two manifests of files',
    takes: 'file-proof',
    gives: 'Saved',
    conflicts: true,
  },
  [`get ${JOB}/rehearsals`]: {
    summary: 'The rehearsals of the job, newest first',
    gives: 'The rehearsals, with how far each is',
    schema: LIST,
  },
  [`post ${JOB}/rehearsals`]: {
    summary:
      'Carry the chosen route out, as soon as it is its turn: on a stand-in disk, on a copy of the image of the survey, or on that image',
    takes: 'start-rehearsal',
    gives: 'The rehearsal',
    status: 201,
    conflicts: true,
  },
  [`get ${REHEARSAL}`]: { summary: 'How far a rehearsal is', gives: 'The rehearsal' },
  [`put ${REHEARSAL}`]: {
    summary: 'Cut the power, pause, resume, take the step back, end it, or change its pace',
    takes: 'rehearsal-wish',
    gives: 'The rehearsal',
    conflicts: true,
  },
  [`get ${REHEARSAL}/events`]: {
    summary: 'Watch a rehearsal: its state whenever it changes, as server-sent events',
    gives: 'The events',
    type: 'text/event-stream',
  },
  [`get ${REHEARSAL}/proof`]: {
    summary: 'What came of it: every file, every partition, every step',
    gives: 'The proof',
    schema: 'proof',
  },
  'get /api/v1/images': {
    summary: 'The disk images in the server’s folder, with the job whose route is being carried out on each',
    gives: 'The images, and where they lie',
  },
  'get /api/v1/images/{name}': {
    summary: 'One image as a file, whole or a range of it',
    gives: 'The image',
    type: 'application/octet-stream',
    conflicts: true,
  },
  'post /api/v1/uploads': {
    summary: 'Begin to send an image up, or find how much of the same file has arrived already',
    takes: 'begin-upload',
    gives: 'The upload',
    schema: 'upload',
    status: 201,
    conflicts: true,
  },
  'get /api/v1/uploads/{id}': {
    summary: 'How much of an image has arrived',
    gives: 'The upload',
    schema: 'upload',
  },
  'put /api/v1/uploads/{id}': {
    summary: 'The next piece of an image, 8 MiB at most; with the last one it is in the folder',
    takes: 'application/octet-stream',
    query: [['offset', { type: 'integer', minimum: 0 }, 'the byte at which the piece begins']],
    gives: 'The upload',
    schema: 'upload',
    conflicts: true,
  },
  'delete /api/v1/uploads/{id}': {
    summary: 'Give an upload up; what has arrived is thrown away',
    gives: 'Gone',
    status: 204,
  },
  'get /api/v1/rates': {
    summary: 'What was measured at this bench, and the rates per medium that come of it (MiB/s)',
    gives: 'Runs and rates',
  },
  'get /api/v1/workshop': { summary: 'The workshop’s own tools, kits and rates', gives: 'The settings' },
  'put /api/v1/workshop': {
    summary: 'Keep them; goals planned with older ones become stale',
    takes: 'save-workshop',
    gives: 'The new version',
    conflicts: true,
  },
  'get /api/v1/openapi.json': { summary: 'This document', gives: 'OpenAPI 3.1' },
  'get /schemas/{name}.json': {
    summary: 'A JSON Schema (draft 2020-12)',
    gives: 'The schema',
    type: 'application/schema+json',
  },
};
