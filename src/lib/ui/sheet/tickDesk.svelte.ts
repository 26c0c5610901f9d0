import { call, type Refusal } from '$contract/client';
import type { Tick } from '$core/worksheet';
import { merged, formatNow, read, uuid, without, write } from './tickStore';

/** Milliseconds between two looks whether something is to be sent, or came from another device. */
const EVERY = 6000;

/** Ticks that are sent in one go; more follow at once. */
const AT_ONCE = 200;
/** No answer, or one that says that there is none now; everything else is the server's last word. */
const OUT_OF_REACH: ReadonlySet<number> = new Set([0, 502, 503, 504]);

const NOT_SIGNED_IN = 401;

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
  /** It was, and nobody is signed in on this device any more: what waits is sent once somebody is. */
  signedOut = $state(false);
  /** The server refused something of what waits, and why. */
  refusal = $state.raw<Refusal | null>(null);
  clock = $state.raw<Clock | null>(null);
  /** What the server refused: kept until somebody decides, and not sent again by itself. */
  // eslint-disable-next-line svelte/prefer-svelte-reactivity -- nothing is drawn by it
  private readonly refused = new Set<string>();
  private sending = false;
  private timer: ReturnType<typeof setInterval> | undefined;

  constructor(
    private readonly address: { number: number; id: number },
    private readonly store: string,
    kept: readonly Tick[],
    /** The server took ticks: the page that this device keeps is older than that. */
    private readonly ontaken: () => void = () => undefined,
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
    const whole: Tick = { ...tick, id: uuid(), at: formatNow() };
    this.keep([...this.waiting, whole]);
    this.ticks = merged(this.ticks, [whole]);
    if (this.clock?.item === tick.item) this.setClock(null);
    void this.exchange();
  }

  setClock(clock: Clock | null): void {
    this.clock = clock;
    write(`${this.store}-clock`, clock);
  }

  /** Lets go of what the server refused. */
  discard(): void {
    this.ticks = this.ticks.filter(({ id }) => !this.refused.has(id));
    this.keep(this.waiting.filter(({ id }) => !this.refused.has(id)));
    this.refused.clear();
    this.refusal = null;
  }

  /** Sends what the server refused once more, since somebody asks for it. */
  again(): void {
    this.refused.clear();
    this.refusal = null;
    void this.exchange();
  }

  /** Something was ticked elsewhere: looks at once instead of in a while. */
  look(): void {
    void this.exchange();
  }

  /** Sends what waits, and takes what came from elsewhere. */
  private async exchange(): Promise<void> {
    if (this.sending) return;
    this.sending = true;
    const sent = this.waiting.filter(({ id }) => !this.refused.has(id)).slice(0, AT_ONCE);
    const taken = await this.send(sent);
    // One that can't be taken must not keep back those that came with it.
    if (!taken && !this.away && sent.length > 1) {
      for (const one of sent) if (!(await this.send([one])) && this.away) break;
    } else if (!taken && !this.away) {
      for (const { id } of sent) this.refused.add(id);
    }
    this.sending = false;
    if (taken && this.waiting.some(({ id }) => !this.refused.has(id))) void this.exchange();
  }

  /** @returns false where they were not taken; `offline` or `refusal` says why */
  private async send(sent: readonly Tick[]): Promise<boolean> {
    const reply = await (sent.length > 0
      ? call('POST /jobs/{number}/sheets/{id}/ticks', { ...this.address, body: { ticks: [...sent] } })
      : call('GET /jobs/{number}/sheets/{id}/ticks', this.address));
    if (reply.ok) {
      this.keep(without(this.waiting, sent));
      this.ticks = merged(reply.value.ticks, this.waiting);
      this.offline = this.signedOut = false;
      if (this.refused.size === 0) this.refusal = null;
      if (sent.length > 0) this.ontaken();
      return true;
    }
    this.offline = OUT_OF_REACH.has(reply.refusal.status);
    this.signedOut = reply.refusal.status === NOT_SIGNED_IN;
    if (this.away) return false;
    this.refusal = reply.refusal;
    if (sent.length === 1) this.refused.add(sent[0]!.id);
    return false;
  }

  private get away(): boolean {
    return this.offline || this.signedOut;
  }

  private keep(waiting: readonly Tick[]): void {
    this.waiting = waiting;
    write(`${this.store}-waiting`, waiting);
  }
}
