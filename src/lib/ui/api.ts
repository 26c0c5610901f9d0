/** A refusal of the server in words, with the messages of single fields by their path. */
export interface Refusal {
  status: number;
  detail: string;
  fields: { path: string; message: string }[];
  /** On 409: the version that the job has by now. */
  current: number | null;
}

export type Reply<T> = { ok: true; value: T } | { ok: false; refusal: Refusal };

/** Sends JSON and reads the answer; a server that can't be reached is a refusal like any other. */
export async function send<T>(method: 'POST' | 'PUT', path: string, body: unknown): Promise<Reply<T>> {
  const none = (status: number, detail: string): Reply<T> => ({
    ok: false,
    refusal: { status, detail, fields: [], current: null },
  });
  try {
    const response = await fetch(path, {
      method,
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
    const answer: unknown = await response.json().catch(() => null);
    if (typeof answer !== 'object' || answer === null) {
      const detail = 'The server’s answer can’t be read. Nothing was saved, or it is not known; look again.';
      return none(response.ok ? 0 : response.status, detail);
    }
    if (response.ok) return { ok: true, value: answer as T };
    const problem = answer as { detail?: string; errors?: Refusal['fields']; current?: number };
    return {
      ok: false,
      refusal: {
        status: response.status,
        detail: problem.detail ?? 'The server refused without a reason.',
        fields: problem.errors ?? [],
        current: problem.current ?? null,
      },
    };
  } catch {
    return none(0, 'The server cannot be reached. Nothing was saved; try again when it runs.');
  }
}

export interface Saved {
  number: number;
  version: number;
}
