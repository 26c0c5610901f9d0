import type { TaskMessage, TaskReply } from './messages';
import type { Begin, Runner } from './runner';

/** No answer came, and why; whoever asked may try again. */
export class NotDone extends Error {
  constructor(
    /**
     * busy: too many wait; left: the asker is gone; slow: longer than any such task; died: the thread ended, mostly for
     * want of memory.
     */
    readonly why: 'busy' | 'left' | 'slow' | 'died',
    message: string,
  ) {
    super(message);
  }
}

export interface Wanted {
  /** Milliseconds after which a thread that works on it is ended. */
  milliseconds: number;
  /** Number of this task that may be at work at once. */
  atOnce: number;
  /** Bytes of the input, roughly; what waits is bounded by them too. */
  bytes: number;
  /** The requester: those who wait take turns. */
  key: string;
  gone: AbortSignal | null;
  /** Called with how far it is, where the task tells it. */
  tell?: (progress: never) => void;
}

export interface PoolLimits {
  threads: number;
  /** Tasks that may wait in all, and for one asker. */
  waiting: number;
  waitingEach: number;
  /** Bytes of input that may wait in all. */
  bytes: number;
}

interface Waiting extends Wanted {
  task: string;
  input: unknown;
  resolve: (value: unknown) => void;
  reject: (error: Error) => void;
  /** Takes back that the asker is listened to. */
  unlisten: () => void;
}

interface Thread {
  runner: Runner;
  at: { id: number; one: Waiting; stop: Int32Array; limit: NodeJS.Timeout } | null;
}

/** Milliseconds that a task has to notice that it is to stop, before its thread is ended. */
const STOP_PATIENCE = 300;

/**
 * A few threads for what takes long, and a queue before them that has an end. Those who wait take turns, however much
 * one of them asks for; what nobody waits for any more is dropped, or stopped in its thread.
 */
export class Pool {
  private readonly queue: Waiting[] = [];
  private readonly threads: Thread[] = [];
  private last = 0;
  /** Time of each requester's last turn. */
  private readonly served = new Map<string, number>();

  constructor(
    private readonly begin: Begin,
    private readonly limits: PoolLimits,
  ) {}

  /** @throws NotDone, or an Error with what went wrong in the task */
  run(task: string, input: unknown, wanted: Wanted): Promise<unknown> {
    if (wanted.gone?.aborted) return Promise.reject(new NotDone('left', 'the asker left'));
    const own = this.queue.filter((one) => one.key === wanted.key).length;
    const bytes = this.queue.reduce((sum, one) => sum + one.bytes, wanted.bytes);
    const { waiting, waitingEach } = this.limits;
    if (this.queue.length >= waiting || own >= waitingEach || bytes > this.limits.bytes) {
      return Promise.reject(new NotDone('busy', 'too much is waiting'));
    }
    return new Promise((resolve, reject) => {
      const leave = (): void => this.drop(one);
      wanted.gone?.addEventListener('abort', leave, { once: true });
      const unlisten = (): void => wanted.gone?.removeEventListener('abort', leave);
      const one: Waiting = { ...wanted, task, input, resolve, reject, unlisten };
      this.queue.push(one);
      this.next();
    });
  }

  /** Starts as many threads as there may be. */
  warm(): void {
    while (this.start());
  }

  async close(): Promise<void> {
    await Promise.all(this.threads.map(({ runner }) => runner.end()));
  }

  private drop(one: Waiting): void {
    const place = this.queue.indexOf(one);
    if (place >= 0) this.queue.splice(place, 1);
    one.unlisten();
    one.reject(new NotDone('left', 'the asker left'));
    const thread = this.threads.find(({ at }) => at?.one === one);
    if (!thread?.at) return;
    Atomics.store(thread.at.stop, 0, 1);
    clearTimeout(thread.at.limit);
    thread.at.limit = setTimeout(() => this.end(thread, one), STOP_PATIENCE);
  }

  private next(): void {
    while (this.queue.length > 0) {
      const thread = this.threads.find(({ at }) => at === null) ?? this.start();
      const one = thread && this.turn();
      if (!one) return;
      this.queue.splice(this.queue.indexOf(one), 1);
      this.served.delete(one.key);
      this.served.set(one.key, ++this.last);
      if (this.served.size > 1000) this.served.delete(this.served.keys().next().value!);
      this.give(thread, one);
    }
  }

  /** First of what may begin, of whoever was served longest ago. */
  private turn(): Waiting | undefined {
    const working = (task: string): number => this.threads.filter(({ at }) => at?.one.task === task).length;
    const ready = this.queue.filter((one) => working(one.task) < one.atOnce);
    const servedAt = (one: Waiting): number => this.served.get(one.key) ?? 0;
    return ready.reduce<Waiting | undefined>(
      (best, one) => (best && servedAt(best) <= servedAt(one) ? best : one),
      undefined,
    );
  }

  private give(thread: Thread, one: Waiting): void {
    const id = ++this.last;
    const stop = new Int32Array(new SharedArrayBuffer(4));
    const limit = setTimeout(() => {
      one.reject(new NotDone('slow', `it took longer than ${one.milliseconds / 1000} seconds`));
      this.end(thread, one);
    }, one.milliseconds);
    thread.at = { id, one, stop, limit };
    const asked: TaskMessage = { id, task: one.task, input: one.input, stop };
    thread.runner.post(asked);
  }

  private start(): Thread | null {
    if (this.threads.length >= this.limits.threads) return null;
    const runner = this.begin({
      answered: (answered) => this.answered(thread, answered),
      lost: (message) => this.lost(thread, message),
    });
    const thread: Thread = { runner, at: null };
    this.threads.push(thread);
    return thread;
  }

  private answered(thread: Thread, answered: TaskReply): void {
    const { at } = thread;
    if (at?.id !== answered.id) return;
    if ('progress' in answered) return at.one.tell?.(answered.progress as never);
    this.free(thread);
    if ('error' in answered) at.one.reject(new Error(answered.error));
    else at.one.resolve(answered.value);
    this.next();
  }

  private free(thread: Thread): void {
    clearTimeout(thread.at?.limit);
    thread.at?.one.unlisten();
    thread.at = null;
  }

  /** Ends a thread that works on something that nobody waits for. */
  private end(thread: Thread, one: Waiting): void {
    if (thread.at?.one !== one) return;
    this.lost(thread, 'ended');
    void thread.runner.end();
  }

  private lost(thread: Thread, message: string): void {
    const place = this.threads.indexOf(thread);
    if (place < 0) return;
    this.threads.splice(place, 1);
    thread.at?.one.reject(new NotDone('died', message));
    this.free(thread);
    this.next();
  }
}
