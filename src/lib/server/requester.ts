import { AsyncLocalStorage } from 'node:async_hooks';

const requests = new AsyncLocalStorage<string>();

/** The cookie in which a browser keeps who works with it. There is no login: it is what that person says. */
export const PERSON_COOKIE = 'person';

/** Runs `work` for somebody, so that the history can say who. */
export const asPerson = <T>(who: string, work: () => T): T => requests.run(who.trim().slice(0, 100), work);

/** Who the present request is for; empty where nobody said. */
export const person = (): string => requests.getStore() ?? '';
