import type { Pace } from '$contract/rehearsalStates';
import type { RehearsalProgress } from '$contract/rehearsals';
import { Worker } from 'node:worker_threads';
import { DeviceFailure, type ExecutionProof } from '$core/executor';
import type { Outcome } from '$core/problem';
import { rehearse } from './rehearse';
import type { RehearsalInput } from './rehearsing';
import { Stopped } from './runReporter';

/** Messages to a run. */
export interface ToRun {
  stop?: boolean;
  pace?: Pace;
}

/** Messages of a run: its progress, and once its end. */
export type FromRun =
  | { progress: RehearsalProgress }
  | { outcome: Outcome<ExecutionProof | null> }
  | { stopped: true }
  | { failed: string; log?: string };

export type Ended = Exclude<FromRun, { progress: RehearsalProgress }>;

/** A run that is under way. */
export interface UnderWay {
  tell(told: ToRun): void;
  /** Ends it at once, whatever it is at. */
  kill(): Promise<void>;
  readonly ended: Promise<Ended>;
}

/** MiB of objects that a run may hold before it is ended. */
const MEMORY = 512;

/** In a thread of its own. */
export function runInThread(
  bundle: string,
  what: RehearsalInput,
  tell: (progress: RehearsalProgress) => void,
): UnderWay {
  const worker = new Worker(bundle, { workerData: what, resourceLimits: { maxOldGenerationSizeMb: MEMORY } });
  const ended = new Promise<Ended>((resolve) => {
    worker.on('message', (message: FromRun) =>
      'progress' in message ? tell(message.progress) : resolve(message),
    );
    worker.on('error', (error) =>
      resolve({
        failed: 'Something went wrong on the server; its log says more.',
        log: String(error.stack ?? error),
      }),
    );
    worker.on('exit', () => resolve({ failed: 'The rehearsal was ended by the server.' }));
  });
  return {
    tell: (told) => worker.postMessage(told),
    kill: async () => void (await worker.terminate()),
    ended,
  };
}

/** In the server's own thread: where no bundle is named (the development server, tests). */
export function runHere(what: RehearsalInput, tell: (progress: RehearsalProgress) => void): UnderWay {
  let { pace } = what;
  let stopped = false;
  const lead = {
    tell,
    pace: () => pace,
    stopped: () => stopped,
  };
  return {
    tell: (told) => {
      if (told.stop) stopped = true;
      if (told.pace) pace = told.pace;
    },
    kill: async () => void (stopped = true),
    ended: rehearse(what, lead).then(
      (outcome): Ended => ({ outcome }),
      (error: unknown): Ended =>
        error instanceof Stopped
          ? { stopped: true }
          : error instanceof DeviceFailure
            ? { failed: error.message }
            : {
                failed: 'Something went wrong on the server; its log says more.',
                log: String((error as Error).stack ?? error),
              },
    ),
  };
}
