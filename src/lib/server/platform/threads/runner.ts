import type { TaskMessage, TaskReply } from './messages';
import { fork } from 'node:child_process';
import { Worker } from 'node:worker_threads';

/** A runner of one task after the other, beside the server's own thread. */
export interface Runner {
  post: (asked: TaskMessage) => void;
  end: () => Promise<unknown>;
}

export interface RunnerListener {
  answered: (answered: TaskReply) => void;
  /** Call when it is gone, with the reason. */
  lost: (message: string) => void;
}

export type Begin = (heard: RunnerListener) => Runner;

/** A thread: quick to ask, and told to stop through memory that it shares. For what was checked before. */
export const threadOf =
  (bundle: string, memory: number): Begin =>
  ({ answered, lost }) => {
    const worker = new Worker(bundle, {
      resourceLimits: { maxOldGenerationSizeMb: memory, maxYoungGenerationSizeMb: 64 },
    });
    worker.on('message', answered);
    worker.on('error', (error) => lost(error.message));
    worker.on('exit', () => lost('the thread ended before it answered'));
    // It does not keep a server alive that is asked to end.
    worker.unref();
    return { post: (asked) => worker.postMessage(asked), end: () => worker.terminate() };
  };

/**
 * A process of its own: for files that nobody has looked at yet. Where one takes more memory than it may, a thread can
 * take the whole server with it (V8 ends the process where a limit is passed in one leap); this takes nothing but
 * itself.
 */
export const processOf =
  (bundle: string, memory: number): Begin =>
  ({ answered, lost }) => {
    const child = fork(bundle, {
      execArgv: [`--max-old-space-size=${memory}`],
      serialization: 'advanced',
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
      // It needs to know nothing: neither the database nor where the key is.
      env: {},
    });
    child.on('message', (message) => answered(message as TaskReply));
    child.on('error', (error) => lost(error.message));
    child.on('exit', () => lost('the process ended before it answered'));
    child.unref();
    child.channel?.unref();
    return {
      // Memory can't be shared with a process; it is ended where a thread would be told to stop.
      post: ({ id, task, input }) => void child.send({ id, task, input }),
      end: () => Promise.resolve(child.kill('SIGKILL')),
    };
  };
