import { Ajv2020, type ErrorObject, type ValidateFunction } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import type { DiagnosisRequest } from '$core/diagnosis';
import type { RoutesRequest } from '$core/planning';
import { PREFERENCES } from '$core/planning';
import type { SurveyDocument } from '$core/survey';
import surveySchema from '$core/survey/survey.schema.json';
import type { FieldError } from './problem';
import type { SurveySource } from './surveys';

const bytes = { type: 'integer', minimum: 0, maximum: Number.MAX_SAFE_INTEGER } as const;
const number = { type: 'integer', minimum: 0 } as const;
const numbers = { type: 'array', items: number, maxItems: 1024, uniqueItems: true } as const;
const survey = { $ref: '/schemas/survey.json' } as const;
const version = {
  type: 'integer',
  minimum: 1,
  description: 'the version of the job that the change was made on',
} as const;
const name = { type: 'string', minLength: 1, maxLength: 200, pattern: '\\S' } as const;

const routesRequestSchema = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  $id: '/schemas/routes-request.json',
  type: 'object',
  required: ['survey', 'disk', 'goal'],
  properties: {
    survey,
    disk: number,
    goal: {
      type: 'object',
      required: ['partition'],
      properties: { partition: number, size: bytes, grow: bytes, max: { type: 'boolean' } },
    },
    kits: { type: 'array', items: name, minItems: 1, maxItems: 20 },
    keepFree: {
      type: 'object',
      properties: { percent: { type: 'number', minimum: 0, maximum: 95 }, bytes },
    },
    fixed: numbers,
    mayDelete: numbers,
    donors: numbers,
    gives: { type: 'object', propertyNames: { pattern: '^\\d+$' }, additionalProperties: bytes },
    outside: {
      type: 'array',
      items: { type: 'object', required: ['name', 'bytes'], properties: { name, bytes } },
    },
    mayEnlargeDisk: { type: 'boolean' },
    prefer: { enum: PREFERENCES },
  },
};

const diagnosisRequestSchema = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  $id: '/schemas/diagnosis-request.json',
  type: 'object',
  required: ['survey', 'disk', 'partition'],
  properties: { survey, disk: number, partition: number },
};

const jobSchema = {
  $id: '/schemas/new-job.json',
  type: 'object',
  required: ['customer', 'machine'],
  properties: { customer: name, machine: name },
};

const surveySaveSchema = {
  $id: '/schemas/save-survey.json',
  type: 'object',
  required: ['version', 'source', 'survey'],
  properties: { version, source: { enum: ['document', 'image', 'hand'] satisfies SurveySource[] }, survey },
};

const targetSaveSchema = {
  $id: '/schemas/save-target.json',
  type: 'object',
  required: ['version', 'disk', 'partition'],
  properties: { version, disk: number, partition: number },
};

const goalSaveSchema = {
  $id: '/schemas/save-goal.json',
  type: 'object',
  required: ['version', 'size'],
  properties: { version, size: bytes, keepFreePercent: { type: 'number', minimum: 0, maximum: 95 } },
};

/** Every schema by the name it is served under (`/schemas/NAME.json`). */
export const SCHEMAS: Record<string, object> = {
  survey: surveySchema,
  'routes-request': routesRequestSchema,
  'diagnosis-request': diagnosisRequestSchema,
  'new-job': jobSchema,
  'save-survey': surveySaveSchema,
  'save-target': targetSaveSchema,
  'save-goal': goalSaveSchema,
};

const ajv = new Ajv2020({
  allErrors: true,
  verbose: true,
  strict: true,
  allowUnionTypes: true,
  strictTypes: false,
  strictRequired: false,
});
addFormats.default(ajv);
ajv.addSchema(Object.values(SCHEMAS));
const compiled = <T>(id: string): ValidateFunction<T> => ajv.getSchema<T>(`/schemas/${id}.json`)!;

/** Compiled once, when the server starts. */
export const validate = {
  survey: compiled<SurveyDocument>('survey'),
  routesRequest: compiled<RoutesRequest>('routes-request'),
  diagnosisRequest: compiled<DiagnosisRequest>('diagnosis-request'),
  newJob: compiled<{ customer: string; machine: string }>('new-job'),
  saveSurvey: compiled<{ version: number; source: SurveySource; survey: SurveyDocument }>('save-survey'),
  saveTarget: compiled<{ version: number; disk: number; partition: number }>('save-target'),
  saveGoal: compiled<{ version: number; size: number; keepFreePercent?: number }>('save-goal'),
};

const MOST_ERRORS = 20;

/** What a schema found, in sentences, each at the path of its field. */
export function fieldErrors(errors: readonly ErrorObject[]): FieldError[] {
  const wrappers = new Set(['if', 'anyOf', 'oneOf', 'allOf']);
  const telling = errors.filter((error) => !wrappers.has(error.keyword));
  const seen = new Set<string>();
  return telling
    .map((error) => ({ path: pathOf(error), message: sentence(error) }))
    .filter(({ path, message }) => !seen.has(path + message) && seen.add(path + message))
    .slice(0, MOST_ERRORS);
}

const pathOf = (error: ErrorObject): string =>
  error.keyword === 'required'
    ? `${error.instancePath}/${String(error.params['missingProperty'])}`
    : error.instancePath;

function sentence(error: ErrorObject): string {
  const { keyword, params } = error;
  const last = pathOf(error)
    .split('/')
    .filter((part) => !/^\d*$/.test(part))
    .at(-1);
  const field = last ? `“${last}”` : 'The document';
  const shown = JSON.stringify(error.data)?.slice(0, 60);
  switch (keyword) {
    case 'required':
      return `${field} is missing.`;
    case 'const':
      if (last === 'version')
        return `Version ${shown} of the survey document is not known here; version 1 is.`;
      return `${field} must be ${JSON.stringify(params['allowedValue'])}, not ${shown}.`;
    case 'enum':
      return `${field} is ${shown}, but must be one of ${(params['allowedValues'] as unknown[]).filter((v) => v !== null).join(', ')}.`;
    case 'type': {
      const types = [params['type']].flat().filter((type) => type !== 'null');
      return `${field} must be ${types.map((type) => TYPE_WORD[String(type)] ?? type).join(' or ')}, not ${shown}.`;
    }
    case 'minimum':
    case 'maximum':
      return `${field} is ${shown}, but must be at ${keyword === 'minimum' ? 'least' : 'most'} ${String(params['limit'])}.`;
    case 'minLength':
      return `${field} is empty.`;
    case 'maxLength':
      return `${field} is longer than ${String(params['limit'])} characters.`;
    case 'maxItems':
      return `${field} has more than ${String(params['limit'])} entries.`;
    case 'minItems':
      return `${field} is empty.`;
    default:
      return `${field} (${shown}) does not have the right form: it ${error.message ?? 'is wrong'}.`;
  }
}

const TYPE_WORD: Record<string, string> = {
  integer: 'a whole number',
  number: 'a number',
  string: 'text',
  boolean: 'true or false',
  object: 'an object',
  array: 'a list',
};
