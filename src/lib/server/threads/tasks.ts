import { diagnose } from '$core/diagnosis';
import { planRoutes, type RoutesAnswer, type RoutesRequest } from '$core/planning';
import type { Outcome, Problem } from '$core/problem';
import { measuredOn, type MeasuredRun } from '$core/proof';
import { checkSurvey, type ImageProgress } from '$core/survey';
import { WorkSheetShape, type Tick } from '$core/worksheet';
import { checkBody, type Checked } from '../door/checkBody';
import type { BodyName } from '../schemas';
import { checkImport } from '../jobFile/checkImport';
import { readKind } from '../images/readKind';
import { surveyImage, type Surveying } from '../images/surveyImage';
import { packJob } from '../jobFile/pack';
import { kept, orUnshown } from '../kept';
import { sheetFrom } from '../making';
import { weigh } from '../weigh';
import { under } from '../paths';
import { reportPdf } from '../paper/reportPaper';
import { sheetPdf } from '../paper/sheetPaper';

/** What came of a body, as JSON text: it is copied from thread to thread faster than what it says. */
type BodyAnswer = Checked<string>;

const refused = (problems: Problem[], status = 422): BodyAnswer => ({ ok: false, status, problems });

const answered = (outcome: Outcome<unknown>): BodyAnswer =>
  outcome.ok ? { ok: true, value: JSON.stringify(outcome.value) } : refused(outcome.problems);

/** A body with a survey in it, checked, and what is made of it. */
function onBody<N extends 'routes-request' | 'diagnosis-request'>(
  bytes: Uint8Array,
  name: N,
  work: (body: (ReturnType<typeof checkBody<N>> & { ok: true })['value']) => Outcome<unknown>,
): BodyAnswer {
  const body = checkBody(bytes, name);
  if (!body.ok) return refused(body.problems, body.status);
  const problems = checkSurvey(body.value.survey);
  return problems.length > 0 ? refused(under('/survey', problems)) : answered(work(body.value));
}

/** Everything that is done beside the server's own thread: what may take long, and what has to be taken apart before it is believed. */
export const TASKS = {
  checkBody({ bytes, name }: { bytes: Uint8Array; name: BodyName }): BodyAnswer {
    const checked = checkBody(bytes, name);
    return checked.ok ? { ok: true, value: JSON.stringify(checked.value) } : checked;
  },
  routes: (bytes: Uint8Array, cancelled: () => boolean): BodyAnswer =>
    onBody(bytes, 'routes-request', (request) => planRoutes(request, { cancelled })),
  diagnosis: (bytes: Uint8Array): BodyAnswer => onBody(bytes, 'diagnosis-request', diagnose),
  plan: (request: RoutesRequest, cancelled: () => boolean): Outcome<RoutesAnswer> =>
    planRoutes(request, { cancelled }),
  weighHoldings: weigh,
  makeSheet: sheetFrom,
  sheetPdf: (input: Parameters<typeof sheetPdf>[0]): Promise<Uint8Array> => sheetPdf(input),
  reportPdf: (input: Parameters<typeof reportPdf>[0]): Promise<Uint8Array> => reportPdf(input),
  /** What was measured on sheets; one that can't be shown tells nothing. */
  measure: (list: readonly { number: number; document: string; ticks: readonly Tick[] }[]): MeasuredRun[] =>
    list.flatMap(({ number, document, ticks }) => {
      const sheet = orUnshown([], () => kept(document, WorkSheetShape, 'The work sheet'));
      return sheet ? measuredOn(number, sheet, ticks) : [];
    }),
  checkImport,
  packJob,
  imageKind: readKind,
  surveyImage: (input: Surveying, _: unknown, tell: (progress: ImageProgress) => void) =>
    surveyImage(input, tell),
};
export type TaskName = keyof typeof TASKS;
export type Input<N extends TaskName> = Parameters<(typeof TASKS)[N]>[0];
export type Output<N extends TaskName> = Awaited<ReturnType<(typeof TASKS)[N]>>;
