/** What a worker says of its one task. */
export type WorkerMessage<Progress, Result> =
  { kind: 'progress'; progress: Progress } | { kind: 'done'; result: Result };

/**
 * Has a worker of its own carry out one task, and ends it.
 * @param failed the result where the worker breaks
 * @returns the result, or null where `signal` stopped it
 */
export function runInWorker<Progress, Result>(
  WorkerOf: new () => Worker,
  request: unknown,
  onprogress: (progress: Progress) => void,
  failed: (reason: string) => Result,
  signal?: AbortSignal,
): Promise<Result | null> {
  return new Promise((resolve) => {
    const worker = new WorkerOf();
    const finish = (result: Result | null): void => {
      worker.terminate();
      resolve(result);
    };
    if (signal?.aborted) return finish(null);
    signal?.addEventListener('abort', () => finish(null), { once: true });
    worker.onmessage = (event: MessageEvent<WorkerMessage<Progress, Result>>) => {
      if (event.data.kind === 'progress') onprogress(event.data.progress);
      else finish(event.data.result);
    };
    worker.onerror = (event) => finish(failed(event.message));
    worker.postMessage(request);
  });
}
