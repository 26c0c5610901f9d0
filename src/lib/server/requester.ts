import { AsyncLocalStorage } from 'node:async_hooks';
import { firstCharacters, wellFormed } from '$core/wellFormed';

/** Whom the server is at work for. */
export interface Requester {
  /** Who they say they are; empty where nobody said. There is no login. */
  who: string;
  /** What tells them from others where work is shared out: their address, and who they say they are. */
  key: string;
  /** Aborted once they left. */
  gone: AbortSignal | null;
}

const NOBODY: Requester = { who: '', key: '', gone: null };
const requests = new AsyncLocalStorage<Requester>();

/** The cookie in which a browser keeps who works with it: it is what that person says. */
export const PERSON_COOKIE = 'person';
/** Most characters of a name; a database column is as wide. */
const MOST_CHARACTERS = 100;

/** Runs `work` for somebody, so that the history can say who, and the queue can be fair. */
export function asPerson<T>(
  said: string,
  work: () => T,
  { from = '', gone = null }: { from?: string; gone?: AbortSignal | null } = {},
): T {
  const who = firstCharacters(wellFormed(said).trim(), MOST_CHARACTERS);
  return requests.run({ who, key: `${from} ${who}`, gone }, work);
}

/** Whom the present request is for. */
export const requester = (): Requester => requests.getStore() ?? NOBODY;

/** Who that says to be; empty where nobody said. */
export const person = (): string => requester().who;
