import { STOPPED, type Command, type Pace, type RunPlace } from '$contract/rehearsalStates';
import { addressOf, call, type Refusal, type Reply } from '$contract/client';
import type { Rehearsal } from '$contract/rehearsals';
import type { Inventory } from '$core/executor';

/** A rehearsal that is watched, and what is asked of it. */
export class Rehearsing {
  now = $state<Rehearsal | null>(null);
  refusal = $state<Refusal | null>(null);
  /** Something was asked for and not answered yet. */
  asking = $state(false);
  pace = $state<Pace>('fast');
  private events: EventSource | null = null;

  constructor(
    private readonly job: number,
    newest: Rehearsal | null,
    /** Called when it has come to its end. */
    private readonly over: () => void,
  ) {
    this.now = newest;
    this.pace = newest?.pace ?? 'fast';
  }

  get alive(): boolean {
    return this.now !== null && !['ended', 'cancelled', 'failed'].includes(this.now.state);
  }

  get stopped(): boolean {
    return this.now !== null && STOPPED.includes(this.now.state);
  }

  /** It runs, or waits for its turn. */
  get going(): boolean {
    return this.alive && !this.stopped;
  }

  /** Follows it for as long as it is alive; the browser asks again by itself where the line breaks. */
  watch(): void {
    this.leave();
    if (!this.now || !this.alive) return;
    const events = new EventSource(
      addressOf('GET /jobs/{number}/rehearsals/{id}/events', { number: this.job, id: this.now.id }),
    );
    this.events = events;
    events.onmessage = ({ data }: MessageEvent<string>) => {
      const told = JSON.parse(data) as Rehearsal;
      if (told.id !== this.now?.id) return;
      this.now = told;
    };
    events.addEventListener('over', () => {
      this.leave();
      this.over();
    });
  }

  leave(): void {
    this.events?.close();
    this.events = null;
  }

  /** @param more on an image: its name, to work on it itself, and what is read for the proof */
  begin(
    place: RunPlace = 'stand-in',
    more: { typed?: string; extent?: Inventory['extent'] } = {},
  ): Promise<void> {
    const { job: number, pace } = this;
    return this.ask(call('POST /jobs/{number}/rehearsals', { number, body: { pace, place, ...more } }));
  }

  command(wish: Command): Promise<void> {
    const address = { number: this.job, id: this.now!.id };
    return this.ask(call('PUT /jobs/{number}/rehearsals/{id}', { ...address, body: { wish } }));
  }

  private async ask(asked: Promise<Reply<Rehearsal>>): Promise<void> {
    this.asking = true;
    const reply = await asked;
    this.asking = false;
    this.refusal = reply.ok ? null : reply.refusal;
    if (!reply.ok) return;
    const another = reply.value.id !== this.now?.id;
    this.now = reply.value;
    if (another || !this.events) this.watch();
  }
}
