import { Agent, request, type OutgoingHttpHeaders } from 'node:http';

export interface Sent {
  method: string;
  path: string;
  headers?: OutgoingHttpHeaders;
  body?: string | Uint8Array;
  /** Without its length said beforehand. */
  chunked?: boolean;
}

export interface Answer {
  status: number;
  type: string;
  headers: NodeJS.Dict<string | string[]>;
  text: string;
  bytes: Buffer;
}

const ENDLESS = /^\/api\/v1\/events(\?|$)/;
const agent = new Agent({ keepAlive: true, maxSockets: 16 });

/** Sends a request as it is, whatever is odd about it. */
export function sendTo(
  base: string,
  { method, path, headers = {}, body, chunked = false }: Sent,
): Promise<Answer> {
  const { hostname, port } = new URL(base);
  const bytes = body === undefined ? undefined : Buffer.from(body);
  const length = bytes && !chunked ? { 'content-length': bytes.length } : {};
  return new Promise((resolve, reject) => {
    const sent = request(
      { hostname, port, agent, method, path, headers: { ...length, ...headers } },
      (reply) => {
        const pieces: Buffer[] = [];
        let told = false;
        const done = () => {
          if (told) return;
          told = true;
          resolve({
            status: reply.statusCode ?? 0,
            type: reply.headers['content-type'] ?? '',
            headers: reply.headers,
            text: Buffer.concat(pieces).toString(),
            bytes: Buffer.concat(pieces),
          });
        };
        reply.on('data', (piece: Buffer) => {
          pieces.push(piece);
          // What is done in the workshop is told for as long as somebody listens.
          if (!ENDLESS.test(path) || reply.statusCode !== 200) return;
          done();
          reply.destroy();
        });
        reply.on('error', reject);
        reply.on('end', done);
      },
    );
    sent.on('error', reject);
    sent.setTimeout(30_000, () => sent.destroy(new Error(`no answer to ${method} ${path.slice(0, 80)}`)));
    sent.end(bytes);
  });
}

/** Does so many things at a time. */
export async function eachOf<T>(
  list: readonly T[],
  atOnce: number,
  work: (one: T) => Promise<void>,
): Promise<void> {
  let next = 0;
  await Promise.all(
    Array.from({ length: atOnce }, async () => {
      while (next < list.length) await work(list[next++]!);
    }),
  );
}
