import type { Job } from '$contract/jobs';
import { refuse } from '$contract/problems';
import type { JobHoldings } from '$contract/surveys';
import {
  checkChoices,
  ChoicesShape,
  CleanupReportsShape,
  type Choice,
  type CleanupReport,
  type Holdings,
} from '$core/holdings';
import { failure, type Outcome } from '$core/problem';
import type { SurveyDocument } from '$core/survey';
import { formatSize } from '$core/units';
import { change, database, rows, type Db } from '../../store/database/database';
import { withJobVersion } from '../version/jobVersion';
import { loadDocument } from '../../store/documents/loadDocument';
import { runInWorker } from '../../platform/threads/runInWorker';
import { weighTask, type Weighed } from './weigh';

/** A row of it, to be joined to a survey `s` as `o`. */
export interface HoldingsRow {
  takenAt: string;
  found: string;
  choices: string;
}
export const HOLDINGS_COLUMNS = `
  o.taken_at AS \`holdings.takenAt\`, o.found AS \`holdings.found\`, o.choices AS \`holdings.choices\``;

/** @throws UnreadableDocument */
export const holdingsOf = ({ takenAt, found, choices }: HoldingsRow): JobHoldings => ({
  takenAt,
  found: loadDocument(found, CleanupReportsShape, 'What was found in the holdings'),
  choices: loadDocument(choices, ChoicesShape, 'What was chosen of the holdings'),
});

/**
 * Holds holdings against the survey that they belong to, beside the server's own thread. Problem codes: those of
 * `placedIn`.
 */
export const weighed = (survey: SurveyDocument, holdings: Holdings): Promise<Outcome<Weighed>> =>
  runInWorker(weighTask, { survey, holdings });

/** Keeps what fills a survey's volumes; what was kept before, and chosen, is gone. */
export async function insertHoldings(
  db: Db,
  surveyId: number,
  { takenAt, document, found }: Weighed,
  choices: readonly Choice[] = [],
): Promise<void> {
  await change(
    db,
    'REPLACE INTO holdings (survey_id, document, found, choices, taken_at) VALUES (?, ?, ?, ?, ?)',
    [surveyId, document, JSON.stringify(found), JSON.stringify(choices), new Date(takenAt)],
  );
}

/** Keeps holdings for the newest survey of a job. */
export const saveHoldings = (
  number: number,
  version: number,
  surveyId: number,
  holdings: Weighed,
): Promise<Outcome<number>> =>
  withJobVersion(number, version, async (db) => {
    await insertHoldings(db, surveyId, holdings);
    return `Holdings of ${holdings.takenAt} given: what fills ${holdings.found.length} ${holdings.found.length === 1 ? 'volume' : 'volumes'}.`;
  });

/** The document of what fills the newest survey's volumes, as text; null: there is none. */
export async function readHoldingsDocument(surveyId: number): Promise<string | null> {
  const sql = 'SELECT document FROM holdings WHERE survey_id = ?';
  const [row] = await rows<{ document: string }>(database(), sql, [surveyId]);
  return row?.document ?? null;
}

/**
 * Keeps what goes and what moves. Refusals: those of `checkChoices`, `holdings-first`, and those of `withJobVersion`.
 */
export async function saveChoices(
  { number, survey, holdings }: Pick<Job, 'number' | 'survey' | 'holdings'>,
  version: number,
  choices: readonly Choice[],
): Promise<Outcome<number>> {
  if (!survey || !holdings) return refuse('holdings-first');
  const problems = checkChoices(survey.document, holdings.found, choices);
  if (problems.length > 0) return failure(...problems);
  return withJobVersion(number, version, async (db) => {
    const sql = 'UPDATE holdings SET choices = ? WHERE survey_id = ?';
    await change(db, sql, [JSON.stringify(choices), survey.id]);
    return choiceSentence(holdings.found, choices);
  });
}

function choiceSentence(found: readonly CleanupReport[], choices: readonly Choice[]): string {
  const goes = choices.flatMap((choice) => {
    const volume = found.find((one) => one.disk === choice.disk && one.partition === choice.partition)!;
    return volume.goes.filter(({ id }) => choice.goes.includes(id));
  });
  const moves = choices.reduce((sum, one) => sum + one.moves.length, 0);
  const bytes = goes.reduce((sum, one) => sum + one.bytes, 0);
  return `Chosen to go first: ${goes.length} ${goes.length === 1 ? 'kind' : 'kinds'} of files with ${formatSize(bytes)}; to move: ${moves} ${moves === 1 ? 'folder' : 'folders'}.`;
}
