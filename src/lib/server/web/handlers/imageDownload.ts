import type { RequestEvent } from '@sveltejs/kit';
import { createReadStream } from 'node:fs';
import { Readable } from 'node:stream';
import { presenceOf, endWhenAbsent } from '../../people/presence';
import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import { requester } from '../../platform/requester';
import type { ImageFile } from '../../work/images/folder';
import { getImagePath } from '../../platform/imageNames';
import { openPlain } from '../../work/images/openPlain';
import { beginReading } from '../../work/images/reading';

/**
 * An image as an answer: whole, or the one range that was asked for (RFC 9110, 14), so that a download that broke off
 * can go on. What several ranges are asked of is sent whole, as the standard allows.
 */
export async function sendImage(
  { name, bytes, changedAt }: ImageFile,
  { request, setHeaders }: RequestEvent,
): Promise<Outcome<Response>> {
  const asked = request.headers;
  const tag = `"${bytes.toString(16)}-${Date.parse(changedAt).toString(16)}"`;
  const headers: Record<string, string> = {
    'content-type': 'application/octet-stream',
    'content-disposition': `attachment; filename*=UTF-8''${encoded(name)}`,
    'accept-ranges': 'bytes',
    etag: tag,
  };
  // A range of another state of the file would not fit what came before it.
  const same = [null, tag].includes(asked.get('if-range'));
  const range = same ? rangeOf(asked.get('range'), bytes) : 'whole';
  if (range === 'outside') {
    setHeaders({ 'content-range': `bytes */${bytes}` });
    return refuse('not-in-image', { image: name, bytes });
  }
  const { first, last } = range === 'whole' ? { first: 0, last: bytes - 1 } : range;
  headers['content-length'] = String(last - first + 1);
  if (range !== 'whole') headers['content-range'] = `bytes ${first}-${last}/${bytes}`;
  const status = range === 'whole' ? 200 : 206;
  // Whoever asks for the head alone wants no bytes.
  if (bytes === 0 || request.method === 'HEAD') return success(new Response(null, { status, headers }));
  const opened = await openPlain(getImagePath(name)).catch(() => null);
  if (!opened) return refuse('image-moved', { image: name });
  const { file } = opened;
  const over = beginReading(name);
  const stream = createReadStream('', { fd: file, start: first, end: last });
  const unwatch = endWhenAbsent(presenceOf(requester()), () => stream.destroy(new Error('signed out')));
  stream.once('close', () => {
    unwatch();
    over();
  });
  return success(new Response(Readable.toWeb(stream) as ReadableStream, { status, headers }));
}

/** Form for a parameter of a header (RFC 8187, 3.2.1). */
const encoded = (name: string): string =>
  encodeURIComponent(name).replace(/['()*]/g, (one) => `%${one.charCodeAt(0).toString(16).toUpperCase()}`);

/** The bytes that a Range header asks for. */
function rangeOf(text: string | null, bytes: number): { first: number; last: number } | 'whole' | 'outside' {
  const found = /^bytes=(\d{0,15})-(\d{0,15})$/.exec(text ?? '');
  if (!found || (found[1] === '' && found[2] === '')) return 'whole';
  const [from, to] = [found[1]!, found[2]!];
  // Without a beginning it is the last so many bytes.
  if (from === '')
    return Number(to) === 0 ? 'outside' : { first: Math.max(0, bytes - Number(to)), last: bytes - 1 };
  const first = Number(from);
  const last = to === '' ? bytes - 1 : Math.min(Number(to), bytes - 1);
  if (first >= bytes) return 'outside';
  return last < first ? 'whole' : { first, last };
}
