import { createHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { open, readdir, readFile, rm, stat, statfs, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Type, type Static } from 'typebox';
import { isZero } from '$core/bench';
import { closed, Bytes } from '$core/shapes';
import { failure, success, type Outcome } from '$core/problem';
import { formatSize, GIB, MIB, TIB } from '$core/units';
import { makeFolderDurably, placeDurably, writeDurably } from '../durable';
import { imagePath, imagesFolder, ImageName, isImageName, PART } from './folder';

/** Bytes of a piece at most; a browser sends one after the other. */
export const MOST_PIECE = 8 * MIB;
const MOST_BYTES = 16 * TIB;
/** Uploads that may be under way at once, and days after which one that nobody goes on with is thrown away. */
const MOST_UPLOADS = 8;
const DAYS = 7;
/** Milliseconds after which one that nobody went on with makes room for another, where there are too many: soon where nothing has arrived. */
const IDLE = { empty: 30_000, begun: 600_000 };
/** What stays free on the server's disk. */
export const KEPT_FREE = 2 * GIB;

/** What is to be sent: the same name, size and time are the same file, so that an upload is found again. */
export const BeginUpload = closed({
  name: ImageName,
  bytes: Type.Integer({ minimum: 512, maximum: MOST_BYTES }),
  /** When the file was changed last, in milliseconds since 1970. */
  changedAt: Type.Integer({ minimum: 0, maximum: 8.64e15 }),
});
export type BeginUpload = Static<typeof BeginUpload>;

export const UploadShape = closed({
  id: Type.String({ pattern: '^[0-9a-f]{32}$' }),
  name: ImageName,
  bytes: Bytes,
  /** Bytes that have arrived and are kept; the next piece begins there. */
  received: Bytes,
});
export type Upload = Static<typeof UploadShape>;

const refused = (code: string, message: string, path = '') => failure({ code, path, message });

const filesOf = (id: string) => ({
  part: join(imagesFolder(), `.${id}${PART}`),
  told: join(imagesFolder(), `.${id}.json`),
});

/** The same file has the same id: what has arrived of it already is gone on with. */
const idOf = (what: BeginUpload): string =>
  createHash('sha256')
    .update(JSON.stringify([what.name, what.bytes, what.changedAt]))
    .digest('hex')
    .slice(0, 32);

/**
 * Begins an upload, or finds the one that was begun with the same file.
 *
 * Problem codes: `name`, `exists`, `no-room`, `too-many`.
 */
export async function beginUpload({ name, bytes, changedAt }: BeginUpload): Promise<Outcome<Upload>> {
  const id = idOf({ name, bytes, changedAt });
  if (!isImageName(name))
    return refused(
      'name',
      'A name of an image is a plain file name; it neither begins with a dot nor names a journal.',
      '/name',
    );
  if (existsSync(imagePath(name)))
    return refused(
      'exists',
      `There is an image called ${name} on the server already. Give yours another name first.`,
      '/name',
    );
  makeFolderDurably(imagesFolder());
  const begun = await findUpload(id);
  if (begun) return success(begun);
  await forgetUploads();
  const others = await withRoom(await allUploads());
  if (others.length >= MOST_UPLOADS)
    return refused(
      'too-many',
      `${others.length} images are being sent already. Wait until one of them has arrived.`,
    );
  const { bavail, bsize } = await statfs(imagesFolder());
  const promised = others.reduce((sum, one) => sum + one.bytes - one.received, 0);
  const room = bavail * bsize - promised - KEPT_FREE;
  if (bytes > room)
    return refused(
      'no-room',
      `The image has ${formatSize(bytes)}, and the server has room for ${formatSize(Math.max(0, room))}. Make room there, or put the image into its folder yourself.`,
      '/bytes',
    );
  const upload = { id, name, bytes, received: 0 };
  await writeFile(filesOf(id).part, '');
  await tell(upload);
  return success(upload);
}

/** An upload that is under way, or null. */
export async function findUpload(id: string): Promise<Upload | null> {
  if (!/^[0-9a-f]{32}$/.test(id)) return null;
  const { part, told } = filesOf(id);
  const text = await readFile(told, 'utf8').catch(() => null);
  if (text === null || !existsSync(part)) return null;
  return JSON.parse(text) as Upload;
}

/** Uploads in which a piece is being written at this moment. */
const writing = new Set<string>();

/**
 * Keeps the next piece; with the last one the image is there under its name. What was told as received is on the disk.
 *
 * Problem codes: `place` (it is not the next piece), `busy`, `too-long`, `exists`, `no-room`.
 */
export async function takePiece(upload: Upload, offset: number, piece: Uint8Array): Promise<Outcome<Upload>> {
  const { id, bytes, received } = upload;
  if (writing.has(id)) return refused('busy', 'A piece of this image is being written already.');
  if (offset !== received)
    return refused('place', `The next piece begins at byte ${received}, not at ${offset}.`, '/offset');
  if (received + piece.length > bytes)
    return refused('too-long', `More was sent than the ${bytes} bytes that were announced.`);
  writing.add(id);
  try {
    await append(filesOf(id).part, offset, piece);
    const now = { ...upload, received: received + piece.length };
    await tell(now);
    return now.received === bytes ? await arrived(now) : success(now);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC')
      return refused('no-room', 'The server’s disk is full. Make room there, then go on.');
    throw error;
  } finally {
    writing.delete(id);
  }
}

async function append(path: string, offset: number, piece: Uint8Array): Promise<void> {
  const file = await open(path, 'r+');
  try {
    // What holds nothing takes no room either.
    if (isZero(piece)) await file.truncate(offset + piece.length);
    else
      for (let done = 0; done < piece.length;) {
        const { bytesWritten } = await file.write(piece, done, piece.length - done, offset + done);
        done += bytesWritten;
      }
    await file.datasync();
  } finally {
    await file.close();
  }
}

/** What it says is never half said; the name of the part is safe with it, since both lie in one folder. */
async function tell(upload: Upload): Promise<void> {
  await writeDurably(filesOf(upload.id).told, JSON.stringify(upload), { over: true });
}

/** Under its name at last, and never over another file: a link fails where there is one. */
async function arrived(upload: Upload): Promise<Outcome<Upload>> {
  const { part } = filesOf(upload.id);
  try {
    await placeDurably(part, imagePath(upload.name), { over: false });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
    return refused(
      'exists',
      `Meanwhile there is another image called ${upload.name} on the server. Nothing was written over.`,
    );
  }
  await dropUpload(upload.id);
  return success(upload);
}

/** Throws away what has arrived. */
export async function dropUpload(id: string): Promise<void> {
  const { part, told } = filesOf(id);
  await rm(told, { force: true });
  await rm(part, { force: true });
}

async function idsTold(): Promise<string[]> {
  const names = await readdir(imagesFolder());
  return names.flatMap((name) => /^\.([0-9a-f]{32})\.json$/.exec(name)?.[1] ?? []);
}

async function allUploads(): Promise<Upload[]> {
  return (await Promise.all((await idsTold()).map(findUpload))).filter((one) => one !== null);
}

/** Milliseconds since something of it arrived, or it was begun. */
async function idleFor({ id }: Upload): Promise<number> {
  const seen = await stat(filesOf(id).told).catch(() => null);
  return seen ? Date.now() - seen.mtimeMs : 0;
}

/** Those that nobody went on with for days, and what is told of those whose bytes are gone. */
async function forgetUploads(): Promise<void> {
  for (const id of await idsTold())
    if (!existsSync(filesOf(id).part)) await rm(filesOf(id).told, { force: true });
  for (const one of await allUploads())
    if ((await idleFor(one)) > DAYS * 86_400_000) await dropUpload(one.id);
}

/** Uploads that are left once those that lie idle made room for one more; nobody keeps all others out by beginning some. */
async function withRoom(all: Upload[]): Promise<Upload[]> {
  const left = new Set(all);
  const idle: { one: Upload; since: number }[] = [];
  for (const one of all) {
    const since = await idleFor(one);
    if (since > (one.received === 0 ? IDLE.empty : IDLE.begun)) idle.push({ one, since });
  }
  idle.sort((a, b) => a.one.received - b.one.received || b.since - a.since);
  for (const { one } of idle) {
    if (left.size < MOST_UPLOADS) break;
    await dropUpload(one.id);
    left.delete(one);
  }
  return [...left];
}
