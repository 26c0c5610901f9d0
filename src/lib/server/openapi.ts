/** The OpenAPI 3.1 document: every endpoint, its body and its answers (contract, API). */

const schema = (name: string) => ({ $ref: `/schemas/${name}.json` });
const answer = (description: string, body: object = { type: 'object' }) => ({
  description,
  content: { 'application/json': { schema: body } },
});
const problems = (...statuses: number[]) =>
  Object.fromEntries(statuses.map((status) => [status, { $ref: `#/components/responses/problem${status}` }]));
const body = (name: string) => ({
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

const finding = {
  type: 'object',
  required: ['code', 'severity', 'partitions', 'title', 'detail', 'remedies'],
  properties: {
    code: { type: 'string' },
    severity: { enum: ['blocks', 'costs', 'note'] },
    partitions: { type: 'array', items: { type: 'integer' } },
    title: { type: 'string' },
    detail: { type: 'string' },
    remedies: {
      type: 'array',
      items: {
        type: 'object',
        properties: { title: { type: 'string' }, tools: { type: 'array', items: { type: 'string' } } },
      },
    },
  },
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
          200: answer('The diagnosis', {
            type: 'object',
            required: ['target', 'canExtendNow', 'inReach', 'largest', 'findings'],
            properties: {
              target: { type: 'object' },
              canExtendNow: { type: 'boolean' },
              inReach: { type: 'integer', description: 'bytes' },
              largest: { type: 'object', additionalProperties: { type: 'integer' } },
              headline: { type: 'string' },
              summary: { type: 'string' },
              findings: { type: 'array', items: finding },
            },
          }),
          ...problems(400, 413, 415, 422),
        },
      },
    },
    '/api/v1/routes': {
      post: {
        summary: 'Routes that reach a goal',
        requestBody: body('routes-request'),
        responses: {
          200: answer('The routes, or the findings that say why there is none', {
            type: 'object',
            required: ['reached', 'largest', 'findings', 'routes'],
            properties: {
              reached: { type: 'boolean' },
              largest: { type: 'integer', description: 'bytes' },
              largestByKit: { type: 'object', additionalProperties: { type: 'integer' } },
              findings: { type: 'array', items: finding },
              routes: { type: 'array', items: { type: 'object' } },
            },
          }),
          ...problems(400, 413, 415, 422),
        },
      },
    },
    '/api/v1/jobs': {
      get: { summary: 'All jobs, newest first', responses: { 200: answer('The jobs') } },
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
    },
    ...Object.fromEntries(
      (
        [
          ['survey', 'Give the job a survey; earlier ones are kept'],
          ['target', 'Choose the partition to grow'],
          ['goal', 'Ask for a size; the routes are planned and kept with it'],
          ['route', 'Choose one of the routes found'],
        ] as const
      ).map(([what, summary]) => [
        `/api/v1/jobs/{number}/${what}`,
        {
          ...(what === 'survey' ? { get: newestSurvey } : {}),
          put: {
            summary,
            parameters: job,
            requestBody: body(what === 'route' ? 'choose-route' : `save-${what}`),
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
