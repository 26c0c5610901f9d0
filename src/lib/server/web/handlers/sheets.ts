import type { Answer } from '$contract';
import { refuse } from '$contract/problems';
import type { SavedSheet, SHEETS } from '$contract/sheets';
import { findFileProofProblem, proveLayout } from '$core/proof';
import { failure, success, under, type Outcome } from '$core/problem';
import { checkSurvey, machineOf } from '$core/survey';
import { toMarkdown } from '$core/worksheet';
import { paperOf, type Heading } from '../../paper/paper';
import { reportPdfTask } from '../../paper/reportPaper';
import { sheetPdfTask } from '../../paper/sheetPaper';
import { attributeTicks } from '../../people/attributed';
import { runInWorker } from '../../platform/threads/runInWorker';
import { findDrawing } from '../../work/drawings/drawings';
import { findJob, type JobWith } from '../../work/jobs/findJob';
import { findProofs, saveFileProof, saveLayoutProof } from '../../work/sheets/proofs';
import { reportFor } from '../../work/sheets/report';
import { addTicks, findSheet, listSheets, saveSheet, sheetFor, surveyOf } from '../../work/sheets/sheets';
import { findStale, workDespite, type Stale, type StalePart } from '../../work/sheets/staleSheet';
import { readWorkshop } from '../../work/workshop/workshop';
import type { HandlersOf } from '../runner/endpoint';
import { fileResponse } from '../runner/fileResponse';
import { answerSaved } from './savedJob';

/** A sheet as its address names it. */
interface Address {
  params: { number: number; id: number };
  typed: { id: string };
}

async function sheetAt({ params: { number, id }, typed }: Address): Promise<Outcome<SavedSheet>> {
  const sheet = await findSheet(number, id);
  return sheet ? success(sheet) : refuse('no-sheet', { job: number, id: typed.id });
}

/** A sheet with its job, and why it must not be worked from. */
interface Found {
  job: JobWith<StalePart>;
  sheet: SavedSheet;
  stale: Stale | null;
}
async function sheetAndStale(address: Address): Promise<Outcome<Found>> {
  const { number } = address.params;
  const sheet = await sheetAt(address);
  if (!sheet.ok) return sheet;
  const job = await findJob(number, ['goal', 'answer', 'holdings']);
  if (!job) return refuse('no-job', { number });
  return success({ job, sheet: sheet.value, stale: await findStale(job, sheet.value) });
}

/**
 * A sheet that waits for a word is not handed out, nor ticked. @param paper neither is one that ended with a failed
 * step
 */
const refuseStale = (stale: Stale | null, paper: boolean) =>
  stale && (stale.word === 'wanted' || (paper && stale.word === 'no'))
    ? refuse('stale-sheet', { why: stale.why })
    : null;

/** Hands a sheet out on paper, unless its figures no longer hold. */
async function onPaper(
  address: Address,
  url: URL,
  print: (sheet: SavedSheet, heading: Heading) => Promise<Response>,
): Promise<Outcome<Response>> {
  const found = await sheetAndStale(address);
  if (!found.ok) return found;
  const { job, sheet, stale } = found.value;
  const refused = refuseStale(stale, true);
  if (refused) return refused;
  const { number, customer, machine } = job;
  const heading: Heading = {
    job: number,
    customer,
    machine,
    address: `${url.origin}/jobs/${number}/sheet`,
    made: new Date(sheet.createdAt),
    rehearsed: sheet.rehearsed,
    despite: stale && `Worked from all the same: ${stale.why}`,
  };
  return success(await print(sheet, heading));
}

export const SHEET_HANDLERS = {
  'GET /jobs/{number}/report.pdf': async ({ params: { number }, event: { url } }) => {
    const job = await findJob(number, []);
    const report = job && (await reportFor(job));
    if (!report) return refuse('nothing-to-report');
    const address = `${url.origin}/jobs/${number}`;
    const pdf = await runInWorker(reportPdfTask, { report, address, paper: paperOf(url) });
    return success(fileResponse(pdf, 'application/pdf', `report-${number}.pdf`, 'inline'));
  },
  'GET /jobs/{number}/sheets': async ({ params }) => success(await listSheets(params.number)),
  'POST /jobs/{number}/sheets': async ({ params: { number }, body: { version, drawing: id } }) => {
    const drawing = id === undefined ? null : await findDrawing(number, id);
    if (id !== undefined && !drawing) return refuse('no-drawing', { job: number, id });
    const job = await findJob(number, ['survey', 'goal', 'answer', 'holdings']);
    if (!job) return refuse('no-job', { number });
    const made = await sheetFor(job, (await readWorkshop()).workshop, drawing);
    return made.ok ? answerSaved(number, saveSheet(number, version, made.value)) : made;
  },
  'GET /jobs/{number}/sheets/{id}': async (address) => {
    const found = await sheetAndStale(address);
    if (!found.ok) return found;
    const { sheet, stale } = found.value;
    const answer: Answer<'GET /jobs/{number}/sheets/{id}'> = {
      ...sheet,
      stale: stale?.why ?? null,
      proofs: await findProofs(sheet.id),
    };
    return success(answer);
  },
  'GET /jobs/{number}/sheets/{id}/sheet.pdf': (request) =>
    onPaper(request, request.event.url, async ({ document: sheet }, heading) => {
      const paper = paperOf(request.event.url);
      const pdf = await runInWorker(sheetPdfTask, { sheet, heading, paper });
      return fileResponse(pdf, 'application/pdf', `work-sheet-${heading.job}.pdf`, 'inline');
    }),
  'GET /jobs/{number}/sheets/{id}/sheet.md': (request) =>
    onPaper(request, request.event.url, ({ document }, heading) => {
      const text = toMarkdown(document, { ...heading, made: heading.made.toISOString().slice(0, 10) });
      const name = `work-sheet-${heading.job}.md`;
      return Promise.resolve(fileResponse(text, 'text/markdown; charset=utf-8', name, 'attachment'));
    }),
  'PUT /jobs/{number}/sheets/{id}/despite': async (request): Promise<Outcome<null>> => {
    const found = await sheetAndStale(request);
    if (!found.ok) return found;
    const { sheet, stale } = found.value;
    if (stale?.word === 'no') return refuse('sheet-ended', { why: stale.why });
    if (stale && stale.against !== request.body.against)
      return refuse('sheet-changed-again', { why: stale.why });
    return stale?.word === 'wanted'
      ? workDespite(request.params.number, sheet, stale.against, stale.why)
      : success(null);
  },
  'GET /jobs/{number}/sheets/{id}/ticks': async (address) => {
    const sheet = await sheetAt(address);
    return sheet.ok ? success({ ticks: sheet.value.ticks }) : sheet;
  },
  /**
   * Ticks may come however often and late. Where the plan or the survey is another by now, they wait on their device
   * for a word: whoever ticks may work from figures that no longer hold.
   */
  'POST /jobs/{number}/sheets/{id}/ticks': async (request) => {
    const found = await sheetAndStale(request);
    if (!found.ok) return found;
    const { sheet, stale } = found.value;
    const refused = refuseStale(stale, false);
    if (refused) return refused;
    const ticks = await addTicks(request.params.number, sheet.id, await attributeTicks(request.body.ticks));
    return ticks.ok ? success({ ticks: ticks.value }) : ticks;
  },
  'POST /jobs/{number}/sheets/{id}/layout-proof': async (request) => {
    const sheet = await sheetAt(request);
    if (!sheet.ok) return sheet;
    const { version, survey } = request.body;
    const problems = checkSurvey(survey);
    if (problems.length > 0) return failure(...under('/survey', problems));
    const proof = proveLayout(sheet.value.document, await surveyOf(sheet.value), survey);
    if (!proof.ok) return failure(...under('/survey', proof.problems));
    const { number } = request.params;
    return answerSaved(number, saveLayoutProof(number, version, sheet.value, survey, proof.value));
  },
  /**
   * The manifests themselves are compared in the browser and stay there, so what comes of it is held against what can
   * be told without them.
   */
  'POST /jobs/{number}/sheets/{id}/file-proof': async (request) => {
    const sheet = await sheetAt(request);
    if (!sheet.ok) return sheet;
    const { version, proof } = request.body;
    const wrong = findFileProofProblem(proof, machineOf(await surveyOf(sheet.value)).disks);
    if (wrong) return failure(...under('/proof', [wrong]));
    const { number } = request.params;
    return answerSaved(number, saveFileProof(number, version, sheet.value.id, proof));
  },
} satisfies HandlersOf<typeof SHEETS>;
