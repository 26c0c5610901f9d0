import type { Outcome } from '$core/problem';
import type { FileProof } from '$core/proof';
import FilesWorker from './files.worker?worker';
import type { AskedFiles, FilesProgress } from './files.worker';
import { runInWorker } from './run';

/**
 * Compares two manifests in a worker.
 * @returns the outcome, or null where `signal` stopped it
 */
export const compareFiles = (
  asked: AskedFiles,
  onprogress: (progress: FilesProgress) => void,
  signal: AbortSignal,
): Promise<Outcome<FileProof> | null> =>
  runInWorker<FilesProgress, Outcome<FileProof>>(
    FilesWorker,
    asked,
    onprogress,
    (reason) => ({
      ok: false,
      problems: [{ code: 'worker', path: '', message: `Comparing stopped: ${reason}.` }],
    }),
    signal,
  );
