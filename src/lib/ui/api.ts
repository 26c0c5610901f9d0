/** A refusal of the server in words, with the messages of single fields by their path. */
export interface Refusal {
  status: number;
  detail: string;
  fields: { path: string; message: string }[];
  /** On 409: the version that the job has by now. */
  current: number | null;
  /** On 429: seconds until the next try is taken. */
  seconds: number | null;
}

export type Reply<T> = { ok: true; value: T } | { ok: false; refusal: Refusal };

export const UNREACHABLE = 'The server cannot be reached. Nothing was saved; try again when it runs.';

/** What an answer says that is no good one. */
export function refusalOf(status: number, answer: unknown): Refusal {
  const problem = (answer ?? {}) as {
    detail?: string;
    errors?: Refusal['fields'];
    current?: number;
    seconds?: number;
  };
  return {
    status,
    detail: problem.detail ?? 'The server refused without a reason.',
    fields: problem.errors ?? [],
    current: problem.current ?? null,
    seconds: problem.seconds ?? null,
  };
}

/**
 * Sends JSON and reads the answer; a server that can't be reached is a refusal like any other. An answer without content is `null`.
 * Nobody being signed in any more is one too: whoever is asked sees it, and what waits stays.
 */
export async function send<T>(
  method: 'GET' | 'POST' | 'PUT' | 'DELETE',
  path: string,
  body?: unknown,
): Promise<Reply<T>> {
  const refused = (status: number, answer: unknown): Reply<T> => ({
    ok: false,
    refusal: refusalOf(status, answer),
  });
  try {
    const response = await fetch(path, {
      method,
      ...(body !== undefined && {
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      }),
    });
    if (response.status === 204) return { ok: true, value: null as T };
    const answer: unknown = await response.json().catch(() => null);
    if (typeof answer !== 'object' || answer === null) {
      const detail = 'The server’s answer can’t be read. Nothing was saved, or it is not known; look again.';
      return refused(response.ok ? 0 : response.status, { detail });
    }
    return response.ok ? { ok: true, value: answer as T } : refused(response.status, answer);
  } catch {
    return refused(0, { detail: UNREACHABLE });
  }
}

export interface Saved {
  number: number;
  version: number;
}
