import { Worker } from 'node:worker_threads';
import { planRoutes, type RoutesAnswer, type RoutesRequest } from '$core/planning';
import type { Outcome } from '$core/problem';

export interface Asked {
  id: number;
  request: RoutesRequest;
}

export interface Answered {
  id: number;
  outcome: Outcome<RoutesAnswer>;
}

interface Waiting {
  resolve: (outcome: Outcome<RoutesAnswer>) => void;
  reject: (error: unknown) => void;
}

const waiting = new Map<number, Waiting>();
let thread: Worker | null = null;
let last = 0;

/**
 * Plans beside the server's own thread, so that everybody else is answered meanwhile; several requests one after the other.
 * Where the bundle of the thread is not named (the development server, tests), it plans here.
 */
export function planInThread(request: RoutesRequest): Promise<Outcome<RoutesAnswer>> {
  const bundle = process.env['GENTLE_TIDE_PLANNER'];
  if (!bundle) return Promise.resolve(planRoutes(request));
  thread ??= start(bundle);
  const asked: Asked = { id: ++last, request };
  return new Promise((resolve, reject) => {
    waiting.set(asked.id, { resolve, reject });
    thread!.postMessage(asked);
  });
}

function start(bundle: string): Worker {
  const made = new Worker(bundle);
  made.on('message', ({ id, outcome }: Answered) => {
    waiting.get(id)?.resolve(outcome);
    waiting.delete(id);
  });
  // Whoever waits is told; the next request starts another thread.
  const fail = (error: Error): void => {
    if (thread !== made) return;
    thread = null;
    for (const one of waiting.values()) one.reject(error);
    waiting.clear();
  };
  made.on('error', fail);
  made.on('exit', () => fail(new Error('the planner’s thread ended before it answered')));
  // It does not keep a server alive that is asked to end.
  made.unref();
  return made;
}
