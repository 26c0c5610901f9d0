import type { TaskMessage, TaskReply } from './messages';
import { parentPort } from 'node:worker_threads';
import type { AnyTask } from './task';

/**
 * Works beside the server's own thread, one task after the other: in a thread, or in a process of its own (runner.ts).
 */
export function serveTasks(tasks: readonly AnyTask[]): void {
  const known = new Map(tasks.map((task) => [task.name, task]));
  const work = async (
    { id, task, input, stop }: TaskMessage,
    say: (answered: TaskReply) => void,
  ): Promise<void> => {
    const stopped = () => stop !== undefined && Atomics.load(stop, 0) === 1;
    const tell = (progress: unknown) => say({ id, progress });
    try {
      say({ id, value: await known.get(task)!.run(input as never, stopped, tell as never) });
    } catch (error) {
      say({ id, error: error instanceof Error ? (error.stack ?? error.message) : String(error) });
    }
  };
  if (parentPort) {
    const port = parentPort;
    port.on('message', (asked: TaskMessage) => void work(asked, (answered) => port.postMessage(answered)));
  } else {
    process.on('message', (asked: TaskMessage) => void work(asked, (answered) => process.send?.(answered)));
    process.on('disconnect', () => process.exit());
  }
}
