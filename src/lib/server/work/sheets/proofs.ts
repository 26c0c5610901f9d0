import {
  FileProofShape,
  LayoutProofShape,
  type FileProof,
  type LayoutProof,
  type MeasuredRun,
} from '$core/proof';
import type { SurveyDocument } from '$core/survey';
import type { Tick, WorkSheet } from '$core/worksheet';
import { change, database, rows } from '../../store/database/database';
import { withJobVersion } from '../version/jobVersion';
import { loadDocument } from '../../store/documents/loadDocument';
import { insertSurvey } from '../surveys/insertSurvey';
import { runInWorker } from '../../platform/threads/runInWorker';
import { measureTask } from './measure';
import type { Proofs } from '$contract/sheets';
import { refuse } from '$contract/problems';
import type { Outcome } from '$core/problem';

/** Keeps the survey taken after the work together with what came of comparing it; the list shows the target anew. */
export const saveLayoutProof = (
  number: number,
  version: number,
  sheet: { id: number; document: WorkSheet },
  survey: SurveyDocument,
  proof: LayoutProof,
): Promise<Outcome<number>> =>
  withJobVersion(number, version, async (db, id) => {
    const surveyId = await insertSurvey(db, id, survey, 'document', 'left');
    if (!(await insertProof(db, id, sheet.id, 'layout', surveyId, proof)))
      return refuse('no-sheet', { job: number, id: sheet.id });
    const now = proof.volumes.find((volume) => volume.name === sheet.document.target.name)?.after;
    if (now) {
      const sql = 'UPDATE jobs SET target_size = ?, target_used = ? WHERE id = ?';
      await change(db, sql, [now.size, now.used, id]);
    }
    return `Survey of ${survey.takenAt} held against the work sheet: ${VERDICT[proof.verdict]}.`;
  });

export const saveFileProof = (
  number: number,
  version: number,
  sheet: number,
  proof: FileProof,
): Promise<Outcome<number>> =>
  withJobVersion(number, version, async (db, id) => {
    if (!(await insertProof(db, id, sheet, 'files', null, proof)))
      return refuse('no-sheet', { job: number, id: sheet });
    return `Files compared (${proof.same} the same, ${proof.changed.count} changed, ${proof.missing.count} missing): ${VERDICT[proof.verdict]}.`;
  });

const VERDICT = { proved: 'proved', open: 'something is to be looked at', lost: 'something is missing' };

/** @returns whether the job has the sheet */
async function insertProof(
  db: Parameters<typeof change>[0],
  jobId: number,
  sheet: number,
  kind: 'layout' | 'files',
  surveyId: number | null,
  proof: LayoutProof | FileProof,
): Promise<boolean> {
  const { affectedRows } = await change(
    db,
    `INSERT INTO proofs (sheet_id, kind, survey_id, verdict, document)
     SELECT id, ?, ?, ?, ? FROM sheets WHERE id = ? AND job_id = ?`,
    [kind, surveyId, proof.verdict, JSON.stringify(proof), sheet, jobId],
  );
  return affectedRows > 0;
}

export async function findProofs(sheet: number): Promise<Proofs> {
  const found = await rows<{
    kind: 'layout' | 'files';
    survey_id: number;
    document: string;
    created_at: string;
  }>(
    database(),
    `SELECT kind, survey_id, document, created_at FROM proofs
      WHERE id IN (SELECT MAX(id) FROM proofs WHERE sheet_id = ? GROUP BY kind)`,
    [sheet],
  );
  const of = (kind: 'layout' | 'files') => found.find((one) => one.kind === kind);
  const [layout, files] = [of('layout'), of('files')];
  return {
    layout: layout
      ? {
          proof: loadDocument(layout.document, LayoutProofShape, 'The proof of the layout'),
          surveyId: layout.survey_id,
          at: layout.created_at,
        }
      : null,
    files: files
      ? {
          proof: loadDocument(files.document, FileProofShape, 'The comparison of files'),
          at: files.created_at,
        }
      : null,
  };
}

/** Number of sheets that count for what was measured: drives and tools of long ago tell little of today's. */
const RECENT = 100;

/** Everything that was measured on the newest sheets of this workshop, the newest first. */
export async function readMeasuredRuns(): Promise<MeasuredRun[]> {
  const db = database();
  const measured = await rows<Omit<Tick, 'answers'> & { sheet_id: number }>(
    db,
    `SELECT t.id, t.sheet_id, t.item, t.outcome, t.who, t.at, t.note, t.seconds FROM ticks t
      WHERE t.sheet_id IN (SELECT sheet_id FROM (SELECT DISTINCT sheet_id FROM ticks WHERE seconds IS NOT NULL
                           ORDER BY sheet_id DESC LIMIT ${RECENT}) recent)`,
  );
  const bySheet = new Map<number, Tick[]>();
  for (const { sheet_id, ...tick } of measured) {
    const list = bySheet.get(sheet_id) ?? [];
    list.push({ ...tick, answers: {} });
    bySheet.set(sheet_id, list);
  }
  if (bySheet.size === 0) return [];
  const ids = [...bySheet.keys()];
  const sheets = await rows<{ id: number; number: number; document: string }>(
    db,
    `SELECT h.id, j.number, h.document FROM sheets h JOIN jobs j ON j.id = h.job_id
      WHERE h.id IN (${ids.map(() => '?').join(', ')}) ORDER BY h.id DESC`,
    ids,
  );
  return runInWorker(
    measureTask,
    sheets.map(({ id, number, document }) => ({ number, document, ticks: bySheet.get(id)! })),
  );
}
