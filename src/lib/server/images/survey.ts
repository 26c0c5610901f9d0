import type { ImageProgress } from '$core/survey';
import { named, onJob } from '../answers';
import { database } from '../database';
import { failureOf } from '../failure';
import { weighed } from '../holdings';
import { saveSurvey, type Job } from '../jobs';
import { log } from '../log';
import { presenceOf, whilePresent } from '../people/presence';
import { badInput, problem } from '../problem';
import { requester } from '../requester';
import type { BodyOf } from '../schemas';
import { aside } from '../threads/aside';
import { NotDone } from '../threads/pool';
import { findImage } from './folder';
import { imagePath } from './names';
import { beginReading } from './reading';
import { jobOn } from './use';

/** A line of what is told while an image is read: how far it is, and once, at the end, the answer that a short request would get. */
export type SurveyingLine = { progress: ImageProgress } | { status: number; answer: unknown };

/**
 * Reads an image in a process of its own and keeps its survey, telling how far it is in lines of JSON. Whoever leaves before the end stops it,
 * and nothing is kept.
 */
export async function surveyingImage(
  job: Job,
  { version, image }: BodyOf<'survey-image'>,
): Promise<Response> {
  const found = await findImage(image);
  if (!found) return problem(404, `There is no image ${named(image)} in the folder of images.`);
  const busy = await jobOn(database(), image);
  if (busy !== null)
    return problem(
      409,
      `The route of job ${busy} is being carried out on ${image}. Survey it once that is done.`,
    );
  const left = new AbortController();
  const text = new TextEncoder();
  const over = beginReading(image);
  const presence = presenceOf(requester());
  const body = new ReadableStream<Uint8Array>({
    async start(controller) {
      const say = (line: SurveyingLine): void => {
        if (!left.signal.aborted) controller.enqueue(text.encode(`${JSON.stringify(line)}\n`));
      };
      const unwatch = whilePresent(presence, () => {
        left.abort();
        controller.error(new Error('signed out'));
      });
      try {
        const answer = await read((progress) => say({ progress }));
        say({ status: answer.status, answer: await answer.json() });
      } catch (error) {
        const failure = failureOf(error);
        if (!failure) log.error({ err: error }, 'surveying an image failed');
        const detail = failure?.detail ?? 'Something went wrong on the server; its log says more.';
        say({ status: failure?.status ?? 500, answer: { detail } });
      } finally {
        unwatch();
        over();
        if (!left.signal.aborted) controller.close();
      }
    },
    cancel: () => left.abort(),
  });
  return new Response(body, {
    headers: { 'content-type': 'application/x-ndjson', 'cache-control': 'no-store' },
  });

  async function read(tell: (progress: ImageProgress) => void): Promise<Response> {
    const asked = {
      path: imagePath(image),
      machineName: `${job.customer}, ${job.machine}`,
      takenAt: new Date().toISOString(),
    };
    const read = await aside('surveyImage', asked, { gone: left.signal, tell });
    if (left.signal.aborted) throw new NotDone('left', 'the asker left');
    if (!read.ok) return badInput(read.problems);
    const { survey, holdings } = read.value;
    const found = holdings && (await weighed(survey, holdings));
    if (found && !found.ok) return badInput(found.problems);
    const kept = { image, holdings: found && found.value };
    return onJob(String(job.number), () => saveSurvey(job.number, version, survey, 'image', kept));
  }
}
