import { afterEach, beforeEach, vi } from 'vitest';

/** What a server was sent. */
export interface Sent {
  method: string;
  path: string;
  body: unknown;
}

/**
 * Lets every test of a file save to a server that takes everything, anew for each.
 * @returns what it was sent in the present test, and how to let it come back after something else answered
 */
export function savingServer(): { sent: Sent[]; answer: () => void } {
  const sent: Sent[] = [];
  const answer = (): void => {
    vi.stubGlobal('fetch', (path: string, init?: RequestInit) => {
      const body: unknown = typeof init?.body === 'string' ? JSON.parse(init.body) : null;
      sent.push({ method: init?.method ?? 'GET', path, body });
      return Promise.resolve(Response.json({ id: 9, number: 2614, version: 5, edition: sent.length + 1 }));
    });
  };
  beforeEach(() => {
    sent.length = 0;
    answer();
  });
  afterEach(() => {
    vi.unstubAllGlobals();
  });
  return { sent, answer };
}
