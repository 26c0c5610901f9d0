import { availableParallelism } from 'node:os';
import { requester } from '../requester';
import { config } from '../settings/config';
import { Pool, type Wanted } from './pool';
import { processOf, threadOf } from './runner';
import { TASKS, type Input, type Output, type TaskName } from './tasks';

const THREADS = config().threads ?? Math.max(2, availableParallelism());
/**
 * Milliseconds that each task may take before it is ended, far more than it should on the slowest machine: the planner stops itself after
 * two seconds. And how many may be at work at once.
 */
const BOUNDS: Record<TaskName, Pick<Wanted, 'milliseconds' | 'atOnce'>> = {
  checkBody: { milliseconds: 30_000, atOnce: THREADS },
  routes: { milliseconds: 30_000, atOnce: THREADS },
  plan: { milliseconds: 30_000, atOnce: THREADS },
  diagnosis: { milliseconds: 30_000, atOnce: THREADS },
  weighHoldings: { milliseconds: 30_000, atOnce: THREADS },
  makeSheet: { milliseconds: 30_000, atOnce: THREADS },
  measure: { milliseconds: 30_000, atOnce: THREADS },
  sheetPdf: { milliseconds: 60_000, atOnce: THREADS },
  reportPdf: { milliseconds: 60_000, atOnce: THREADS },
  checkImport: { milliseconds: 120_000, atOnce: 1 },
  packJob: { milliseconds: 30_000, atOnce: THREADS - 1 },
  imageKind: { milliseconds: 10_000, atOnce: THREADS - 1 },
  // Of a large disk there is much to be read.
  surveyImage: { milliseconds: 900_000, atOnce: 2 },
};
const LIMITS = { threads: THREADS, waiting: 64, waitingEach: 32, bytes: 96 * 1024 * 1024 };
/** MiB of objects that one may hold before it is ended. */
const MEMORY = 384;

/** For what was checked before: threads. For files that nobody has looked at: one process, and few that wait for it. */
interface Pools {
  checked: Pool;
  foreign: Pool;
  /** For images, which may take minutes: nobody else waits behind them. */
  images: Pool;
}
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
 * Does a task beside the server's own thread, so that everybody else is answered meanwhile. Where the bundle of the thread is not
 * named (the development server, tests), it is done here.
 * @throws NotDone where too many wait, the asker left, or the thread came to its limits
 */
export async function aside<N extends TaskName>(
  task: N,
  input: Input<N>,
  watched: Pick<Wanted, 'gone' | 'tell'> = { gone: requester().gone },
): Promise<Output<N>> {
  const bundle = process.env['GENTLE_TIDE_THREAD'];
  if (!bundle) {
    const work = TASKS[task] as (
      input: Input<N>,
      stopped: () => boolean,
      tell: (progress: unknown) => void,
    ) => Output<N> | Promise<Output<N>>;
    const { gone, tell } = watched;
    return await work(
      input,
      () => gone?.aborted ?? false,
      (progress) => tell?.(progress as never),
    );
  }
  const { checked, foreign, images } = poolsOf(bundle);
  const pool = task === 'checkImport' ? foreign : task === 'surveyImage' ? images : checked;
  const { key } = requester();
  const wanted = { ...BOUNDS[task], bytes: weightOf(input), key, ...watched };
  return (await pool.run(task, input, wanted)) as Output<N>;
}

/** Starts the threads, so that the first who ask need not wait for it. */
export function warmThreads(): void {
  const bundle = process.env['GENTLE_TIDE_THREAD'];
  if (bundle) poolsOf(bundle).checked.warm();
}

/** Roughly how many bytes an input is. */
const weightOf = (input: unknown): number =>
  input instanceof Uint8Array ? input.length : typeof input === 'string' ? 2 * input.length : 64 * 1024;
