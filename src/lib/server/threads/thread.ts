import { parentPort } from 'node:worker_threads';
import type { Answered, Asked } from './pool';
import { warmUp } from '../schemas';
import { TASKS } from './tasks';

warmUp();

/** Works in a thread of its own, one task after the other: see {@link ./pool}. */
parentPort?.on('message', ({ id, task, input, stop }: Asked) => {
  const work = TASKS[task] as (input: unknown, stopped: () => boolean) => unknown;
  const say = (answered: Answered): void => parentPort?.postMessage(answered);
  Promise.resolve()
    .then(() => work(input, () => Atomics.load(stop, 0) === 1))
    .then(
      (value) => say({ id, value }),
      (error: unknown) =>
        say({ id, error: error instanceof Error ? (error.stack ?? error.message) : String(error) }),
    );
});
