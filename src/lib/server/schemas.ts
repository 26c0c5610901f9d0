import { Type, type Static, type TSchema } from 'typebox';
import { Ajv2020, type ErrorObject, type ValidateFunction } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { DiagnosisRequestShape, DiagnosisShape } from '$core/diagnosis';
import { Drawing } from '$core/drawing';
import {
  GoalOptionsShape,
  RoutesAnswerShape,
  RoutesRequestShape,
  SurveyWithin,
  WorkshopShape,
} from '$core/planning';
import { FileProofShape } from '$core/proof';
import { Bytes, Name } from '$core/shapes';
import { SurveyShape } from '$core/survey';
import { TickShape } from '$core/worksheet';
import { DETAILS, DrawingStates, JobPartsShape, KeepFreePercent, SURVEY_SOURCES, Told } from './jobParts';
import { EXAMPLES } from './examples';
import type { FieldError } from './problem';

/** The bodies that the API takes and gives: each shape is the type and the JSON Schema in one. */
const number = Type.Integer({ minimum: 0 });
const version = Type.Integer({
  minimum: 1,
  description: 'the version of the job that the change was made on',
});

const BODIES = {
  survey: SurveyShape,
  'routes-request': RoutesRequestShape,
  'routes-answer': RoutesAnswerShape,
  'diagnosis-request': DiagnosisRequestShape,
  diagnosis: DiagnosisShape,
  'new-job': Type.Object({ customer: Name, machine: Name }),
  'save-survey': Type.Object({ version, source: Type.Enum(SURVEY_SOURCES), survey: SurveyWithin }),
  'save-target': Type.Object({ version, disk: number, partition: number }),
  'save-goal': Type.Object({
    version,
    size: Bytes,
    keepFreePercent: Type.Optional(KeepFreePercent),
    options: Type.Optional(GoalOptionsShape),
    /** What the planner answered in the browser; without it the server plans. */
    answer: Type.Optional(RoutesAnswerShape),
  }),
  'choose-route': Type.Object({ version, chosen: number }),
  'save-workshop': Type.Object({ version, workshop: WorkshopShape }),
  'new-drawing': DrawingStates,
  'save-drawing': Type.Object({
    edition: Type.Integer({ minimum: 1, description: 'the edition that the change was made on' }),
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
  'job-details': Type.Object({ version, ...DETAILS }),
  'archive-job': Type.Object({ version, archived: Type.Boolean() }),
  'new-sheet': Type.Object({
    version,
    drawing: Type.Optional(
      Type.Integer({ minimum: 1, description: 'id of a drawing; without it the chosen route counts' }),
    ),
  }),
  ticks: Type.Object({ ticks: Type.Array(TickShape, { maxItems: 1000 }) }),
  'layout-proof': Type.Object({ version, survey: SurveyWithin }),
  'file-proof': Type.Object({ version, proof: FileProofShape }),
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

function compiler(allErrors: boolean): Ajv2020 {
  const ajv = new Ajv2020({
    allErrors,
    verbose: true,
    strict: true,
    allowUnionTypes: true,
    strictTypes: false,
    strictRequired: false,
  });
  addFormats.default(ajv);
  return ajv.addSchema(Object.values(SCHEMAS));
}
/** All that is wrong with a body, for its fields; its size is bounded before (body.ts). */
const thorough = compiler(true);
/** The first thing that is wrong, and no more: what is large may be wrong a million times. */
const brief = compiler(false);

/** The check of a body, and a guard of its type. Compiled once, when it is first asked for. */
export const checkOf = <N extends BodyName>(name: N): ValidateFunction<BodyOf<N>> => checkBy(thorough, name);

function checkBy<N extends BodyName>(ajv: Ajv2020, name: N): ValidateFunction<BodyOf<N>> {
  const check = ajv.getSchema<BodyOf<N>>(`/schemas/${name}.json`);
  if (!check) throw new Error(`no schema ${name}`);
  return check;
}

/** Whether a value is such a body; stops at the first thing that is wrong. */
export const isBody = <N extends BodyName>(name: N, value: unknown): value is BodyOf<N> =>
  checkBy(brief, name)(value);

/** The first thing that is wrong with a value that should be such a body; null: nothing is. */
export function faultIn(name: BodyName, value: unknown): FieldError | null {
  const check = checkBy(brief, name);
  if (check(value)) return null;
  return fieldErrors(check.errors ?? [])[0] ?? { path: '', message: 'It does not fit.' };
}

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
