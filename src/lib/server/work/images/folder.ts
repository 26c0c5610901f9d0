import type { ServerImage } from '$contract/images';
import type { Stats } from 'node:fs';
import { lstat, mkdir, readdir } from 'node:fs/promises';
import { kindOf } from './kinds';
import { getImagePath, getImagesFolder, isImageName } from '../../platform/imageNames';
import { isPlain } from './openPlain';

/** Most images that are listed. */
const MAX_LISTED = 500;
/** Pieces of one that are looked for, so that a list of descriptions costs little. */
const MAX_PIECES = 256;

/** An image as a list shows it. */
export type ImageFile = Omit<ServerImage, 'job'>;

/** The images in the folder by name, and how many more there are than are listed. */
export async function listImages(): Promise<{ images: ImageFile[]; more: number }> {
  await mkdir(getImagesFolder(), { recursive: true });
  const entries = await readdir(getImagesFolder(), { withFileTypes: true });
  const names = entries.filter((one) => one.isFile() && isImageName(one.name)).map((one) => one.name);
  names.sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  const images: ImageFile[] = [];
  const pieces = new Set<string>();
  for (const name of names.slice(0, MAX_LISTED)) {
    const looked = await look(name);
    if (!looked) continue;
    images.push(looked);
    for (const piece of looked.pieces) pieces.add(piece);
  }
  // The pieces of a described image are no images of their own.
  return {
    images: images.filter(({ name }) => !pieces.has(name)),
    more: Math.max(0, names.length - MAX_LISTED),
  };
}

/** One image of the folder, or null. */
export const findImage = async (name: string): Promise<ImageFile | null> =>
  isImageName(name) ? look(name) : null;

async function look(name: string): Promise<ImageFile | null> {
  const own = await plainFile(name);
  if (!own) return null;
  const found = await kindOf(name, own);
  // It went away meanwhile, or may not be read.
  if (!found) return null;
  const pieces: { name: string; stat: Stats }[] = [];
  for (const piece of [...new Set(found.pieces)].slice(0, MAX_PIECES)) {
    const stat = isImageName(piece) ? await plainFile(piece) : null;
    if (stat) pieces.push({ name: piece, stat });
  }
  const all = [own, ...pieces.map(({ stat }) => stat)];
  return {
    name,
    bytes: own.size,
    kind: found.kind,
    changedAt: own.mtime.toISOString(),
    pieces: pieces.map((one) => one.name),
    whole: {
      bytes: all.reduce((sum, { size }) => sum + size, 0),
      room: all.reduce((sum, { blocks }) => sum + blocks * 512, 0),
    },
  };
}

async function plainFile(name: string): Promise<Stats | null> {
  const stat = await lstat(getImagePath(name)).catch(() => null);
  return stat && isPlain(stat) ? stat : null;
}
