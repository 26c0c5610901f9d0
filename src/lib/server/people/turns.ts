import { NotDone } from '../platform/threads/pool';

/** A requester who waits for a hash. */
export interface Turn {
  /** Origin of the request: a device, a network, or a person who is signed in. */
  from: string;
  /** Somebody signed in there before. */
  known: boolean;
}

interface Waiting extends Turn {
  go: () => void;
  refuse: (why: NotDone) => void;
}

/** Every so many turns one is for an unknown place, so that known devices keep nobody out for good. */
const FOR_UNKNOWN = 4;

/**
 * A queue before something that costs a core. Known devices go first, and places take turns, so that one place, or many
 * places that nobody knows, keep nobody else waiting for long. It is bounded in all and by place.
 */
export class Turns {
  private working = 0;
  private last = 0;
  private readonly queue: Waiting[] = [];
  /** Time of each requester's last turn. */
  private readonly served = new Map<string, number>();

  /**
   * @param atOnce how many work at once
   * @param most how many wait, of known places and of unknown ones each
   * @param mostEach how many of one place wait
   */
  constructor(
    private readonly atOnce: number,
    private readonly most: number,
    private readonly mostEach: number,
  ) {}

  /** @throws NotDone `busy` where too many wait; `work` was not begun then */
  async run<T>(turn: Turn, work: () => Promise<T>): Promise<T> {
    if (this.working >= this.atOnce) await this.wait(turn);
    else this.working++;
    this.note(turn.from);
    try {
      return await work();
    } finally {
      const next = this.next();
      if (next) next.go();
      else this.working--;
    }
  }

  private wait({ from, known }: Turn): Promise<void> {
    const busy = new NotDone('busy', 'too many sign in at once');
    const same = this.queue.filter((one) => one.known === known);
    const own = same.filter((one) => one.from === from).length;
    if (own >= this.mostEach) return Promise.reject(busy);
    if (same.length >= this.most) {
      const crowd = crowdOf(same);
      if (crowd.length <= own + 1) return Promise.reject(busy);
      this.take(crowd.at(-1)!).refuse(busy);
    }
    return new Promise((go, refuse) => this.queue.push({ from, known, go, refuse }));
  }

  private next(): Waiting | undefined {
    const forUnknown = this.last % FOR_UNKNOWN === 0;
    const ready = this.queue.filter((one) => one.known !== forUnknown);
    const servedAt = ({ from }: Waiting): number => this.served.get(from) ?? 0;
    const [first, ...others] = ready.length > 0 ? ready : this.queue;
    return (
      first && this.take(others.reduce((best, one) => (servedAt(one) < servedAt(best) ? one : best), first))
    );
  }

  private take(one: Waiting): Waiting {
    this.queue.splice(this.queue.indexOf(one), 1);
    return one;
  }

  private note(from: string): void {
    this.served.delete(from);
    this.served.set(from, ++this.last);
    if (this.served.size > 1000) this.served.delete(this.served.keys().next().value!);
  }
}

/** Turns of the place that has the most waiting, in the order in which they came. */
function crowdOf(waiting: readonly Waiting[]): Waiting[] {
  const byPlace = new Map<string, Waiting[]>();
  for (const one of waiting) byPlace.set(one.from, [...(byPlace.get(one.from) ?? []), one]);
  return [...byPlace.values()].reduce((most, some) => (some.length > most.length ? some : most));
}
