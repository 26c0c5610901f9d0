import type { Static, TSchema } from 'typebox';
import { Ajv2020, type ErrorObject, type ValidateFunction } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { DOCUMENTS, SCHEMAS } from '$contract/documents';
import { ENDPOINTS } from '$contract';
import { addressOf, isDocument, type Document } from '$contract/endpoint';
import type { Problem } from '$core/problem';
import { takeFirstCharacters } from '$core/wellFormed';

/**
 * Dates and times that a database can hold and JavaScript can read: a clock that was reset says 1980, none says 60
 * seconds.
 */
const MOMENT =
  /^(\d{4})-\d\d-\d\dT([01]\d|2[0-3]):[0-5]\d:[0-5]\d(\.\d{1,9})?(Z|[+-]([01]\d|2[0-3]):[0-5]\d)$/i;
const MIN_YEAR = 1970;
const isDate = (text: string): boolean =>
  /^\d{4}-\d\d-\d\d$/.test(text) &&
  Number(text.slice(0, 4)) >= MIN_YEAR &&
  new Date(`${text}T00:00:00Z`).toJSON()?.startsWith(text) === true;
const isMoment = (text: string): boolean => {
  if (!MOMENT.test(text) || !isDate(text.slice(0, 10))) return false;
  const year = new Date(text).getUTCFullYear();
  return year >= MIN_YEAR && year <= 9999;
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
  // Lists in which nothing may stand twice hold words and numbers here: told by a set, where each with each takes its
  // square.
  ajv.removeKeyword('uniqueItems').addKeyword({
    keyword: 'uniqueItems',
    type: 'array',
    schemaType: 'boolean',
    validate: (_: boolean, list: unknown[]) => new Set(list).size === list.length,
  });
  return ajv.addSchema(Object.values(SCHEMAS));
}
/**
 * Whether a body fits, and the first thing that is wrong. Bounds stand before contents: what is too long is not looked
 * into.
 */
const brief = compiler(false);
let thorough: Ajv2020 | undefined;
/**
 * The check that finds all that is wrong with a body, for its fields: only for what is small, since what is large may
 * be wrong a million times. Threads compile it when the first such body is wrong.
 */
const thoroughCheck = (name: string): ValidateFunction => checkBy((thorough ??= compiler(true)), name);

/** The check of a document of the contract, and a guard of its type. Compiled once, when it is first asked for. */
export const checkOf = <S extends TSchema>({ name }: Document<S>): ValidateFunction<Static<S>> =>
  checkBy(brief, name) as ValidateFunction<Static<S>>;

function checkBy(ajv: Ajv2020, name: string): ValidateFunction {
  const check = ajv.getSchema(addressOf(name));
  if (!check) throw new Error(`no schema ${name}`);
  return check;
}

/** The names of the shapes that are served: their checks are compiled once, whoever asks. */
const names = new Map<TSchema, string>(Object.values(DOCUMENTS).map(({ name, shape }) => [shape, name]));
const shapes = new WeakMap<TSchema, ValidateFunction>();

/** Fault of a value, at its path (JSON pointer). */
export type Fault = Pick<Problem, 'path' | 'message'>;

/** The first thing that is wrong with a value that should have a shape; null: it has. */
export function faultOf(shape: TSchema, value: unknown): Fault | null {
  let check = shapes.get(shape);
  if (!check) {
    const name = names.get(shape);
    check = name === undefined ? brief.compile(shape) : checkBy(brief, name);
    shapes.set(shape, check);
  }
  if (check(value)) return null;
  return listFieldErrors(check.errors ?? [])[0] ?? { path: '', message: 'It does not have the right form.' };
}

/**
 * Compiles the checks of all bodies, which keeps the server's own thread longer than any check: before the first
 * request.
 */
export function warmUp(): void {
  for (const { endpoint } of ENDPOINTS)
    if (endpoint.body && isDocument(endpoint.body)) {
      checkOf(endpoint.body);
      thoroughCheck(endpoint.body.name);
    }
}

/** Values of a body up to which everything that is wrong with it is told. */
const FEW_VALUES = 5000;
const MAX_ERRORS = 20;

/** Faults of a value that should be such a body, up to 20; of a large one the first. None: it fits. */
export function findFaults(name: string, value: unknown): Fault[] {
  const first = checkBy(brief, name);
  if (first(value)) return [];
  const check = hasMore(value, FEW_VALUES) ? first : thoroughCheck(name);
  check(value);
  const told = listFieldErrors(check.errors ?? []);
  return told.length > 0 ? told : [{ path: '', message: 'The document does not have the right form.' }];
}

/** Whether a value holds more than so many others; looks at no more than that. */
function hasMore(value: unknown, most: number): boolean {
  let left = most;
  const walk = (one: unknown): boolean =>
    --left < 0 || (typeof one === 'object' && one !== null && Object.values(one).some(walk));
  return walk(value);
}

/** A schema's errors in sentences, each at the path of its field. */
export function listFieldErrors(errors: readonly ErrorObject[]): Fault[] {
  const wrappers = new Set(['if', 'anyOf', 'oneOf', 'allOf', 'propertyNames']);
  const seen = new Set<string>();
  const told: Fault[] = [];
  for (const error of errors) {
    if (wrappers.has(error.keyword)) continue;
    const one = { path: pathOf(error), message: sentence(error) };
    const key = JSON.stringify(one);
    if (seen.has(key)) continue;
    seen.add(key);
    told.push(one);
    if (told.length === MAX_ERRORS) break;
  }
  return told;
}

/** Longest that a path or a name of a sender's own making is repeated to him. */
const MAX_REPEATED = 200;

function pathOf({ keyword, instancePath, params, propertyName }: ErrorObject): string {
  const of: Record<string, unknown> = {
    required: params['missingProperty'],
    additionalProperties: params['additionalProperty'],
  };
  const last = of[keyword] ?? propertyName;
  const path = last === undefined ? instancePath : `${instancePath}/${String(last)}`;
  return takeFirstCharacters(path, MAX_REPEATED);
}

/** A value as it may stand in a sentence; of what holds others only that it does. */
function shownValue(value: unknown): string {
  if (Array.isArray(value)) return `a list of ${value.length}`;
  if (typeof value === 'object' && value !== null) return 'an object';
  if (typeof value === 'string') return JSON.stringify(takeFirstCharacters(value, 60));
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
