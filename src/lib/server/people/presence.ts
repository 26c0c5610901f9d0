import type { Requester } from '../platform/requester';
import { filterSessions } from './sessions';
import { filterTokens } from './tokens';

/** By what somebody who watches was let in; both null where nobody signs in. */
export interface Presence {
  session: number | null;
  token: number | null;
  person: number | null;
}

export const presenceOf = ({ session, token, person }: Requester): Presence => ({
  session: session?.id ?? null,
  token,
  person: person?.id ?? null,
});

/** People of many who may go on watching: session or token of each is still valid. */
export async function findPresent<T extends Presence>(list: readonly T[]): Promise<Set<T>> {
  const idsOf = (what: 'session' | 'token'): number[] => [
    ...new Set(list.map((one) => one[what]).filter((id) => id !== null)),
  ];
  const [sessions, tokens] = await Promise.all([
    filterSessions(idsOf('session')),
    filterTokens(idsOf('token')),
  ]);
  return new Set(
    list.filter(
      ({ session, token }) =>
        (session === null || sessions.has(session)) && (token === null || tokens.has(token)),
    ),
  );
}

/** Milliseconds between two looks at whether somebody may go on. */
const LOOK = 4000;

/** Ends what goes on for long once whoever asked for it may no longer. @returns what ends the looking */
export function endWhenAbsent(presence: Presence, end: () => void): () => void {
  if (presence.session === null && presence.token === null) return () => undefined;
  const timer = setInterval(() => {
    findPresent([presence]).then(
      (present) => present.size === 0 && end(),
      // The database is away: nobody can tell.
      () => undefined,
    );
  }, LOOK);
  timer.unref();
  return () => clearInterval(timer);
}

/** Seats for those who watch, bounded in all and by person, so that nobody takes all of them. */
export class Seats {
  private readonly taken = new Map<number | null, number>();

  constructor(
    private readonly most: () => number,
    private readonly mostEach: number,
  ) {}

  get count(): number {
    return [...this.taken.values()].reduce((sum, some) => sum + some, 0);
  }

  /**
   * @param person null where nobody signs in: bounded in all only @returns what gives it back, once; null: none is free
   */
  take(person: number | null): (() => void) | null {
    const own = this.taken.get(person) ?? 0;
    if (this.count >= this.most() || (person !== null && own >= this.mostEach)) return null;
    this.taken.set(person, own + 1);
    let over = false;
    return () => {
      if (over) return;
      over = true;
      const left = this.taken.get(person)! - 1;
      if (left > 0) this.taken.set(person, left);
      else this.taken.delete(person);
    };
  }
}
