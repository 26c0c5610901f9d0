import { createHash } from 'node:crypto';
import { strToU8, zipSync } from 'fflate';
import type { GoalOptions, RoutesAnswer } from '$core/planning';
import type { FileProof, LayoutProof } from '$core/proof';
import type { SurveyDocument } from '$core/survey';
import { database, rows } from './database';
import { historyOf } from './history';
import type { DrawingPart, JobParts, Origin, ProofPart, Purpose, SurveySource } from './jobParts';
import { findSheet, listSheets } from './sheets';

export const JOB_FORMAT = 'gentle-tide/job';
export const JOB_VERSION = 1;
/** The part that lists all others with their SHA-256, by which a missing or altered one is told. */
export const CONTENTS = 'contents.json';

export interface Contents {
  format: typeof JOB_FORMAT;
  version: number;
  exportedAt: string;
  parts: Record<string, string>;
}

export const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/** A whole job as one ZIP with JSON inside, to go to another bench. null: there is no such job. */
export async function exportJob(number: number): Promise<Uint8Array | null> {
  const parts = await partsOf(number);
  if (!parts) return null;
  const files = Object.fromEntries(
    Object.entries(parts).map(([name, part]) => [name, strToU8(JSON.stringify(part, null, 1))]),
  );
  const contents: Contents = {
    format: JOB_FORMAT,
    version: JOB_VERSION,
    exportedAt: new Date().toISOString(),
    parts: Object.fromEntries(Object.entries(files).map(([name, bytes]) => [name, sha256(bytes)])),
  };
  return zipSync({ [CONTENTS]: strToU8(JSON.stringify(contents, null, 1)), ...files });
}

async function partsOf(number: number): Promise<JobParts | null> {
  const db = database();
  const [job] = await rows<{
    id: number;
    customer: string;
    machine: string;
    notes: string;
    due: string | null;
    created_at: Date;
    disk_number: number | null;
    partition_number: number | null;
  }>(
    db,
    `SELECT id, customer, machine, notes, DATE_FORMAT(due, '%Y-%m-%d') AS due, created_at, disk_number, partition_number
       FROM jobs WHERE number = ?`,
    [number],
  );
  if (!job) return null;
  const of = <T>(sql: string): Promise<T[]> => rows<T>(db, sql, [job.id]);
  const surveys = await of<{
    id: number;
    source: SurveySource;
    purpose: Purpose;
    created_at: Date;
    document: string;
  }>('SELECT id, source, purpose, created_at, document FROM surveys WHERE job_id = ? ORDER BY id');
  const goals = await of<GoalRow>(
    `SELECT g.*, r.document AS answer, r.chosen FROM goals g JOIN routes r ON r.goal_id = g.id
      WHERE g.job_id = ? ORDER BY g.id`,
  );
  const drawings = await of<{ id: number; survey_id: number; name: string; position: number; told: string }>(
    'SELECT id, survey_id, name, position, told FROM drawings WHERE job_id = ? ORDER BY id',
  );
  const states = await of<{ drawing_id: number; document: string }>(
    `SELECT s.drawing_id, s.document FROM drawing_states s JOIN drawings d ON d.id = s.drawing_id
      WHERE d.job_id = ? ORDER BY s.drawing_id, s.place`,
  );
  const proofs = await of<ProofRow>(
    `SELECT p.sheet_id, p.kind, p.survey_id, p.created_at, p.document FROM proofs p JOIN sheets h ON h.id = p.sheet_id
      WHERE h.job_id = ? ORDER BY p.id`,
  );
  const sheets = (await listSheets(number)).reverse();
  const whole = await Promise.all(sheets.map((one) => findSheet(number, one.id)));
  const placeOf = (list: readonly { id: number }[], id: number): number =>
    list.findIndex((one) => one.id === id);
  return {
    'job.json': {
      number,
      customer: job.customer,
      machine: job.machine,
      notes: job.notes,
      due: job.due,
      createdAt: job.created_at.toISOString(),
      target: job.disk_number === null ? null : { disk: job.disk_number, partition: job.partition_number! },
    },
    'surveys.json': surveys.map((one) => ({
      source: one.source,
      purpose: one.purpose,
      createdAt: one.created_at.toISOString(),
      document: JSON.parse(one.document) as SurveyDocument,
    })),
    'goals.json': goals.map((one) => ({
      survey: placeOf(surveys, one.survey_id),
      disk: one.disk_number,
      partition: one.partition_number,
      size: one.size_bytes,
      keepFreePercent: one.keep_free_percent,
      options: one.options === null ? {} : (JSON.parse(one.options) as GoalOptions),
      toolsPrint: one.tools_print,
      createdAt: one.created_at.toISOString(),
      answer: JSON.parse(one.answer) as RoutesAnswer,
      chosen: one.chosen,
    })),
    'drawings.json': drawings.map((one) => ({
      survey: placeOf(surveys, one.survey_id),
      name: one.name,
      position: one.position,
      told: JSON.parse(one.told) as string[],
      states: states
        .filter((state) => state.drawing_id === one.id)
        .map((state) => JSON.parse(state.document) as DrawingPart['states'][number]),
    })),
    'sheets.json': whole.map((one) => ({
      survey: placeOf(surveys, one!.surveyId),
      origin: placed(one!.origin, goals, drawings),
      document: one!.document,
      createdAt: one!.createdAt.toISOString(),
      ticks: one!.ticks,
      proofs: proofs
        .filter((proof) => proof.sheet_id === one!.id)
        .map((proof) => proofPart(proof, placeOf(surveys, proof.survey_id ?? 0))),
    })),
    'history.json': (await historyOf(number)).map((one) => ({ ...one, at: one.at.toISOString() })),
  };
}

interface ProofRow {
  sheet_id: number;
  kind: 'layout' | 'files';
  survey_id: number | null;
  created_at: Date;
  document: string;
}

function proofPart({ kind, created_at, document }: ProofRow, survey: number): ProofPart {
  const createdAt = created_at.toISOString();
  return kind === 'layout'
    ? { kind, survey, createdAt, document: JSON.parse(document) as LayoutProof }
    : { kind, survey: null, createdAt, document: JSON.parse(document) as FileProof };
}

interface GoalRow {
  id: number;
  survey_id: number;
  disk_number: number;
  partition_number: number;
  size_bytes: number;
  keep_free_percent: number;
  options: string | null;
  tools_print: string | null;
  created_at: Date;
  answer: string;
  chosen: number;
}

/** An origin that names goals and drawings by their place; -1 where it is gone. */
const placed = (
  origin: Origin,
  goals: readonly { id: number }[],
  drawings: readonly { id: number }[],
): Origin =>
  origin.kind === 'route'
    ? { ...origin, goal: goals.findIndex((one) => one.id === origin.goal) }
    : { ...origin, id: drawings.findIndex((one) => one.id === origin.id) };
