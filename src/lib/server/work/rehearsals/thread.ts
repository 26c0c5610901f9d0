import type { Pace } from '$contract/rehearsalStates';
import { setPriority } from 'node:os';
import { parentPort, workerData } from 'node:worker_threads';
import { DeviceFailure } from '$core/executor';
import { rehearse } from './rehearse';
import type { RehearsalInput } from './rehearsing';
import { Stopped } from './runReporter';
import type { FromRun, ToRun } from './runner';

/** Carries one rehearsal out, beside the server's own thread. */
const what = workerData as RehearsalInput;
const port = parentPort!;
let pace: Pace = what.pace;
let stopped = false;
port.on('message', (told: ToRun) => {
  if (told.stop) stopped = true;
  if (told.pace) pace = told.pace;
});

try {
  // Of this thread alone: whoever asks the server something comes first.
  setPriority(0, 10);
} catch {
  // Without that permission it runs like everything else.
}

const say = (message: FromRun): void => port.postMessage(message);
// Messages are taken in between two pieces of work: the event loop gets its turn while a piece is written.
rehearse(what, { tell: (progress) => say({ progress }), pace: () => pace, stopped: () => stopped })
  .then((outcome) => say({ outcome }))
  .catch((error: unknown) => {
    if (error instanceof Stopped) say({ stopped: true });
    else if (error instanceof DeviceFailure) say({ failed: error.message });
    else
      say({
        failed: 'Something went wrong on the server; its log says more.',
        log: String((error as Error).stack ?? error),
      });
  })
  .finally(() => port.close());
