import type { Body } from '$contract';
import { refuse } from '$contract/problems';
import type { SurveyingLine } from '$contract/surveys';
import { success, type Outcome } from '$core/problem';
import type { ImageProgress } from '$core/survey';
import { takeFirstCharacters } from '$core/wellFormed';
import { presenceOf, endWhenAbsent } from '../../people/presence';
import { getImagePath } from '../../platform/imageNames';
import { log } from '../../platform/log';
import { requester } from '../../platform/requester';
import { NotDone } from '../../platform/threads/pool';
import { runInWorker } from '../../platform/threads/runInWorker';
import { database } from '../../store/database/database';
import { findImage } from '../../work/images/folder';
import { beginReading } from '../../work/images/reading';
import { surveyImageTask } from '../../work/images/surveyImage';
import { jobOn } from '../../work/images/use';
import { findJob } from '../../work/jobs/findJob';
import { saveSurvey } from '../../work/surveys/saveSurvey';
import { findExpectedFailure } from '../runner/failure';
import { makeProblemResponse } from '../runner/problemResponse';
import { answerSaved } from './savedJob';

/**
 * Reads an image in a process of its own and keeps its survey, telling how far it is in lines of JSON. Whoever leaves
 * before the end stops it, and nothing is kept.
 */
export async function surveyImageAsLines(
  number: number,
  { version, image }: Body<'POST /jobs/{number}/survey-image'>,
): Promise<Outcome<Response>> {
  const job = await findJob(number, []);
  if (!job) return refuse('no-job', { number });
  const found = await findImage(image);
  if (!found) return refuse('no-image', { name: takeFirstCharacters(image, 40) });
  const busy = await jobOn(database(), image);
  if (busy !== null) return refuse('image-at-work', { job: busy, image, then: 'Survey it' });
  const left = new AbortController();
  const text = new TextEncoder();
  const over = beginReading(image);
  const presence = presenceOf(requester());
  const body = new ReadableStream<Uint8Array>({
    async start(controller) {
      const say = (line: SurveyingLine<ImageProgress>): void => {
        if (!left.signal.aborted) controller.enqueue(text.encode(`${JSON.stringify(line)}\n`));
      };
      const unwatch = endWhenAbsent(presence, () => {
        left.abort();
        controller.error(new Error('signed out'));
      });
      try {
        const saved = await answerSaved(
          number,
          readAndSave((progress) => say({ progress })),
        );
        const answer = saved.ok ? Response.json(saved.value) : makeProblemResponse(saved.problems);
        say({ status: answer.status, answer: await answer.json() });
      } catch (error) {
        const failed = findExpectedFailure(error);
        if (!failed) log.error({ err: error }, 'surveying an image failed');
        const { problems } = failed ? { problems: [failed.problem] } : refuse('defect-here');
        const answer = makeProblemResponse(problems);
        say({ status: answer.status, answer: await answer.json() });
      } finally {
        unwatch();
        over();
        if (!left.signal.aborted) controller.close();
      }
    },
    cancel: () => left.abort(),
  });
  return success(
    new Response(body, {
      headers: { 'content-type': 'application/x-ndjson', 'cache-control': 'no-store' },
    }),
  );

  async function readAndSave(tell: (progress: ImageProgress) => void): Promise<Outcome<number>> {
    const asked = {
      path: getImagePath(image),
      machineName: `${job!.customer}, ${job!.machine}`,
      takenAt: new Date().toISOString(),
    };
    const read = await runInWorker(surveyImageTask, asked, { gone: left.signal, tell });
    if (left.signal.aborted) throw new NotDone('left', 'the asker left');
    if (!read.ok) return read;
    const { survey, holdings } = read.value;
    return saveSurvey(number, version, survey, 'image', { image, holdings });
  }
}
