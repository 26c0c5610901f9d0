import { parentPort } from 'node:worker_threads';
import { warmUp } from '../schemas';
import type { Answered, Asked } from './pool';
import { TASKS } from './tasks';

/** Works beside the server's own thread, one task after the other: in a thread, or in a process of its own (runner.ts). */
async function work({ id, task, input, stop }: Asked, say: (answered: Answered) => void): Promise<void> {
  const done = TASKS[task] as (
    input: unknown,
    stopped: () => boolean,
    tell: (progress: unknown) => void,
  ) => unknown;
  const stopped = () => stop !== undefined && Atomics.load(stop, 0) === 1;
  try {
    say({ id, value: await done(input, stopped, (progress) => say({ id, progress })) });
  } catch (error) {
    say({ id, error: error instanceof Error ? (error.stack ?? error.message) : String(error) });
  }
}

warmUp();
if (parentPort) {
  const port = parentPort;
  port.on('message', (asked: Asked) => void work(asked, (answered) => port.postMessage(answered)));
} else {
  process.on('message', (asked: Asked) => void work(asked, (answered) => process.send?.(answered)));
  process.on('disconnect', () => process.exit());
}
