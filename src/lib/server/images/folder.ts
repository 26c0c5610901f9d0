import type { Stats } from 'node:fs';
import { lstat, mkdir, readdir } from 'node:fs/promises';
import { join, parse } from 'node:path';
import { Type, type Static } from 'typebox';
import type { ImageKind } from '$core/images/open';
import { isQcow2 } from '$core/images/qcow2';
import type { ByteSource } from '$core/images/source';
import { isVhd } from '$core/images/vhd';
import { isVhdx } from '$core/images/vhdx';
import { isVmdk } from '$core/images/vmdk';
import { isVmdkDescriptor, MOST_DESCRIPTOR, parseVmdkDescriptor } from '$core/images/vmdkDescriptor';
import { config } from '../settings/config';
import { openToRead } from './fileSource';

/** Where disk images lie that the server may read and work on; servers on one database share it. */
export const imagesFolder = (): string => config().images;

/** Longer names leave no room for what is kept beside an image; most images that are listed. */
const MOST_NAME_BYTES = 200;
/** Bytes that a run's copy and its pieces add to a name. */
const MORE_BYTES = 40;
const MOST_LISTED = 500;
/** Pieces of one that are looked for, so that a list of descriptions costs little. */
const MOST_PIECES = 256;

/** How the names of files begin and end that the server keeps there for itself. */
export const PART = '.part';
const JOURNAL = '.journal';

/** A file's name in the folder: never a path, nothing hidden, nothing that the server keeps there for itself. */
export const isImageName = (name: string): boolean =>
  /^[^./\\\p{Cc}][^/\\\p{Cc}]*$/u.test(name) &&
  name.isWellFormed() &&
  Buffer.byteLength(name) <= MOST_NAME_BYTES &&
  !name.endsWith(PART) &&
  !/\.journal(\.|$)/.test(name);

/** Names of images as they come in: what can't be one is told before anything is looked for. */
export const ImageName = Type.String({
  minLength: 1,
  maxLength: MOST_NAME_BYTES,
  pattern: '^[^./\\\\][^/\\\\]*$',
});
export type ImageName = Static<typeof ImageName>;

export const imagePath = (name: string): string => join(imagesFolder(), name);

/** The journal of a run on an image, beside it: whoever has both can go on, even without this program's database. */
export const journalOf = (path: string): string => `${path}${JOURNAL}`;

/** What the copy is called that a run works on; of a long name as much as leaves room for the rest. */
export function copyName(name: string, run: number): string {
  const { name: stem, ext } = parse(name);
  const shown = [...stem];
  while (Buffer.byteLength(shown.join('') + ext) > MOST_NAME_BYTES - MORE_BYTES && shown.length > 1)
    shown.pop();
  return `${shown.join('')}.carried-out-${run}${ext}`;
}

/** An image as a list shows it. */
export interface ImageFile {
  name: string;
  /** Bytes of the file. */
  bytes: number;
  /** What it is by its first bytes; null: no disk is seen in it. */
  kind: ImageKind | null;
  changedAt: Date;
  /** Files beside it that hold its bytes, where it only describes them. */
  pieces: string[];
  /** Bytes of it and its pieces, and what they take on the server's disk. */
  whole: { bytes: number; room: number };
}

/** The images in the folder by name, and how many more there are than are listed. */
export async function listImages(): Promise<{ images: ImageFile[]; more: number }> {
  await mkdir(imagesFolder(), { recursive: true });
  const entries = await readdir(imagesFolder(), { withFileTypes: true });
  const names = entries.filter((one) => one.isFile() && isImageName(one.name)).map((one) => one.name);
  names.sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  const images: ImageFile[] = [];
  const pieces = new Set<string>();
  for (const name of names.slice(0, MOST_LISTED)) {
    const looked = await look(name);
    if (!looked) continue;
    images.push(looked);
    for (const piece of looked.pieces) pieces.add(piece);
  }
  // The pieces of a described image are no images of their own.
  return {
    images: images.filter(({ name }) => !pieces.has(name)),
    more: Math.max(0, names.length - MOST_LISTED),
  };
}

/** One image of the folder, or null. */
export const findImage = async (name: string): Promise<ImageFile | null> =>
  isImageName(name) ? look(name) : null;

async function look(name: string): Promise<ImageFile | null> {
  const own = await plainFile(name);
  // It went away meanwhile, or may not be read.
  const file = own && (await openToRead(imagePath(name)).catch(() => null));
  if (!file) return null;
  const found = await kindOf(file.source)
    .catch(() => ({ kind: null, pieces: [] }))
    .finally(() => file.close());
  const pieces: { name: string; stat: Stats }[] = [];
  for (const piece of [...new Set(found.pieces)].slice(0, MOST_PIECES)) {
    const stat = isImageName(piece) ? await plainFile(piece) : null;
    if (stat) pieces.push({ name: piece, stat });
  }
  const all = [own, ...pieces.map(({ stat }) => stat)];
  return {
    name,
    bytes: own.size,
    kind: found.kind,
    changedAt: own.mtime,
    pieces: pieces.map((one) => one.name),
    whole: {
      bytes: all.reduce((sum, { size }) => sum + size, 0),
      room: all.reduce((sum, { blocks }) => sum + blocks * 512, 0),
    },
  };
}

async function plainFile(name: string): Promise<Stats | null> {
  const stat = await lstat(imagePath(name)).catch(() => null);
  return stat?.isFile() ? stat : null;
}

/** What a file is, from its first and last bytes: nothing of it is believed here, nor followed. */
async function kindOf(source: ByteSource): Promise<{ kind: ImageKind | null; pieces: string[] }> {
  const of = (kind: ImageKind | null, pieces: string[] = []) => ({ kind, pieces });
  if (source.size < 64) return of(null);
  if (await isVmdk(source)) {
    const text = new TextDecoder().decode(await source.read(0, Math.min(source.size, MOST_DESCRIPTOR)));
    const described = isVmdkDescriptor(text) ? parseVmdkDescriptor(text) : null;
    return of(
      'vmdk',
      described?.extents.map(({ file }) => file),
    );
  }
  if (source.size < 1024) return of(null);
  if (await isVhdx(source)) return of('vhdx');
  if (await isQcow2(source)) return of('qcow2');
  if (await isVhd(source)) return of('vhd');
  // A master record ends so, before a GPT as well (UEFI 2.10, 5.2.1).
  const [a, b] = await source.read(510, 2);
  return of(a === 0x55 && b === 0xaa ? 'raw' : null);
}
