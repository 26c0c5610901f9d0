import type { Tick } from '$core/worksheet';
import { send, type Refusal } from '$ui/api';
import { merged, nowText, read, uuid, without, write } from './tickStore';

/** Milliseconds between two looks whether something is to be sent, or came from another device. */
const EVERY = 6000;

/** A clock that was started at an item. */
interface Clock {
  item: string;
  /** Milliseconds since 1970. */
  since: number;
}

/**
 * The ticks of a sheet on this device. What the server has not yet taken is kept here, through a lost connection and
 * a reload, and sent until it is taken.
 */
export class TickDesk {
  /** Everything that was ticked, here and elsewhere. */
  ticks = $state.raw<readonly Tick[]>([]);
  /** What the server does not have yet. */
  waiting = $state.raw<readonly Tick[]>([]);
  /** The server was not reached the last time. */
  offline = $state(false);
  /** The server took none of what waits, and why. */
  refusal = $state.raw<Refusal | null>(null);
  clock = $state.raw<Clock | null>(null);
  private sending = false;
  private timer: ReturnType<typeof setInterval> | undefined;

  constructor(
    private readonly path: string,
    private readonly store: string,
    kept: readonly Tick[],
  ) {
    this.ticks = kept;
  }

  /** Takes up what this device kept, and goes on sending. @returns what ends it */
  begin(): () => void {
    this.waiting = read<Tick[]>(`${this.store}-waiting`) ?? [];
    this.clock = read<Clock>(`${this.store}-clock`);
    this.ticks = merged(this.ticks, this.waiting);
    const look = (): void => void this.exchange();
    window.addEventListener('online', look);
    this.timer = setInterval(look, EVERY);
    look();
    return () => {
      clearInterval(this.timer);
      window.removeEventListener('online', look);
    };
  }

  add(tick: Omit<Tick, 'id' | 'at'>): void {
    const whole: Tick = { ...tick, id: uuid(), at: nowText() };
    this.waiting = [...this.waiting, whole];
    this.ticks = merged(this.ticks, [whole]);
    write(`${this.store}-waiting`, this.waiting);
    if (this.clock?.item === tick.item) this.setClock(null);
    void this.exchange();
  }

  setClock(clock: Clock | null): void {
    this.clock = clock;
    write(`${this.store}-clock`, clock);
  }

  /** Lets go of what the server refused. */
  discard(): void {
    this.ticks = without(this.ticks, this.waiting);
    this.waiting = [];
    this.refusal = null;
    write(`${this.store}-waiting`, []);
  }

  /** Sends what waits, and takes what came from elsewhere. */
  private async exchange(): Promise<void> {
    if (this.sending) return;
    this.sending = true;
    const sent = this.waiting;
    const reply = await send<{ ticks: Tick[] }>('POST', this.path, { ticks: sent });
    this.sending = false;
    if (reply.ok) {
      this.waiting = without(this.waiting, sent);
      this.ticks = merged(reply.value.ticks, this.waiting);
      this.offline = false;
      this.refusal = null;
      write(`${this.store}-waiting`, this.waiting);
      if (this.waiting.length > 0) void this.exchange();
      return;
    }
    this.offline = reply.refusal.status === 0 || reply.refusal.status >= 500;
    this.refusal = this.offline ? null : reply.refusal;
  }
}
