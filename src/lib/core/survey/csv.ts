import Papa from 'papaparse';
import { failure, success, type Outcome, type Problem } from '../problem';
import { omit } from '../omit';
import type { SurveyDocument, SurveyPartition } from './document';
import { boundNotes } from './notes';

/**
 * A survey as a table, one row for each partition (RFC 4180), for spreadsheets and back without loss. A row
 * repeats what its disk and machine are; what has no column of its own stands as JSON in its level's "other".
 */

type Level = 'survey' | 'machine' | 'recovery' | 'disk' | 'partition' | 'volume' | 'encryption';
type Kind = 'text' | 'number' | 'share' | 'flag';
type Fields = Record<string, unknown>;
type Row = Record<string, string>;

/** In the order in which a person reads a row. */
const COLUMNS: readonly (readonly [Level, string, Kind])[] = [
  ['disk', 'number', 'number'],
  ['disk', 'serial', 'text'],
  ['partition', 'number', 'number'],
  ['partition', 'letter', 'text'],
  ['volume', 'label', 'text'],
  ['partition', 'role', 'text'],
  ['volume', 'fileSystem', 'text'],
  ['partition', 'first', 'number'],
  ['partition', 'sectors', 'number'],
  ['volume', 'size', 'number'],
  ['volume', 'used', 'number'],
  ['volume', 'smallestRunning', 'number'],
  ['volume', 'smallestOffline', 'number'],
  ['volume', 'lastUsed', 'number'],
  ['volume', 'lastImmovable', 'number'],
  ['volume', 'clusterSize', 'number'],
  ['volume', 'dirty', 'flag'],
  ['volume', 'bootSector', 'text'],
  ['encryption', 'state', 'text'],
  ['encryption', 'percent', 'share'],
  ['encryption', 'usedOnly', 'flag'],
  ['partition', 'type', 'text'],
  ['partition', 'id', 'text'],
  ['partition', 'attributes', 'text'],
  ['partition', 'unreadAttributes', 'text'],
  ['partition', 'name', 'text'],
  ['partition', 'kind', 'text'],
  ['partition', 'active', 'flag'],
  ['disk', 'model', 'text'],
  ['disk', 'media', 'text'],
  ['disk', 'sectorSize', 'number'],
  ['disk', 'sectors', 'number'],
  ['disk', 'table', 'text'],
  ['disk', 'id', 'text'],
  ['disk', 'backupHeader', 'number'],
  ['disk', 'firstUsable', 'number'],
  ['disk', 'lastUsable', 'number'],
  ['disk', 'entries', 'number'],
  ['disk', 'entrySize', 'number'],
  ['disk', 'protectiveRecord', 'text'],
  ['disk', 'dynamic', 'flag'],
  ['machine', 'name', 'text'],
  ['machine', 'firmware', 'text'],
  ['machine', 'onBattery', 'flag'],
  ['machine', 'hibernation', 'flag'],
  ['machine', 'hibernated', 'flag'],
  ['recovery', 'enabled', 'flag'],
  ['recovery', 'disk', 'number'],
  ['recovery', 'partition', 'number'],
  ['survey', 'takenAt', 'text'],
];
const LEVELS: readonly Level[] = [
  'survey',
  'machine',
  'recovery',
  'disk',
  'partition',
  'volume',
  'encryption',
];
const OTHER = 'other';
const HEADERS = [
  ...COLUMNS.map(([level, field]) => `${level}.${field}`),
  ...LEVELS.map((level) => `${level}.${OTHER}`),
];
const NEEDED = ['disk.number', 'partition.number', 'partition.first', 'partition.sectors'];

/** Whether a text is such a table, judged by its first line. */
export const isSurveyCsv = (text: string): boolean =>
  NEEDED.every((header) => text.slice(0, 4096).split(/\r?\n/, 1)[0]!.includes(header));

/** The survey as CSV, with a header line, lines ended by CR LF. */
export function csvOf(survey: SurveyDocument): string {
  const { machine, disks } = survey;
  const document = omit(survey, 'format', 'version', 'machine', 'disks');
  const { recoveryEnvironment, ...machineFields } = machine;
  const common: Row = {
    ...cellsOf('survey', document),
    ...parentAndChild('machine', machineFields, 'recovery', 'recoveryEnvironment', recoveryEnvironment),
  };
  const rows = disks.flatMap(({ partitions, ...disk }) => {
    const ofDisk = { ...common, ...cellsOf('disk', disk) };
    if (partitions.length === 0) return [ofDisk];
    return partitions.map((partition) => ({ ...ofDisk, ...cellsOfPartition(partition) }));
  });
  return Papa.unparse({ fields: HEADERS, data: rows.map((row) => HEADERS.map((h) => row[h] ?? '')) });
}

function cellsOfPartition({ volume, ...partition }: SurveyPartition): Row {
  if (!volume) return cellsOf('partition', volume === undefined ? partition : { ...partition, volume });
  const { encryption, ...fields } = volume;
  return {
    ...cellsOf('partition', partition),
    ...parentAndChild('volume', fields, 'encryption', 'encryption', encryption),
  };
}

/** A child that is null stays with its parent, so that it is null again and not absent. */
function parentAndChild(level: Level, fields: object, child: Level, name: string, value: unknown): Row {
  return value && typeof value === 'object'
    ? { ...cellsOf(level, fields), ...cellsOf(child, value) }
    : cellsOf(level, value === undefined ? fields : { ...fields, [name]: value });
}

function cellsOf(level: Level, fields: object): Row {
  const given = new Map<string, unknown>(Object.entries(fields));
  const row: Row = {};
  for (const [of, field, kind] of COLUMNS) {
    if (of !== level) continue;
    const cell = cellOf(given.get(field), kind);
    if (cell === null) continue;
    row[`${level}.${field}`] = cell;
    given.delete(field);
  }
  if (given.size > 0) row[`${level}.${OTHER}`] = JSON.stringify(Object.fromEntries(given));
  return row;
}

/** A value as a cell that says exactly the same, or null where a cell can't. */
function cellOf(value: unknown, kind: Kind): string | null {
  if (kind === 'text') return typeof value === 'string' && value !== '' ? guarded(value) : null;
  if (kind === 'flag') return typeof value === 'boolean' ? String(value) : null;
  const fits =
    kind === 'number'
      ? Number.isSafeInteger(value)
      : typeof value === 'number' && /^-?[\d.]+$/.test(String(value));
  return fits ? String(value) : null;
}

/**
 * A spreadsheet takes such a text for a formula, or for a number of which it keeps fifteen digits and no leading zeros;
 * an apostrophe keeps it text, and is taken off again.
 */
const FORMULA = /^['=+\-@\t\r]|^\d+([.,]\d*)?(e[+-]?\d+)?$/i;
const guarded = (text: string): string => (FORMULA.test(text) ? `'${text}` : text);
const unguarded = (cell: string): string => (cell.startsWith("'") ? cell.slice(1) : cell);

/**
 * Reads such a table back into what should be a survey document: whether it is one, its schema says and
 * {@link checkSurvey}. Columns that are not known are left out, and a note says so.
 *
 * Problem codes: csv-form (quotes, missing columns, no rows), csv-cell (a cell that has the wrong form),
 * csv-differs (two rows say different things of the same disk or machine).
 */
export function surveyFromCsv(text: string): Outcome<unknown> {
  const parsed = Papa.parse<Row>(text.replace(/^\uFEFF/, '').trim(), { header: true, skipEmptyLines: true });
  const headers = parsed.meta.fields ?? [];
  const missing = NEEDED.filter((header) => !headers.includes(header));
  if (missing.length > 0) return failure(formProblem(`The table has no column “${missing.join('”, “')}”.`));
  const [broken] = parsed.errors;
  if (broken) {
    const line = (broken.row ?? 0) + 2;
    return failure(formProblem(`Line ${line} of the table is broken: ${broken.message}.`));
  }
  if (parsed.data.length === 0) return failure(formProblem('The table has no rows below its header.'));

  const problems: Problem[] = [];
  const read = parsed.data.map((row, i) => readRow(row, i + 2, problems));
  const differing = [...roundedSizes(read), ...differences(read)];
  if (problems.length + differing.length > 0) return failure(...problems, ...differing);
  return success(documentOf(read, headers));
}

const formProblem = (message: string): Problem => ({ code: 'csv-form', path: '', message });

type ReadRow = { line: number } & Record<Level, Fields | null>;

function readRow(row: Row, line: number, problems: Problem[]): ReadRow {
  const levels = Object.fromEntries(LEVELS.map((level) => [level, null])) as Record<Level, Fields | null>;
  const wrong = (header: string, cell: string, wants: string) =>
    problems.push({
      code: 'csv-cell',
      path: `/line ${line}/${header}`,
      message: `Line ${line}, ${header}: “${cell.slice(0, 60)}” is not ${wants}.`,
    });
  const put = (level: Level, fields: Fields) => (levels[level] = { ...levels[level], ...fields });
  for (const [level, field, kind] of COLUMNS) {
    const header = `${level}.${field}`;
    const cell = row[header] ?? '';
    if (cell === '') continue;
    const value = valueOf(cell, kind);
    if (value === null) wrong(header, cell, WANTS[kind]);
    else put(level, { [field]: value });
  }
  for (const level of LEVELS) {
    const cell = row[`${level}.${OTHER}`] ?? '';
    if (cell === '') continue;
    const other = objectFrom(cell);
    if (other) put(level, other);
    else wrong(`${level}.${OTHER}`, cell, 'an object in JSON');
  }
  return { ...levels, line };
}

/**
 * What a spreadsheet makes of a long number when it saves what it shows: 1.27775E+11, with its sign, which a disk’s id
 * 12E45678 lacks. The digits are lost.
 */
const SHORTENED = /^[+-]?\d+([.,]\d+)?e[+-]\d+$/i;

const WANTS: Record<Kind, string> = {
  text: 'the whole text: a spreadsheet has shortened it to a number in exponent form. Give that column the form “text” before the table is opened',
  number:
    'a whole number in plain digits. A spreadsheet shortens and rounds long ones: give that column a form without decimals and exponent, and take the figure from the table as it was',
  share: 'a number',
  flag: 'true or false',
};

function valueOf(cell: string, kind: Kind): string | number | boolean | null {
  if (kind === 'text') return SHORTENED.test(cell) ? null : unguarded(cell);
  // Spreadsheets write flags in capitals.
  if (kind === 'flag') return /^(true|false)$/i.test(cell) ? cell.toLowerCase() === 'true' : null;
  const form = kind === 'number' ? /^-?\d{1,16}$/ : /^-?\d+(\.\d+)?$/;
  const value = form.test(cell) ? Number(cell) : NaN;
  return Number.isFinite(value) && (kind === 'share' || Number.isSafeInteger(value)) ? value : null;
}

/** Sizes of volumes are whole sectors; one that is not was rounded on its way. */
function roundedSizes(rows: readonly ReadRow[]): Problem[] {
  return rows.flatMap(({ disk, volume, line }) => {
    const [size, sector] = [volume?.['size'], disk?.['sectorSize']];
    if (typeof size !== 'number' || (sector !== 512 && sector !== 4096) || size % sector === 0) return [];
    const message = `Line ${line}, volume.size: ${size} bytes is no whole number of ${sector}-byte sectors. Did a spreadsheet round it?`;
    return { code: 'csv-cell', path: `/line ${line}/volume.size`, message };
  });
}

function objectFrom(cell: string): Fields | null {
  try {
    const value: unknown = JSON.parse(cell);
    return typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Fields) : null;
  } catch {
    return null;
  }
}

/** All rows speak of one machine, and all rows of a disk of one disk. */
function differences(rows: readonly ReadRow[]): Problem[] {
  const firsts = new Map<string, { text: string; line: number }>();
  return rows.flatMap((row) =>
    (['survey', 'machine', 'recovery', 'disk'] as const).flatMap((level): Problem[] => {
      const of = level === 'disk' ? `disk ${String(row.disk?.['number'])}` : 'machine';
      const text = JSON.stringify(row[level]);
      const first = firsts.get(`${of}/${level}`);
      if (!first) firsts.set(`${of}/${level}`, { text, line: row.line });
      if (!first || first.text === text) return [];
      const message = `Lines ${first.line} and ${row.line} say different things of the same ${level === 'disk' ? 'disk' : 'machine'} in the “${level}.” columns.`;
      return [{ code: 'csv-differs', path: `/line ${row.line}`, message }];
    }),
  );
}

function documentOf(rows: readonly ReadRow[], headers: readonly string[]): unknown {
  const [first] = rows;
  const disks = new Map<unknown, Fields & { partitions: Fields[] }>();
  for (const row of rows) {
    const number = row.disk?.['number'];
    const disk = disks.get(number) ?? { ...row.disk, partitions: [] };
    disks.set(number, disk);
    if (row.partition) disk.partitions.push({ ...row.partition, ...childOf('volume', volumeOf(row)) });
  }
  const unread = headers.filter((header) => !HEADERS.includes(header) && header !== '');
  const said = (first!.survey?.['notes'] as string[] | null | undefined) ?? [];
  const notes = unread.map((header) => `column “${header.slice(0, 80)}” of the table was not read`);
  return {
    format: 'gentle-tide/survey',
    version: 1,
    ...first!.survey,
    ...(notes.length > 0 ? { notes: boundNotes([...said, ...notes]) } : {}),
    machine: { ...first!.machine, ...childOf('recoveryEnvironment', first!.recovery) },
    disks: [...disks.values()],
  };
}

const volumeOf = (row: ReadRow): Fields | null =>
  row.volume && { ...row.volume, ...childOf('encryption', row.encryption) };

const childOf = (name: string, fields: Fields | null): Fields => (fields ? { [name]: fields } : {});
