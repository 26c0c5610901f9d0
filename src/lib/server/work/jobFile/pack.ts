import { defineTask } from '../../platform/threads/task';
import type { JobParts, ProofPart } from '$contract/jobFile';
import type { SheetOrigin } from '$contract/sheetSource';
import { strToU8, zipSync } from 'fflate';
import type { ExecutionProof } from '$core/executor';
import { omit } from '$core/omit';
import type { FileProof, LayoutProof } from '$core/proof';
import type { JobRows } from './rows';
import { CONTENTS, JOB_FORMAT, JOB_VERSION, RELEASE, sha256, type Contents } from './format';

/** The file of a job, made of its rows. What stands in them goes out as it is, whether or not it can be shown here. */
export function packJob(rows: JobRows): Uint8Array {
  const files = Object.fromEntries(
    Object.entries(partsOf(rows)).map(([name, part]) => [name, strToU8(JSON.stringify(part, null, 1))]),
  );
  const contents: Contents = {
    format: JOB_FORMAT,
    version: JOB_VERSION,
    release: RELEASE,
    exportedAt: new Date().toISOString(),
    parts: Object.fromEntries(Object.entries(files).map(([name, bytes]) => [name, sha256(bytes)])),
  };
  return zipSync({ [CONTENTS]: strToU8(JSON.stringify(contents, null, 1)), ...files });
}

const read = <T>(text: string): T => JSON.parse(text) as T;
const orNothing = <T>(text: string | null): T | null => (text === null ? null : read<T>(text));

function partsOf({
  job,
  surveys,
  holdings,
  goals,
  drawings,
  states,
  sheets,
  ticks,
  proofs,
  rehearsals,
  history,
}: JobRows): JobParts {
  const placeOf = (list: readonly { id: number }[], id: number): number =>
    list.findIndex((one) => one.id === id);
  return {
    'job.json': {
      number: job.number,
      customer: job.customer,
      machine: job.machine,
      notes: job.notes,
      due: job.due,
      createdAt: job.created_at,
      target: job.disk_number === null ? null : { disk: job.disk_number, partition: job.partition_number! },
    },
    'surveys.json': surveys.map((one) => ({
      source: one.source,
      purpose: one.purpose,
      createdAt: one.created_at,
      document: read(one.document),
    })),
    'holdings.json': holdings.map((one) => ({
      survey: placeOf(surveys, one.survey_id),
      document: read(one.document),
      choices: read(one.choices),
    })),
    'goals.json': goals.map((one) => ({
      survey: placeOf(surveys, one.survey_id),
      disk: one.disk_number,
      partition: one.partition_number,
      size: one.size_bytes,
      keepFreePercent: one.keep_free_percent,
      options: orNothing(one.options) ?? {},
      toolsPrint: one.tools_print,
      tools: orNothing(one.tools),
      createdAt: one.created_at,
      answer: read(one.answer),
      chosen: one.chosen,
    })),
    'drawings.json': drawings.map((one) => ({
      survey: placeOf(surveys, one.survey_id),
      name: one.name,
      position: one.position,
      told: read(one.told),
      states: states.filter((state) => state.drawing_id === one.id).map((state) => read(state.document)),
    })),
    'sheets.json': sheets.map((one) => ({
      survey: placeOf(surveys, one.survey_id),
      origin: placed(read(one.origin), goals, drawings),
      document: read(one.document),
      madeOf: orNothing(one.made_of),
      createdAt: one.created_at,
      ticks: ticks
        .filter((tick) => tick.sheet_id === one.id)
        .map(({ at, answers, ...tick }) => ({
          ...omit(tick, 'sheet_id'),
          at: at,
          answers: read(answers),
        })),
      proofs: proofs
        .filter((proof) => proof.sheet_id === one.id)
        .map((proof) => proofPart(proof, placeOf(surveys, proof.survey_id ?? 0))),
    })),
    'rehearsals.json': rehearsals
      .filter((one) => placeOf(goals, one.goal_id) >= 0)
      .reverse()
      .map((one) => ({
        goal: placeOf(goals, one.goal_id),
        chosen: one.chosen,
        proof: read<ExecutionProof>(one.proof),
        who: one.who,
        createdAt: one.created_at,
        endedAt: one.changed_at,
      })),
    'history.json': [...history],
  };
}

function proofPart({ kind, created_at, document }: JobRows['proofs'][number], survey: number): ProofPart {
  const createdAt = created_at;
  return kind === 'layout'
    ? { kind, survey, createdAt, document: read<LayoutProof>(document) }
    : { kind, survey: null, createdAt, document: read<FileProof>(document) };
}

/** An origin that names goals and drawings by their place; -1 where it is gone. */
const placed = (
  origin: SheetOrigin,
  goals: readonly { id: number }[],
  drawings: readonly { id: number }[],
): SheetOrigin =>
  origin.kind === 'route'
    ? { ...origin, goal: goals.findIndex((one) => one.id === origin.goal) }
    : { ...origin, id: drawings.findIndex((one) => one.id === origin.id) };

export const packJobTask = defineTask('packJob', packJob, { atOnce: 'all-but-one' });
