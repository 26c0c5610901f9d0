import { Type, type Static, type TSchema } from 'typebox';
import { Ajv2020, type ErrorObject, type ValidateFunction } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { BenchProofShape, EXTENTS } from '$core/bench';
import { DiagnosisRequestShape, DiagnosisShape } from '$core/diagnosis';
import { Drawing } from '$core/drawing';
import {
  GoalOptionsShape,
  RoutesAnswerShape,
  RoutesRequestShape,
  SurveyWithin,
  WorkshopShape,
} from '$core/planning';
import { ChoicesShape, HoldingsShape, HoldingsWithin } from '$core/holdings';
import { FileProofShape } from '$core/proof';
import { closed, Bytes, Name } from '$core/shapes';
import { SurveyShape } from '$core/survey';
import { firstCharacters } from '$core/wellFormed';
import { TickShape } from '$core/worksheet';
import { DETAILS, DrawingStates, JobPartsShape, SURVEY_SOURCES, Told } from './jobFile/parts';
import { KeepFreePercent } from './making';
import { ImageName } from './images/names';
import { BeginUpload, UploadShape } from './images/uploads';
import { PEOPLE_BODIES } from './people/bodies';
import { PACES, PLACES, WISHES } from './rehearsal/states';
import { EXAMPLES } from './examples';
import type { FieldError } from './problem';

/** The bodies that the API takes and gives: each shape is the type and the JSON Schema in one. */
const number = Type.Integer({ minimum: 0, maximum: 65_535 });
const version = Type.Integer({
  minimum: 1,
  maximum: 2 ** 32 - 1,
  description: 'the version of the job that the change was made on',
});

const BODIES = {
  ...PEOPLE_BODIES,
  survey: SurveyShape,
  holdings: HoldingsShape,
  'routes-request': RoutesRequestShape,
  'routes-answer': RoutesAnswerShape,
  'diagnosis-request': DiagnosisRequestShape,
  diagnosis: DiagnosisShape,
  'new-job': closed({ customer: Name, machine: Name }),
  'save-survey': closed({
    version,
    source: Type.Enum(SURVEY_SOURCES),
    survey: SurveyWithin,
    /** What fills its volumes, where it was read with it. */
    holdings: Type.Optional(HoldingsWithin),
  }),
  'save-holdings': closed({ version, holdings: HoldingsWithin }),
  'save-choices': closed({ version, choices: ChoicesShape }),
  'save-target': closed({ version, disk: number, partition: number }),
  'save-goal': closed({
    version,
    size: Bytes,
    keepFreePercent: Type.Optional(KeepFreePercent),
    options: Type.Optional(GoalOptionsShape),
    /** What the planner answered in a browser. It is not kept: the server plans itself. */
    answer: Type.Optional(RoutesAnswerShape),
  }),
  'choose-route': closed({ version, chosen: number }),
  'save-workshop': closed({ version, workshop: WorkshopShape }),
  'new-drawing': DrawingStates,
  'save-drawing': closed({
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
    add: Type.Array(Drawing, { maxItems: 2000 }),
    position: Type.Integer({ minimum: 0, maximum: 1_000_000, description: 'which state is the present one' }),
    name: Type.Optional(Name),
    told: Type.Optional(Told),
  }),
  'job-details': closed({ version, ...DETAILS }),
  'archive-job': closed({ version, archived: Type.Boolean() }),
  'work-despite': closed({
    against: Type.String({ maxLength: 100, description: 'what the sheet was held against, as it was shown' }),
  }),
  'new-sheet': closed({
    version,
    drawing: Type.Optional(
      Type.Integer({
        minimum: 1,
        maximum: Number.MAX_SAFE_INTEGER,
        description: 'id of a drawing; without it the chosen route counts',
      }),
    ),
  }),
  ticks: closed({ ticks: Type.Array(TickShape, { maxItems: 1000 }) }),
  'layout-proof': closed({ version, survey: SurveyWithin }),
  'file-proof': closed({ version, proof: FileProofShape }),
  'start-rehearsal': closed({
    pace: Type.Enum(PACES, { description: 'as fast as it goes, or like the drive, in time-lapse' }),
    place: Type.Optional(
      Type.Enum(PLACES, {
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
  'begin-upload': BeginUpload,
  upload: UploadShape,
  'survey-image': closed({ version, image: ImageName }),
  'rehearsal-wish': closed({ wish: Type.Enum(WISHES) }),
  proof: BenchProofShape,
  'job-parts': JobPartsShape,
} satisfies Record<string, TSchema>;

export type BodyName = keyof typeof BODIES;
/** The type of a body by the name of its schema. */
export type BodyOf<N extends BodyName> = Static<(typeof BODIES)[N]>;

/** Every schema by the name it is served under (`/schemas/NAME.json`). */
export const SCHEMAS: Record<string, object> = Object.fromEntries(
  Object.entries(BODIES).map(([name, shape]) => {
    const example = EXAMPLES[name as BodyName];
    const head = { $schema: 'https://json-schema.org/draft/2020-12/schema', $id: `/schemas/${name}.json` };
    return [name, { ...head, ...shape, ...(example ? { examples: [example] } : {}) }];
  }),
);

/** Dates and times that a database can hold and JavaScript can read: a clock that was reset says 1980, none says 60 seconds. */
const MOMENT =
  /^(\d{4})-\d\d-\d\dT([01]\d|2[0-3]):[0-5]\d:[0-5]\d(\.\d{1,9})?(Z|[+-]([01]\d|2[0-3]):[0-5]\d)$/i;
const LEAST_YEAR = 1970;
const isDate = (text: string): boolean =>
  /^\d{4}-\d\d-\d\d$/.test(text) &&
  Number(text.slice(0, 4)) >= LEAST_YEAR &&
  new Date(`${text}T00:00:00Z`).toJSON()?.startsWith(text) === true;
const isMoment = (text: string): boolean => {
  if (!MOMENT.test(text) || !isDate(text.slice(0, 10))) return false;
  const year = new Date(text).getUTCFullYear();
  return year >= LEAST_YEAR && year <= 9999;
};

function compiler(allErrors: boolean): Ajv2020 {
  const ajv = new Ajv2020({
    allErrors,
    verbose: true,
    // A server that made the generated code shorter would start in five seconds instead of three, and check no faster.
    code: { optimize: false },
    strict: true,
    allowUnionTypes: true,
    strictTypes: false,
    strictRequired: false,
  });
  addFormats.default(ajv);
  ajv.addFormat('date', isDate).addFormat('date-time', isMoment);
  // Lists in which nothing may stand twice hold words and numbers here: told by a set, where each with each takes its square.
  ajv.removeKeyword('uniqueItems').addKeyword({
    keyword: 'uniqueItems',
    type: 'array',
    schemaType: 'boolean',
    validate: (_: boolean, list: unknown[]) => new Set(list).size === list.length,
  });
  return ajv.addSchema(Object.values(SCHEMAS));
}
/** All that is wrong with a body, for its fields: only for what is small, since what is large may be wrong a million times. */
const thorough = compiler(true);
/** Whether a body fits, and the first thing that is wrong. Bounds stand before contents: what is too long is not looked into. */
const brief = compiler(false);

/** The check of a body, and a guard of its type. Compiled once, when it is first asked for. */
export const checkOf = <N extends BodyName>(name: N): ValidateFunction<BodyOf<N>> => checkBy(brief, name);

function checkBy<N extends BodyName>(ajv: Ajv2020, name: N): ValidateFunction<BodyOf<N>> {
  const check = ajv.getSchema<BodyOf<N>>(`/schemas/${name}.json`);
  if (!check) throw new Error(`no schema ${name}`);
  return check;
}

const shapes = new WeakMap<object, ValidateFunction>();

/** The first thing that is wrong with a value that should have a shape; null: it has. */
export function faultOf(shape: TSchema, value: unknown): FieldError | null {
  let check = shapes.get(shape);
  if (!check) {
    // A shape that is served is known by its address already.
    const id = (shape as { $id?: string }).$id;
    check = (id && brief.getSchema(id)) || brief.compile(shape);
    shapes.set(shape, check);
  }
  if (check(value)) return null;
  return fieldErrors(check.errors ?? [])[0] ?? { path: '', message: 'It does not have the right form.' };
}

/** Compiles every check, which takes longer than anything that is asked later: done before the first request. */
export function warmUp(): void {
  for (const name of Object.keys(BODIES) as BodyName[]) {
    checkBy(brief, name);
    checkBy(thorough, name);
  }
}

/** Values of a body up to which everything that is wrong with it is told. */
const FEW_VALUES = 5000;
const MOST_ERRORS = 20;

/** What is wrong with a value that should be such a body, up to 20 faults; of a large one the first. None: it fits. */
export function faultsIn(name: BodyName, value: unknown): FieldError[] {
  const check = checkBy(hasMore(value, FEW_VALUES) ? brief : thorough, name);
  if (check(value)) return [];
  const told = fieldErrors(check.errors ?? []);
  return told.length > 0 ? told : [{ path: '', message: 'The document does not have the right form.' }];
}

/** Whether a value holds more than so many others; looks at no more than that. */
function hasMore(value: unknown, most: number): boolean {
  let left = most;
  const walk = (one: unknown): boolean =>
    --left < 0 || (typeof one === 'object' && one !== null && Object.values(one).some(walk));
  return walk(value);
}

/** What a schema found, in sentences, each at the path of its field. */
export function fieldErrors(errors: readonly ErrorObject[]): FieldError[] {
  const wrappers = new Set(['if', 'anyOf', 'oneOf', 'allOf', 'propertyNames']);
  const seen = new Set<string>();
  const told: FieldError[] = [];
  for (const error of errors) {
    if (wrappers.has(error.keyword)) continue;
    const one = { path: pathOf(error), message: sentence(error) };
    const key = JSON.stringify(one);
    if (seen.has(key)) continue;
    seen.add(key);
    told.push(one);
    if (told.length === MOST_ERRORS) break;
  }
  return told;
}

/** Longest that a path or a name of a sender's own making is repeated to him. */
const MOST_REPEATED = 200;

function pathOf({ keyword, instancePath, params, propertyName }: ErrorObject): string {
  const of: Record<string, unknown> = {
    required: params['missingProperty'],
    additionalProperties: params['additionalProperty'],
  };
  const last = of[keyword] ?? propertyName;
  const path = last === undefined ? instancePath : `${instancePath}/${String(last)}`;
  return firstCharacters(path, MOST_REPEATED);
}

/** A value as it may stand in a sentence; of what holds others only that it does. */
function shownValue(value: unknown): string {
  if (Array.isArray(value)) return `a list of ${value.length}`;
  if (typeof value === 'object' && value !== null) return 'an object';
  if (typeof value === 'string') return JSON.stringify(firstCharacters(value, 60));
  return String(value);
}

function sentence(error: ErrorObject): string {
  const { keyword, params } = error;
  const last = pathOf(error)
    .split('/')
    .filter((part) => !/^\d*$/.test(part))
    .at(-1);
  const field = last ? `“${last}”` : 'The document';
  const shown = shownValue(error.data);
  switch (keyword) {
    case 'required':
      return `${field} is missing.`;
    case 'additionalProperties':
      return `${field} is no field that is known here.`;
    case 'maxProperties':
      return `${field} has more than ${String(params['limit'])} entries.`;
    case 'uniqueItems':
      return `${field} names something twice.`;
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
