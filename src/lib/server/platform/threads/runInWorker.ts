import { availableParallelism } from 'node:os';
import { requester } from '../requester';
import { config, threadBundle } from '../settings/config';
import { Pool, type Wanted } from './pool';
import { processOf, threadOf } from './runner';
import type { WorkerTask } from './task';

const THREADS = config().threads ?? Math.max(2, availableParallelism());
const LIMITS = { threads: THREADS, waiting: 64, waitingEach: 32, bytes: 96 * 1024 * 1024 };
/** MiB of objects that one may hold before it is ended. */
const MEMORY = 384;

type Pools = Record<WorkerTask<unknown, unknown>['pool'], Pool>;
let pools: Pools | null = null;

function poolsOf(bundle: string): Pools {
  pools ??= {
    checked: new Pool(threadOf(bundle, MEMORY), LIMITS),
    foreign: new Pool(processOf(bundle, MEMORY), { ...LIMITS, threads: 1, waiting: 32 }),
    images: new Pool(processOf(bundle, MEMORY), { ...LIMITS, threads: 2, waiting: 8 }),
  };
  return pools;
}

/**
 * Does a task beside the server's own thread, or at once where no bundle of tasks is named (development, unit tests).
 * Whoever leaves before it is done ends it. @throws NotDone
 */
export async function runInWorker<I, O>(
  task: WorkerTask<I, O>,
  input: I,
  watched: Pick<Wanted, 'gone' | 'tell'> = { gone: requester().gone },
): Promise<O> {
  const bundle = threadBundle();
  if (!bundle) {
    const { gone, tell } = watched;
    return await task.run(
      input,
      () => gone?.aborted ?? false,
      (progress) => tell?.(progress as never),
    );
  }
  const { milliseconds, atOnce } = task;
  const wanted = {
    milliseconds,
    atOnce: atOnce === 'all' ? THREADS : atOnce === 'all-but-one' ? THREADS - 1 : atOnce,
    bytes: weightOf(input),
    key: requester().key,
    ...watched,
  };
  return (await poolsOf(bundle)[task.pool].run(task.name, input, wanted)) as O;
}

/** Starts the threads, so that the first who ask need not wait for it. */
export function warmThreads(): void {
  const bundle = threadBundle();
  if (bundle) poolsOf(bundle).checked.warm();
}

/** Roughly how many bytes an input is. */
const weightOf = (input: unknown): number =>
  input instanceof Uint8Array ? input.length : typeof input === 'string' ? 2 * input.length : 64 * 1024;
