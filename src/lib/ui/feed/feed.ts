/** Something that was done in the workshop, as the server tells it. */
export interface FeedEvent {
  job: number | null;
  version: number | null;
  who: string;
  what: string;
}

/** What listeners hear: what was done, or that something may have been missed meanwhile. */
export type FeedListener = { happenings: readonly FeedEvent[] } | { missed: true };
type Listener = (heard: FeedListener) => void;

const LOCK = 'gentle-tide-feed';
const PATH = '/api/v1/events';
/** Milliseconds until it is tried again after it broke, at first and at the most. */
const [FIRST_PAUSE, LONGEST_PAUSE] = [1000, 30_000];

/**
 * Hears what is done at the bench. A browser keeps few connections to one server, and a technician has many tabs: one
 * of them holds the connection, and tells the others. Where that can't be arranged each tab has its own.
 */
export class Feed {
  private readonly listeners = new Set<Listener>();
  private channel: BroadcastChannel | null = null;
  private source: EventSource | null = null;
  private over = false;
  private pause = FIRST_PAUSE;
  private retry: ReturnType<typeof setTimeout> | undefined;

  /** Begins to listen. @returns what ends it */
  begin(): () => void {
    const release = new AbortController();
    const shared = 'locks' in navigator && 'BroadcastChannel' in globalThis;
    if (shared) {
      this.channel = new BroadcastChannel(LOCK);
      this.channel.onmessage = ({ data }: MessageEvent<FeedListener>) => this.tell(data);
      // The lock lasts until this tab closes; then another tab takes it.
      navigator.locks
        .request(LOCK, { signal: release.signal }, () => {
          this.connect();
          return new Promise<void>((done) => release.signal.addEventListener('abort', () => done()));
        })
        .catch(() => undefined);
    } else this.connect();
    return () => {
      this.over = true;
      release.abort();
      clearTimeout(this.retry);
      this.source?.close();
      this.channel?.close();
    };
  }

  listen(listener: Listener): () => void {
    this.listeners.add(listener);
    return () => void this.listeners.delete(listener);
  }

  private connect(): void {
    if (this.over) return;
    const source = new EventSource(PATH);
    this.source = source;
    let before = false;
    source.addEventListener('here', () => {
      // Whatever was done while there was no connection was not told.
      if (this.pause !== FIRST_PAUSE || before) this.pass({ missed: true });
      this.pause = FIRST_PAUSE;
      before = true;
    });
    source.onmessage = ({ data }: MessageEvent<string>) =>
      this.pass({ happenings: JSON.parse(data) as FeedEvent[] });
    source.onerror = () => {
      // The browser's own tries come at a fixed pace, and end for good at some answers.
      source.close();
      if (this.over) return;
      this.retry = setTimeout(() => this.connect(), this.pause);
      this.pause = Math.min(2 * this.pause, LONGEST_PAUSE);
    };
  }

  private pass(heard: FeedListener): void {
    this.channel?.postMessage(heard);
    this.tell(heard);
  }

  private tell(heard: FeedListener): void {
    for (const listener of this.listeners) listener(heard);
  }
}

/** Whether what was heard concerns a job; null: any of them. What was missed may concern every one. */
export const concerns = (heard: FeedListener, job: number | null): boolean =>
  'missed' in heard || job === null || heard.happenings.some((one) => one.job === job);
