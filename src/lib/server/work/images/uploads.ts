import { UploadFile, type NewUpload, type Upload } from '$contract/images';
import { refuse } from '$contract/problems';
import { checkOf } from '../../platform/validation/schemas';
import { createHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { open, readdir, readFile, rm, stat, statfs, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { isZero } from '$core/executor';
import { success, type Outcome } from '$core/problem';
import { GIB } from '$core/units';
import { makeFolderDurably, placeDurably, writeDurably } from '../../platform/durable';
import { getImagePath, getImagesFolder, isImageName, PART } from '../../platform/imageNames';

/** Uploads that may be under way at once, and days after which one that nobody goes on with is thrown away. */
const MAX_UPLOADS = 8;
const DAYS = 7;
/**
 * Milliseconds after which one that nobody went on with makes room for another, where there are too many: soon where
 * nothing has arrived.
 */
const IDLE = { empty: 30_000, begun: 600_000 };
/** Bytes that stay free on the server's disk. */
export const KEPT_FREE = 2 * GIB;

const filesOf = (id: string) => ({
  part: join(getImagesFolder(), `.${id}${PART}`),
  told: join(getImagesFolder(), `.${id}.json`),
});

/** The same file has the same id: what has arrived of it already is gone on with. */
const idOf = (what: NewUpload): string =>
  createHash('sha256')
    .update(JSON.stringify([what.name, what.bytes, what.changedAt]))
    .digest('hex')
    .slice(0, 32);

/** One after the other: who begins sees what all before him were promised. */
let beginning: Promise<unknown> = Promise.resolve();

/**
 * Begins an upload, or finds the one that was begun with the same file.
 * Refusals: `bad-image-name`, `image-exists`, `no-room-for-image`, `too-many-uploads`.
 */
export function beginUpload(what: NewUpload): Promise<Outcome<Upload>> {
  const begun = beginning.then(() => begin(what));
  beginning = begun.catch(() => undefined);
  return begun;
}

async function begin({ name, bytes, changedAt }: NewUpload): Promise<Outcome<Upload>> {
  const id = idOf({ name, bytes, changedAt });
  if (!isImageName(name)) return refuse('bad-image-name');
  makeFolderDurably(getImagesFolder());
  await forgetUploads();
  if (existsSync(getImagePath(name))) return refuse('image-exists', { name });
  const begun = await findUpload(id);
  if (begun) return success(begun);
  const others = await withRoom(await allUploads());
  if (others.length >= MAX_UPLOADS) return refuse('too-many-uploads', { count: others.length });
  const room = (await freeRoom()) - promisedTo(others);
  if (bytes > room) return refuse('no-room-for-image', { bytes, room });
  const upload = { id, name, bytes, received: 0 };
  await writeFile(filesOf(id).part, '');
  await tell(upload);
  // Another server on the same folder may have begun some meanwhile: the later ones give way.
  const earlier = await begunBefore(id);
  if (earlier < MAX_UPLOADS) return success(upload);
  await dropUpload(id);
  return refuse('too-many-uploads', { count: earlier });
}

async function begunBefore(id: string): Promise<number> {
  const all = await Promise.all(
    (await idsTold()).map(async (one) => ({
      id: one,
      at: (await stat(filesOf(one).part).catch(() => ({ birthtimeMs: 0 }))).birthtimeMs,
    })),
  );
  all.sort((a, b) => a.at - b.at || (a.id < b.id ? -1 : 1));
  return all.findIndex((one) => one.id === id);
}

/** Bytes that may be written to the folder of images. */
async function freeRoom(): Promise<number> {
  const { bavail, bsize } = await statfs(getImagesFolder());
  return bavail * bsize - KEPT_FREE;
}
const promisedTo = (uploads: readonly Upload[]): number =>
  uploads.reduce((sum, one) => sum + one.bytes - one.received, 0);

/** The same without what is promised to uploads that are under way. */
export const countUnpromisedRoom = async (): Promise<number> =>
  (await freeRoom()) - promisedTo(await allUploads());

/** An upload that is under way, or null. */
export async function findUpload(id: string): Promise<Upload | null> {
  if (!/^[0-9a-f]{32}$/.test(id)) return null;
  const { part, told } = filesOf(id);
  const text = await readFile(told, 'utf8').catch(() => null);
  if (text === null || !existsSync(part)) return null;
  try {
    const upload = JSON.parse(text) as Upload;
    return checkOf(UploadFile)(upload) && upload.id === id ? upload : null;
  } catch {
    return null;
  }
}

/** Milliseconds after which a lock is left over: its server was killed. */
const LOCK_MS = 60_000;

/**
 * Locks an upload, also against other servers on the same folder. @returns what gives it free; null: somebody else has
 * it
 */
async function lockUpload(id: string): Promise<(() => Promise<void>) | null> {
  const path = join(getImagesFolder(), `.${id}.lock`);
  await removeLeftLock(path);
  try {
    await writeFile(path, '', { flag: 'wx' });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return null;
    throw error;
  }
  return () => rm(path, { force: true });
}

async function removeLeftLock(path: string): Promise<void> {
  const lock = await stat(path).catch(() => null);
  if (lock && Date.now() - lock.mtimeMs > LOCK_MS) await rm(path, { force: true });
}

/**
 * Keeps the next piece; with the last one the image is there under its name. What was told as received is on the disk,
 * and is never written over by a piece that was sent before and arrives late.
 *
 * Refusals: `no-upload`, `other-piece`, `piece-busy`, `piece-too-long`, `image-arrived`, `disk-full`.
 */
export async function takePiece(id: string, offset: number, piece: Uint8Array): Promise<Outcome<Upload>> {
  const unlock = await lockUpload(id);
  if (!unlock) return refuse('piece-busy');
  try {
    const upload = await findUpload(id);
    if (!upload) return refuse('no-upload');
    const { bytes, received } = upload;
    if (offset !== received) return refuse('other-piece', { received, offset });
    if (received + piece.length > bytes) return refuse('piece-too-long', { bytes });
    await append(filesOf(id).part, offset, piece);
    const now = { ...upload, received: received + piece.length };
    await tell(now);
    return now.received === bytes ? await arrived(now) : success(now);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (code === 'ENOSPC') return refuse('disk-full');
    // Given up while the piece came.
    if (code === 'ENOENT') return refuse('no-upload');
    throw error;
  } finally {
    await unlock();
  }
}

async function append(path: string, offset: number, piece: Uint8Array): Promise<void> {
  const file = await open(path, 'r+');
  try {
    // Holes take no room.
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

/** Its content is never half written; the name of the part is safe with it, since both lie in one folder. */
async function tell(upload: Upload): Promise<void> {
  await writeDurably(filesOf(upload.id).told, JSON.stringify(upload), { over: true });
}

/** Under its name at last, and never over another file: a link fails where there is one. */
async function arrived(upload: Upload): Promise<Outcome<Upload>> {
  const { part } = filesOf(upload.id);
  try {
    await placeDurably(part, getImagePath(upload.name), { over: false });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
    return refuse('image-arrived', { name: upload.name });
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
  const names = await readdir(getImagesFolder()).catch(() => []);
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

/** Forgets those that nobody went on with for days, that have arrived, and whose bytes are gone. */
export async function forgetUploads(): Promise<void> {
  for (const name of await readdir(getImagesFolder()).catch(() => []))
    if (/^\.[0-9a-f]{32}\.lock$/.test(name)) await removeLeftLock(join(getImagesFolder(), name));
  for (const id of await idsTold())
    if (!existsSync(filesOf(id).part)) await rm(filesOf(id).told, { force: true });
  for (const one of await allUploads())
    if (one.received === one.bytes && (await hasArrived(one))) await dropUpload(one.id);
    else if ((await idleFor(one)) > DAYS * 86_400_000) await dropUpload(one.id);
}

/** Whether the image has its name already: the server was killed before it forgot the upload. */
async function hasArrived({ id, name }: Upload): Promise<boolean> {
  const [part, image] = await Promise.all(
    [filesOf(id).part, getImagePath(name)].map((path) => stat(path).catch(() => null)),
  );
  return part != null && part.ino === image?.ino && part.dev === image.dev;
}

/**
 * Uploads that are left once those that lie idle made room for one more; nobody keeps all others out by beginning some.
 */
async function withRoom(all: Upload[]): Promise<Upload[]> {
  const left = new Set(all);
  const idle: { one: Upload; since: number }[] = [];
  for (const one of all) {
    const since = await idleFor(one);
    if (since > (one.received === 0 ? IDLE.empty : IDLE.begun)) idle.push({ one, since });
  }
  idle.sort((a, b) => a.one.received - b.one.received || b.since - a.since);
  for (const { one } of idle) {
    if (left.size < MAX_UPLOADS) break;
    await dropUpload(one.id);
    left.delete(one);
  }
  return [...left];
}
