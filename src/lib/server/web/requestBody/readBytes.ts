/** Bytes of a refused body that are still read, so that its sender hears why before the connection ends. */
const MAX_DRAINED = 64 * 1024 * 1024;
const DRAIN_MS = 5_000;

/**
 * The body of a request, or null once it passes the limit. What comes after that is thrown away for a while: a sender
 * that is cut off in the middle of sending sees a broken connection instead of the answer.
 */
export async function readBytes(request: Request, most: number): Promise<Uint8Array | null> {
  if (!request.body) return new Uint8Array();
  const reader = (request.body as ReadableStream<Uint8Array>).getReader();
  const declared = Number(request.headers.get('content-length') ?? 0);
  const chunks: Uint8Array[] = [];
  let length = 0;
  while (declared <= most) {
    const { done, value } = await reader.read();
    if (done) return Buffer.concat(chunks);
    length += value.length;
    if (length > most) break;
    chunks.push(value);
  }
  await drain(reader);
  return null;
}

/**
 * Throws away the body of a request that was answered without it: what is left unread would stand before the
 * connection's next request.
 *
 * @returns false where it goes on for longer than anybody waits: then the connection has to end
 */
export async function throwAway({ body, bodyUsed }: Request): Promise<boolean> {
  return !body || bodyUsed || (await drain((body as ReadableStream<Uint8Array>).getReader()));
}

/** Whether it came to its end. */
async function drain(reader: ReadableStreamDefaultReader<Uint8Array>): Promise<boolean> {
  const until = Date.now() + DRAIN_MS;
  for (let length = 0; length < MAX_DRAINED && Date.now() < until;) {
    const left = new Promise<null>((done) => setTimeout(() => done(null), until - Date.now()).unref());
    const piece = await Promise.race([reader.read().catch(() => null), left]);
    if (!piece) return false;
    if (piece.done) return true;
    length += piece.value.length;
  }
  return false;
}
