import { SHOWN, SORTS } from './jobList';
import type { BodyName } from './schemas';
import { JOB_STAGES } from './stage';

/** The OpenAPI 3.1 document: every endpoint, its body and its answers (contract, API). */

const schema = (name: BodyName) => ({ $ref: `/schemas/${name}.json` });
const answer = (description: string, body: object = { type: 'object' }) => ({
  description,
  content: { 'application/json': { schema: body } },
});
const problems = (...statuses: number[]) =>
  Object.fromEntries(statuses.map((status) => [status, { $ref: `#/components/responses/problem${status}` }]));
const body = (name: BodyName) => ({
  required: true,
  content: { 'application/json': { schema: schema(name) } },
});
const job = [
  {
    name: 'number',
    in: 'path',
    required: true,
    schema: { type: 'integer' },
    description: 'number of the job',
  },
];
const query = (name: string, of: object, description: string) => ({
  name,
  in: 'query',
  required: false,
  schema: of,
  description,
});
const paper = query('paper', { enum: ['a4', 'letter'] }, 'size of the paper');
const binary = (description: string, type: string) => ({
  description,
  content: { [type]: { schema: { type: 'string' } } },
});
const drawing = [...job, { name: 'id', in: 'path', required: true, schema: { type: 'integer' } }];
const saved = answer('Saved', {
  type: 'object',
  required: ['number', 'version'],
  properties: {
    number: { type: 'integer' },
    version: { type: 'integer', description: 'to be sent with the next save' },
  },
});

const PROBLEMS: Record<number, string> = {
  400: 'The body is no JSON',
  404: 'There is no such thing',
  409: 'Saved by somebody else since; `current` is the version to decide on',
  413: 'The body is larger than 4 MiB',
  415: 'The body is not declared as application/json',
  422: 'Bad input; `errors` says what is wrong at which path',
};

const newestSurvey = {
  summary: 'The newest survey document of the job, just as it was given',
  parameters: job,
  responses: { 200: answer('The survey document', schema('survey')), ...problems(404) },
};

export const openapi = {
  openapi: '3.1.0',
  info: {
    title: 'Gentle Tide',
    version: '1',
    description:
      'Sizes in bytes, positions in logical sectors, disks counted from 0. Bad input is answered with problem documents (RFC 9457).',
  },
  paths: {
    '/api/v1/diagnosis': {
      post: {
        summary: 'Why a partition cannot simply grow, and what could be done',
        requestBody: body('diagnosis-request'),
        responses: {
          200: answer('The diagnosis', schema('diagnosis')),
          ...problems(400, 413, 415, 422),
        },
      },
    },
    '/api/v1/routes': {
      post: {
        summary: 'Routes that reach a goal',
        requestBody: body('routes-request'),
        responses: {
          200: answer('The routes, or the findings that say why there is none', schema('routes-answer')),
          ...problems(400, 413, 415, 422),
        },
      },
    },
    '/api/v1/jobs': {
      get: {
        summary: 'A page of the jobs in the workshop, with how many there are at each stage',
        parameters: [
          query('q', { type: 'string' }, 'words in number, customer, machine or notes'),
          query('stage', { enum: JOB_STAGES }, 'only those at this stage'),
          query('show', { enum: SHOWN }, 'in the workshop, due by tomorrow or late, or in the archive'),
          query('sort', { enum: SORTS }, 'what comes first'),
          query('page', { type: 'integer', minimum: 1 }, 'counted from 1'),
          query('size', { type: 'integer', minimum: 1, maximum: 200 }, 'jobs on a page'),
        ],
        responses: { 200: answer('The jobs, their number over all pages, and how many stand at each stage') },
      },
      post: {
        summary: 'Add a job',
        requestBody: body('new-job'),
        responses: { 201: saved, ...problems(400, 413, 415, 422) },
      },
    },
    '/api/v1/jobs/{number}': {
      get: {
        summary: 'One job with its survey, goal and route',
        parameters: job,
        responses: { 200: answer('The job'), ...problems(404) },
      },
      put: {
        summary: 'Change customer, machine, notes and due date',
        parameters: job,
        requestBody: body('job-details'),
        responses: { 200: saved, ...problems(400, 404, 409, 413, 415, 422) },
      },
      delete: {
        summary: 'Delete the job with everything that belongs to it',
        parameters: [...job, query('version', { type: 'integer' }, 'the version that was looked at')],
        responses: { 204: { description: 'Gone' }, ...problems(404, 409, 422) },
      },
    },
    '/api/v1/jobs/import': {
      post: {
        summary: 'Take over a job that another bench exported',
        requestBody: {
          required: true,
          content: { 'application/zip': { schema: { type: 'string', contentEncoding: 'binary' } } },
        },
        responses: { 201: saved, ...problems(413, 415, 422) },
      },
    },
    '/api/v1/jobs/{number}/archive': {
      put: {
        summary: 'Put the job into the archive, or take it out again',
        parameters: job,
        requestBody: body('archive-job'),
        responses: { 200: saved, ...problems(400, 404, 409, 413, 415, 422) },
      },
    },
    '/api/v1/jobs/{number}/history': {
      get: {
        summary:
          'Everything that was done on the job, oldest first; each entry is sealed with the one before it',
        parameters: job,
        responses: { 200: answer('The history', { type: 'array' }), ...problems(404) },
      },
    },
    '/api/v1/jobs/{number}/export': {
      get: {
        summary: 'The whole job as a ZIP with JSON inside',
        parameters: job,
        responses: { 200: binary('The file', 'application/zip'), ...problems(404) },
      },
    },
    '/api/v1/jobs/{number}/report.pdf': {
      get: {
        summary: 'The report for the customer',
        parameters: [...job, paper],
        responses: { 200: binary('The report', 'application/pdf'), ...problems(404) },
      },
    },
    '/api/v1/jobs/{number}/sheets': {
      get: {
        summary: 'The work sheets of the job, newest first',
        parameters: job,
        responses: { 200: answer('The sheets', { type: 'array' }), ...problems(404) },
      },
      post: {
        summary: 'Make the work sheet of the chosen route, or of a drawing',
        parameters: job,
        requestBody: body('new-sheet'),
        responses: { 200: saved, ...problems(400, 404, 409, 413, 415, 422) },
      },
    },
    '/api/v1/jobs/{number}/sheets/{id}': {
      get: {
        summary: 'A work sheet with what was ticked on it and proved of it',
        parameters: drawing,
        responses: { 200: answer('The sheet'), ...problems(404) },
      },
    },
    '/api/v1/jobs/{number}/sheets/{id}/sheet.pdf': {
      get: {
        summary: 'The work sheet as PDF; refused once it is stale',
        parameters: [...drawing, paper],
        responses: { 200: binary('The sheet', 'application/pdf'), ...problems(404, 409) },
      },
    },
    '/api/v1/jobs/{number}/sheets/{id}/sheet.md': {
      get: {
        summary: 'The work sheet as Markdown; refused once it is stale',
        parameters: drawing,
        responses: { 200: binary('The sheet', 'text/markdown'), ...problems(404, 409) },
      },
    },
    ...Object.fromEntries(
      (
        [
          ['ticks', 'ticks', 'Keep ticks; one that is sent twice is kept once'],
          ['layout-proof', 'layout-proof', 'Hold a survey taken after the work against the sheet'],
          ['file-proof', 'file-proof', 'Keep what came of comparing two manifests of files'],
        ] as const
      ).map(([path, schemaName, summary]) => [
        `/api/v1/jobs/{number}/sheets/{id}/${path}`,
        {
          post: {
            summary,
            parameters: drawing,
            requestBody: body(schemaName),
            responses: {
              200: path === 'ticks' ? answer('Every tick of the sheet') : saved,
              ...problems(400, 404, 409, 413, 415, 422),
            },
          },
        },
      ]),
    ),
    '/api/v1/rates': {
      get: {
        summary: 'What was measured at this bench, and the rates per medium that come of it (MiB/s)',
        responses: { 200: answer('Runs and rates') },
      },
    },
    ...Object.fromEntries(
      (
        [
          ['survey', 'save-survey', 'Give the job a survey; earlier ones are kept'],
          ['target', 'save-target', 'Choose the partition to grow'],
          ['goal', 'save-goal', 'Ask for a size; the routes are planned and kept with it'],
          ['route', 'choose-route', 'Choose one of the routes found'],
        ] as const
      ).map(([what, schemaName, summary]) => [
        `/api/v1/jobs/{number}/${what}`,
        {
          ...(what === 'survey' ? { get: newestSurvey } : {}),
          put: {
            summary,
            parameters: job,
            requestBody: body(schemaName),
            responses: { 200: saved, ...problems(400, 404, 409, 413, 415, 422) },
          },
        },
      ]),
    ),
    '/api/v1/jobs/{number}/survey.csv': {
      get: {
        summary: 'The newest survey as a table of its partitions (RFC 4180)',
        parameters: job,
        responses: {
          200: { description: 'The table', content: { 'text/csv': { schema: { type: 'string' } } } },
          ...problems(404),
        },
      },
    },
    '/api/v1/jobs/{number}/surveys': {
      get: {
        summary: 'All surveys of the job, newest first, without their documents',
        parameters: job,
        responses: { 200: answer('The surveys', { type: 'array' }), ...problems(404) },
      },
    },
    '/api/v1/jobs/{number}/surveys/{id}': {
      get: {
        summary: 'One of the job’s surveys, just as it was given',
        parameters: [...job, { name: 'id', in: 'path', required: true, schema: { type: 'integer' } }],
        responses: { 200: answer('The survey document', schema('survey')), ...problems(404) },
      },
    },
    '/api/v1/jobs/{number}/drawings': {
      get: {
        summary: 'The drawings of the job: a technician’s own steps',
        parameters: job,
        responses: { 200: answer('The drawings', { type: 'array' }), ...problems(404) },
      },
      post: {
        summary: 'Begin a drawing, empty or with what is in it already',
        parameters: job,
        requestBody: body('new-drawing'),
        responses: { 201: answer('Its id and edition'), ...problems(400, 404, 413, 415, 422) },
      },
    },
    '/api/v1/jobs/{number}/drawings/{id}': {
      get: {
        summary: 'A drawing with every state that it was in',
        parameters: drawing,
        responses: { 200: answer('The drawing'), ...problems(404) },
      },
      put: {
        summary: 'Save what changed in it; refused where another window saved since',
        parameters: drawing,
        requestBody: body('save-drawing'),
        responses: { 200: answer('Its new edition'), ...problems(400, 404, 409, 413, 415, 422) },
      },
      delete: {
        summary: 'Throw a drawing away',
        parameters: drawing,
        responses: { 204: { description: 'Gone' }, ...problems(404) },
      },
    },
    '/api/v1/workshop': {
      get: {
        summary: 'The workshop’s own tools, kits and rates',
        responses: { 200: answer('The settings') },
      },
      put: {
        summary: 'Keep them; goals planned with older ones become stale',
        requestBody: body('save-workshop'),
        responses: { 200: answer('Saved'), ...problems(400, 409, 413, 415, 422) },
      },
    },
    '/api/v1/openapi.json': { get: { summary: 'This document', responses: { 200: answer('OpenAPI 3.1') } } },
    '/schemas/{name}.json': {
      get: {
        summary: 'A JSON Schema (draft 2020-12)',
        parameters: [{ name: 'name', in: 'path', required: true, schema: { type: 'string' } }],
        responses: {
          200: {
            description: 'The schema',
            content: { 'application/schema+json': { schema: { type: 'object' } } },
          },
          ...problems(404),
        },
      },
    },
  },
  components: {
    responses: Object.fromEntries(
      Object.entries(PROBLEMS).map(([status, description]) => [
        `problem${status}`,
        {
          description,
          content: {
            'application/problem+json': {
              schema: {
                type: 'object',
                required: ['type', 'title', 'status', 'detail'],
                properties: {
                  type: { type: 'string' },
                  title: { type: 'string' },
                  status: { type: 'integer' },
                  detail: { type: 'string' },
                  errors: {
                    type: 'array',
                    items: {
                      type: 'object',
                      properties: { path: { type: 'string' }, message: { type: 'string' } },
                    },
                  },
                },
              },
            },
          },
        },
      ]),
    ),
  },
};
