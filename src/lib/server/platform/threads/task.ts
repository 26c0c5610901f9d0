/**
 * Something that is done beside the server's own thread: what takes long, and what has to be taken apart before it is
 * believed.
 */
export interface WorkerTask<I, O> {
  name: string;
  run: (input: I, stopped: () => boolean, tell: (progress: unknown) => void) => O | Promise<O>;
  /** Milliseconds after which it is ended. */
  milliseconds: number;
  /** Number of it that may run at once: on every thread, on all but one, or so many. */
  atOnce: 'all' | 'all-but-one' | number;
  /**
   * `checked`: threads, for what was checked before. `foreign`: one process, for files that nobody has looked at.
   * `images`: processes for images, which may take minutes; nobody else waits behind them.
   */
  pool: 'checked' | 'foreign' | 'images';
}

type Limits = Partial<Pick<WorkerTask<never, never>, 'milliseconds' | 'atOnce' | 'pool'>>;

export const defineTask = <I, O>(
  name: string,
  run: WorkerTask<I, O>['run'],
  limits: Limits = {},
): WorkerTask<I, O> => ({
  name,
  run,
  milliseconds: 30_000,
  atOnce: 'all',
  pool: 'checked',
  ...limits,
});

/** A task of whatever kind. */
export type AnyTask = WorkerTask<never, unknown>;
