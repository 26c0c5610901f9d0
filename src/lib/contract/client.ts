import type { Answer, Body, Contract, EndpointKey, Params, Query } from './index';
import type { MediaBody } from './endpoint';

/**
 * The contract's client, for pages and for programs. It takes nothing but types from the contract: a bundle with it
 * knows no shapes.
 */

/** A refusal of the server in words, with the messages of single fields by their path. */
export interface Refusal {
  /** HTTP status; 0: no answer that can be read. */
  status: number;
  detail: string;
  fields: { path: string; message: string }[];
  /** On 409: the version that the document has by now. */
  current: number | null;
  /** On 429: seconds until the next try is taken. */
  seconds: number | null;
}

export type Reply<T> = { ok: true; value: T } | { ok: false; refusal: Refusal };

export const UNREACHABLE = 'The server cannot be reached. Nothing was saved; try again when it runs.';

type BodyArgument<K extends EndpointKey> = Contract[K] extends { body: infer B }
  ? B extends MediaBody<infer M>
    ? { body: Blob | Uint8Array<ArrayBuffer>; type: M }
    : { body: Body<K> }
  : object;
type QueryArgument<K extends EndpointKey> = Query<K> extends undefined ? object : { query?: Query<K> };

/** Parameters of a call: the braces of its path, its query, its body. */
export type Arguments<K extends EndpointKey> = Params<K> & QueryArgument<K> & BodyArgument<K>;
/** `signal` ends the call: then the server could not be reached either, and whoever ended it knows. */
interface Options {
  signal?: AbortSignal;
}
type Rest<K extends EndpointKey> =
  object extends Arguments<K>
    ? [args?: Arguments<K>, options?: Options]
    : [args: Arguments<K>, options?: Options];
/** Endpoints whose answer is JSON, or nothing. */
export type CallKey = {
  [K in EndpointKey]: Contract[K] extends { answer: MediaBody } ? never : K;
}[EndpointKey];

interface Setup {
  /** Address of the API; nothing: the page's own server. */
  base?: string;
  /** Such as `authorization: Bearer gentle-tide-…` of a program. */
  headers?: Readonly<Record<string, string>>;
}

const API_BASE = '/api/v1';

/** The address of an endpoint, for links and downloads. */
export function addressOf<K extends EndpointKey>(key: K, args: Params<K> & { query?: Query<K> }): string {
  const { query = {}, ...params } = args as { query?: Record<string, unknown> } & Record<string, unknown>;
  const path = key
    .slice(key.indexOf(' ') + 1)
    .replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(String(params[name])));
  const search = new URLSearchParams(
    Object.entries(query).flatMap(([name, value]) => (value === undefined ? [] : [[name, String(value)]])),
  ).toString();
  return `${API_BASE}${path}${search && `?${search}`}`;
}

/** Content of a refusal. */
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
 * A client of a server. A server that can't be reached is a refusal like any other, and nobody being signed in any more
 * is one too: whoever calls sees it, and what waits stays. An answer without content is `null`.
 */
export const clientOf =
  ({ base = '', headers = {} }: Setup = {}) =>
  async <K extends CallKey>(key: K, ...[args, { signal } = {}]: Rest<K>): Promise<Reply<Answer<K>>> => {
    const { body, type } = (args ?? {}) as { body?: unknown; type?: string };
    const refused = (status: number, answer: unknown): Reply<Answer<K>> => ({
      ok: false,
      refusal: refusalOf(status, answer),
    });
    try {
      const response = await fetch(base + addressOf(key, (args ?? {}) as Params<K>), {
        method: key.slice(0, key.indexOf(' ')),
        headers: { ...headers, ...(body !== undefined && { 'content-type': type ?? 'application/json' }) },
        ...(body !== undefined && { body: type ? (body as Blob) : JSON.stringify(body) }),
        ...(signal && { signal }),
      });
      if (response.status === 204) return { ok: true, value: null as Answer<K> };
      const answer: unknown = await response.json().catch(() => null);
      if (typeof answer !== 'object' || answer === null) {
        const detail =
          'The server’s answer can’t be read. Nothing was saved, or it is not known; look again.';
        return refused(response.ok ? 0 : response.status, { detail });
      }
      return response.ok ? { ok: true, value: answer as Answer<K> } : refused(response.status, answer);
    } catch {
      return refused(0, { detail: UNREACHABLE });
    }
  };

/** Calls the server that the page came from. */
export const call = clientOf();
