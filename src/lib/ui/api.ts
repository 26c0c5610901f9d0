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
  try {
    const response = await fetch(path, {
      method,
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
    const answer: unknown = await response.json();
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
    const detail = 'The server cannot be reached. Nothing was saved; try again when it runs.';
    return { ok: false, refusal: { status: 0, detail, fields: [], current: null } };
  }
}

export interface Saved {
  number: number;
  version: number;
}
