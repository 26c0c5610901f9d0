import type { Outcome } from '$core/problem';
import type { ImageProgress, SurveyDocument } from '$core/survey';
import type { ImageMessage, ReadImage } from './protocol';
import ImageWorker from './image.worker?worker';

/**
 * Reads a disk image in a worker.
 * @returns the outcome, or null where `signal` stopped it
 */
export function readImage(
  request: ReadImage,
  onprogress: (progress: ImageProgress) => void,
  signal: AbortSignal,
): Promise<Outcome<SurveyDocument> | null> {
  return new Promise((resolve) => {
    const worker = new ImageWorker();
    const finish = (outcome: Outcome<SurveyDocument> | null) => {
      worker.terminate();
      resolve(outcome);
    };
    signal.addEventListener('abort', () => finish(null), { once: true });
    worker.onmessage = (event: MessageEvent<ImageMessage>) => {
      if (event.data.kind === 'progress') onprogress(event.data.progress);
      else finish(event.data.outcome);
    };
    worker.onerror = (event) =>
      finish({
        ok: false,
        problems: [{ code: 'worker', path: '', message: `The reader stopped: ${event.message}.` }],
      });
    worker.postMessage(request);
  });
}
