import { Ajv2020, type ErrorObject, type ValidateFunction } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import type { Drawing } from '$core/drawing';
import type { DiagnosisRequest } from '$core/diagnosis';
import {
  PREFERENCES,
  type GoalOptions,
  type RoutesAnswer,
  type RoutesRequest,
  type Workshop,
} from '$core/planning';
import type { SurveyDocument } from '$core/survey';
import type { FileProof } from '$core/proof';
import type { Tick } from '$core/worksheet';
import surveySchema from '$core/survey/survey.schema.json';
import { drawingSaveSchema, newDrawingSchema } from './drawingSchema';
import type { DrawingChange } from './drawings';
import type { JobDetails } from './jobs';
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

const id = { type: 'string', pattern: '^[a-z0-9][a-z0-9-]{0,47}$' } as const;
const fileSystems = {
  type: 'array',
  items: { enum: ['ntfs', 'refs', 'fat32', 'fat16', 'exfat'] },
  uniqueItems: true,
} as const;
const roles = {
  type: 'array',
  items: { enum: ['windows', 'data', 'recovery', 'efi', 'reserved', 'system', 'vendor', 'unknown'] },
  uniqueItems: true,
} as const;
const rate = { type: 'number', exclusiveMinimum: 0, maximum: 100_000 } as const;
const range = { type: 'object', required: ['low', 'high'], properties: { low: rate, high: rate } } as const;
const seconds = {
  type: 'object',
  required: ['low', 'high'],
  properties: {
    low: { type: 'integer', minimum: 0, maximum: 86_400 },
    high: { type: 'integer', minimum: 0, maximum: 86_400 },
  },
} as const;

const workshopSchema = {
  type: 'object',
  properties: {
    tools: {
      type: 'array',
      maxItems: 20,
      items: {
        type: 'object',
        required: [
          'id',
          'name',
          'countsFrom',
          'notes',
          'extends',
          'shrinks',
          'floor',
          'moves',
          'movesAtRestart',
          'restartsPerRun',
          'touchesEncrypted',
          'resizesExtended',
        ],
        properties: {
          id,
          name: { type: 'string', minLength: 1, maxLength: 60, pattern: '\\S' },
          countsFrom: { enum: [0, 1] },
          notes: { type: 'string', maxLength: 1000 },
          extends: fileSystems,
          shrinks: fileSystems,
          floor: { enum: ['running', 'offline'] },
          moves: roles,
          movesAtRestart: roles,
          restartsPerRun: { type: 'integer', minimum: 0, maximum: 5 },
          touchesEncrypted: { type: 'boolean' },
          resizesExtended: { type: 'boolean' },
        },
      },
    },
    kits: {
      type: 'array',
      maxItems: 20,
      items: {
        type: 'object',
        required: ['id', 'name', 'tools'],
        properties: {
          id,
          name: { type: 'string', minLength: 1, maxLength: 60, pattern: '\\S' },
          tools: { type: 'array', items: id, minItems: 1, maxItems: 8, uniqueItems: true },
        },
      },
    },
    rates: {
      type: 'object',
      required: ['copying', 'step', 'restart'],
      properties: {
        copying: {
          type: 'object',
          required: ['hdd', 'sata-ssd', 'nvme', 'virtual'],
          properties: { hdd: range, 'sata-ssd': range, nvme: range, virtual: range },
        },
        step: seconds,
        restart: seconds,
      },
    },
  },
} as const;

const optionProperties = {
  kits: { type: 'array', items: name, minItems: 1, maxItems: 20 },
  fixed: numbers,
  mayDelete: numbers,
  donors: numbers,
  gives: { type: 'object', propertyNames: { pattern: '^\\d+$' }, additionalProperties: bytes },
  outside: {
    type: 'array',
    maxItems: 8,
    items: { type: 'object', required: ['name', 'bytes'], properties: { name, bytes } },
  },
  mayEnlargeDisk: { type: 'boolean' },
  prefer: { enum: PREFERENCES },
} as const;

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
    keepFree: {
      type: 'object',
      properties: { percent: { type: 'number', minimum: 0, maximum: 95 }, bytes },
    },
    ...optionProperties,
    workshop: workshopSchema,
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
  properties: {
    version,
    size: bytes,
    keepFreePercent: { type: 'number', minimum: 0, maximum: 95 },
    options: { type: 'object', properties: optionProperties },
    answer: {
      type: 'object',
      description: 'what the planner answered in the browser; without it the server plans',
      required: ['reached', 'largest', 'largestByKit', 'findings', 'routes'],
      properties: {
        reached: { type: 'boolean' },
        largest: bytes,
        largestByKit: { type: 'object', additionalProperties: bytes },
        findings: { type: 'array', maxItems: 100, items: { type: 'object' } },
        routes: {
          type: 'array',
          maxItems: 500,
          items: { type: 'object', required: ['kit', 'title', 'steps', 'totals', 'asLeft'] },
        },
      },
    },
  },
};

const chooseRouteSchema = {
  $id: '/schemas/choose-route.json',
  type: 'object',
  required: ['version', 'chosen'],
  properties: { version, chosen: number },
};

const workshopSaveSchema = {
  $id: '/schemas/save-workshop.json',
  type: 'object',
  required: ['version', 'workshop'],
  properties: { version, workshop: workshopSchema },
};

const jobDetailsSchema = {
  $id: '/schemas/job-details.json',
  type: 'object',
  required: ['version', 'customer', 'machine', 'notes', 'due'],
  properties: {
    version,
    customer: name,
    machine: name,
    notes: { type: 'string', maxLength: 20_000 },
    due: { type: ['string', 'null'], format: 'date' },
  },
};

const archiveSchema = {
  $id: '/schemas/archive-job.json',
  type: 'object',
  required: ['version', 'archived'],
  properties: { version, archived: { type: 'boolean' } },
};

const newSheetSchema = {
  $id: '/schemas/new-sheet.json',
  type: 'object',
  required: ['version'],
  properties: {
    version,
    drawing: {
      type: 'integer',
      minimum: 1,
      description: 'id of a drawing; without it the chosen route counts',
    },
  },
};

const ticksSchema = {
  $id: '/schemas/ticks.json',
  type: 'object',
  required: ['ticks'],
  properties: {
    ticks: {
      type: 'array',
      maxItems: 1000,
      items: {
        type: 'object',
        required: ['id', 'item', 'outcome', 'who', 'at', 'note', 'seconds', 'answers'],
        properties: {
          id: {
            type: 'string',
            format: 'uuid',
            description: 'made by the device; one sent twice is kept once',
          },
          item: { type: 'string', minLength: 1, maxLength: 64 },
          outcome: { enum: ['done', 'failed', 'undone'] },
          who: { type: 'string', minLength: 1, maxLength: 100, pattern: '\\S' },
          at: { type: 'string', format: 'date-time' },
          note: { type: 'string', maxLength: 2000 },
          seconds: { type: ['integer', 'null'], minimum: 0, maximum: 4_000_000 },
          answers: {
            type: 'object',
            maxProperties: 10,
            additionalProperties: { type: 'string', maxLength: 500 },
          },
        },
      },
    },
  },
};

const layoutProofSchema = {
  $id: '/schemas/layout-proof.json',
  type: 'object',
  required: ['version', 'survey'],
  properties: { version, survey },
};

const count = { type: 'integer', minimum: 0, maximum: 1e12 } as const;
const paths = {
  type: 'object',
  required: ['count', 'named'],
  properties: {
    count,
    named: { type: 'array', maxItems: 200, items: { type: 'string', maxLength: 40_000 } },
  },
} as const;
const manifestHead = {
  type: 'object',
  required: ['takenAt', 'machine', 'disks', 'folders', 'files', 'bytes'],
  properties: {
    takenAt: { type: 'string', format: 'date-time' },
    machine: { type: 'string', maxLength: 200 },
    disks: { type: 'array', maxItems: 100, items: { type: 'string', maxLength: 200 } },
    folders: { type: 'array', maxItems: 100, items: { type: 'string', maxLength: 1000 } },
    files: count,
    bytes: { type: 'number', minimum: 0 },
  },
} as const;

const fileProofSchema = {
  $id: '/schemas/file-proof.json',
  type: 'object',
  required: ['version', 'proof'],
  properties: {
    version,
    proof: {
      type: 'object',
      required: ['verdict', 'before', 'after', 'same', 'moved', 'changed', 'missing', 'added', 'unreadable'],
      properties: {
        verdict: { enum: ['proved', 'open', 'lost'] },
        before: manifestHead,
        after: manifestHead,
        same: count,
        moved: count,
        changed: paths,
        missing: paths,
        added: paths,
        unreadable: paths,
      },
    },
  },
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
  'choose-route': chooseRouteSchema,
  'save-workshop': workshopSaveSchema,
  'new-drawing': newDrawingSchema,
  'save-drawing': drawingSaveSchema,
  'job-details': jobDetailsSchema,
  'archive-job': archiveSchema,
  'new-sheet': newSheetSchema,
  ticks: ticksSchema,
  'layout-proof': layoutProofSchema,
  'file-proof': fileProofSchema,
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
  saveGoal: compiled<{
    version: number;
    size: number;
    keepFreePercent?: number;
    options?: GoalOptions;
    answer?: RoutesAnswer;
  }>('save-goal'),
  chooseRoute: compiled<{ version: number; chosen: number }>('choose-route'),
  saveWorkshop: compiled<{ version: number; workshop: Workshop }>('save-workshop'),
  newDrawing: compiled<{ name: string; states: Drawing[]; position: number }>('new-drawing'),
  saveDrawing: compiled<DrawingChange>('save-drawing'),
  jobDetails: compiled<JobDetails & { version: number }>('job-details'),
  archive: compiled<{ version: number; archived: boolean }>('archive-job'),
  newSheet: compiled<{ version: number; drawing?: number }>('new-sheet'),
  ticks: compiled<{ ticks: Tick[] }>('ticks'),
  layoutProof: compiled<{ version: number; survey: SurveyDocument }>('layout-proof'),
  fileProof: compiled<{ version: number; proof: FileProof }>('file-proof'),
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
