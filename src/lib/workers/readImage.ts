import type { Outcome } from '$core/problem';
import type { ImageRead } from '$core/holdings';
import type { ImageProgress } from '$core/survey';
import type { ReadImage } from './asked';
import ImageWorker from './image.worker?worker';
import { runInWorker } from './run';

/**
 * Reads a disk image in a worker.
 * @returns the outcome, or null where `signal` stopped it
 */
export const readImage = (
  request: ReadImage,
  onprogress: (progress: ImageProgress) => void,
  signal: AbortSignal,
): Promise<Outcome<ImageRead> | null> =>
  runInWorker<ImageProgress, Outcome<ImageRead>>(
    ImageWorker,
    request,
    onprogress,
    (reason) => ({
      ok: false,
      problems: [{ code: 'worker', path: '', message: `The reader stopped: ${reason}.` }],
    }),
    signal,
  );
