import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { concerns, Feed, type FeedListener } from './feed';

/** The browser's connection, as the tests let it be. */
class Source {
  static all: Source[] = [];
  onmessage: ((event: { data: string }) => void) | null = null;
  onerror: (() => void) | null = null;
  closed = false;
  private here: (() => void) | null = null;
  constructor(readonly path: string) {
    Source.all.push(this);
  }
  addEventListener(_: string, listener: () => void): void {
    this.here = listener;
  }
  close(): void {
    this.closed = true;
  }
  begins = (): void => this.here?.();
  says = (happenings: object[]): void => this.onmessage?.({ data: JSON.stringify(happenings) });
  breaks = (): void => this.onerror?.();
}

const done = { job: 2607, version: 4, who: 'Ida', what: 'Goal set.' };

beforeEach(() => {
  Source.all = [];
  vi.useFakeTimers();
  vi.stubGlobal('EventSource', Source);
  // No locks and no channel: each tab has its own connection.
  vi.stubGlobal('navigator', {});
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe('what is done at the bench', () => {
  it('is told to whoever listens, for as long as they do', () => {
    const feed = new Feed();
    const end = feed.begin();
    const heard: FeedListener[] = [];
    const deaf = feed.listen((one) => heard.push(one));
    Source.all[0]!.begins();
    Source.all[0]!.says([done]);
    deaf();
    Source.all[0]!.says([done]);
    expect(heard).toEqual([{ happenings: [done] }]);
    end();
    expect(Source.all[0]!.closed).toBe(true);
  });

  it('that was not heard while the connection was broken is told as missed', () => {
    const feed = new Feed();
    const heard: FeedListener[] = [];
    feed.listen((one) => heard.push(one));
    feed.begin();
    Source.all[0]!.begins();
    expect(heard).toEqual([]);
    Source.all[0]!.breaks();
    vi.advanceTimersByTime(1000);
    Source.all[1]!.begins();
    expect(heard).toEqual([{ missed: true }]);
  });

  it('is asked for again after pauses that grow up to half a minute, and no more once it ended', () => {
    const feed = new Feed();
    const end = feed.begin();
    const pauses: number[] = [];
    for (let i = 0; i < 7; i++) {
      const before = Source.all.length;
      Source.all.at(-1)!.breaks();
      let waited = 0;
      for (; Source.all.length === before; waited += 500) vi.advanceTimersByTime(500);
      pauses.push(waited);
    }
    expect(pauses).toEqual([1000, 2000, 4000, 8000, 16_000, 30_000, 30_000]);
    end();
    Source.all.at(-1)!.breaks();
    vi.advanceTimersByTime(100_000);
    expect(Source.all.length).toBe(8);
  });

  it('concerns the job that it was done on, and whoever looks at all of them', () => {
    const heard: FeedListener = { happenings: [done] };
    expect([
      concerns(heard, 2607),
      concerns(heard, 2608),
      concerns(heard, null),
      concerns({ missed: true }, 2608),
    ]).toEqual([true, false, true, true]);
  });
});
