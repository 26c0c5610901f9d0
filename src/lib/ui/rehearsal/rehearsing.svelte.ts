import type { Stock } from '$core/bench';
import type { Route } from '$core/planning';
import { send, type Refusal } from '../api';

/** A rehearsal as the server tells of it. */
export interface RehearsalView {
  id: number;
  place: RunPlace;
  /** The image that it is carried out on or of, and the file that is worked on; null for a stand-in. */
  image: string | null;
  file: string | null;
  state: 'waiting' | 'running' | 'paused' | 'cut' | 'stepped-back' | 'ended' | 'cancelled' | 'failed';
  pace: 'fast' | 'drive';
  wish: 'pause' | 'cut' | 'cancel' | null;
  route: Route;
  current: boolean;
  elsewhere: boolean;
  progress: {
    phase: 'waiting' | 'making' | 'before' | 'carrying-out' | 'after' | 'over';
    files: number | null;
    step: number;
    arrived: number;
    toArrive: number;
    backing: boolean;
    journal: number;
    written: number[];
    took: number[];
    rate: number | null;
    factor: number | null;
    cuts: number;
  };
  problem: string | null;
  verdict: 'proved' | 'differs' | null;
  who: string;
}

export type RunPlace = 'stand-in' | 'copy' | 'image';
export type Pace = RehearsalView['pace'];
export type Wish = 'cut' | 'pause' | 'resume' | 'step-back' | 'cancel' | 'give-up' | Pace;

const STOPPED: readonly RehearsalView['state'][] = ['paused', 'cut', 'stepped-back'];

/** A rehearsal that is watched, and what is asked of it. */
export class Rehearsing {
  now = $state<RehearsalView | null>(null);
  refusal = $state<Refusal | null>(null);
  /** Something was asked for and not answered yet. */
  asking = $state(false);
  pace = $state<Pace>('fast');
  private events: EventSource | null = null;

  constructor(
    private readonly job: number,
    newest: RehearsalView | null,
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
    const events = new EventSource(`${this.path}/${this.now.id}/events`);
    this.events = events;
    events.onmessage = ({ data }: MessageEvent<string>) => {
      const told = JSON.parse(data) as RehearsalView;
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
    more: { typed?: string; extent?: Stock['extent'] } = {},
  ): Promise<void> {
    return this.ask('POST', this.path, { pace: this.pace, place, ...more });
  }

  wish(wish: Wish): Promise<void> {
    return this.ask('PUT', `${this.path}/${this.now!.id}`, { wish });
  }

  private get path(): string {
    return `/api/v1/jobs/${this.job}/rehearsals`;
  }

  private async ask(method: 'POST' | 'PUT', path: string, body: unknown): Promise<void> {
    this.asking = true;
    const reply = await send<RehearsalView>(method, path, body);
    this.asking = false;
    this.refusal = reply.ok ? null : reply.refusal;
    if (!reply.ok) return;
    const another = reply.value.id !== this.now?.id;
    this.now = reply.value;
    if (another || !this.events) this.watch();
  }
}
