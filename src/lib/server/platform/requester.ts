import { MAX_PERSON_NAME, type Person } from '$contract/people';
import type { Scope } from '$contract/roles';
import { AsyncLocalStorage } from 'node:async_hooks';
import { takeFirstCharacters, mendText } from '$core/wellFormed';

/** The person or program that the server works for. */
export interface Requester {
  /** Id of the request, as the log and the answer name it. */
  id: string;
  /**
   * Their name in the history: who signed in, or where nobody has to, who they say they are; empty where nobody said.
   */
  who: string;
  /** Identity for sharing out work: address and person. */
  key: string;
  /** The address that they ask from. */
  from: string;
  /** The person who signed in; null where nobody did, or nobody has to. */
  person: Person | null;
  /** The session that they are in; null without one (a program with a token has none). */
  session: { id: number; device: number } | null;
  /** The token that a program showed; null for people. */
  token: number | null;
  /** Scopes of a program; null for people, whose role decides. */
  scopes: readonly Scope[] | null;
  /** Aborted once they left. */
  gone: AbortSignal | null;
}

export const NOBODY: Requester = {
  id: '',
  who: '',
  key: '',
  from: '',
  person: null,
  session: null,
  token: null,
  scopes: null,
  gone: null,
};
const requests = new AsyncLocalStorage<Requester>();

/** The cookie in which a browser keeps who works with it, where nobody signs in: it is what that person says. */
export const PERSON_COOKIE = 'person';
/** A name as it is kept. */
export const nameOf = (said: string): string => takeFirstCharacters(mendText(said).trim(), MAX_PERSON_NAME);

/** Runs `work` for somebody, so that the history can say who, and the queue can be fair. */
export const runForRequester = <T>(asker: Requester, work: () => T): T => requests.run(asker, work);

/** The same for somebody of whom only the name is known. */
export const runAsPerson = <T>(said: string, work: () => T): T => {
  const who = nameOf(said);
  return runForRequester({ ...NOBODY, who, key: ` ${who}` }, work);
};

/** Requester of the present request. */
export const requester = (): Requester => requests.getStore() ?? NOBODY;

/** The person's name; empty where nobody said. */
export const person = (): string => requester().who;
