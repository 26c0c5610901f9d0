import { execFile } from 'node:child_process';
import { createHash } from 'node:crypto';
import { createReadStream, existsSync } from 'node:fs';
import { lstat, readdir, rm, stat, writeFile } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { promisify } from 'node:util';
import { Type, type Static } from 'typebox';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { closed } from '$core/shapes';
import { makeFolderDurably, placeDurably } from '../../platform/durable';
import { isImageName } from '../../platform/imageNames';
import { stage } from './staging';

const run = promisify(execFile);

/**
 * A backup is one tar: the dump of the database, the workshop's key, the workshop's authority, the disk images, and
 * last a manifest with size and SHA-256 of each, which is there only if everything else is.
 */
export const MANIFEST = 'manifest.json';
export const DUMP = 'database.sql.gz';
export const KEY = 'bench-key.json';
const TLS = ['tls/root.json', 'tls/server.json'] as const;
const IMAGES = 'images/';
/** Most that one holds, so that a foreign file is no endless list. */
const MAX_PARTS = 20_000;

const PartShape = closed({
  name: Type.String({ minLength: 1, maxLength: 300 }),
  bytes: Type.Integer({ minimum: 0 }),
  sha256: Type.String({ pattern: '^[0-9a-f]{64}$' }),
});
const ManifestShape = closed({
  kind: Type.Literal('gentle-tide/backup'),
  /** 1: without a seal, from before there was one. */
  format: Type.Union([Type.Literal(1), Type.Literal(2)]),
  /** Seal of the workshop that made it, over all the rest. */
  seal: Type.Optional(Type.String({ pattern: '^[0-9a-f]{64}$' })),
  at: Type.String({ maxLength: 40 }),
  migration: Type.Integer({ minimum: 0, maximum: 100_000 }),
  rows: Type.Record(Type.String(), Type.Integer({ minimum: 0 })),
  parts: Type.Array(PartShape, { maxItems: MAX_PARTS }),
});
export type BackupPart = Static<typeof PartShape>;
export type BackupManifest = Static<typeof ManifestShape>;
const isManifest = new Ajv2020().compile<BackupManifest>(ManifestShape);

/** A part's name that leads nowhere but to its own place. */
export const isPartName = (name: string): boolean =>
  name === DUMP ||
  name === KEY ||
  (TLS as readonly string[]).includes(name) ||
  (name.startsWith(IMAGES) && fitsImages(name.slice(IMAGES.length)));

/** An image, or what a run on one keeps beside it. */
const fitsImages = (name: string): boolean =>
  name !== '' &&
  name !== '.' &&
  name !== '..' &&
  !name.includes('/') &&
  !/\p{Cc}/u.test(name) &&
  (isImageName(name) || /\.journal(\.|$)/.test(name));

export async function partOf(path: string, name: string, signal?: AbortSignal): Promise<BackupPart> {
  const hash = createHash('sha256');
  let bytes = 0;
  await pipeline(
    createReadStream(path),
    async function (parts: AsyncIterable<Buffer>) {
      for await (const part of parts) {
        hash.update(part);
        bytes += part.length;
      }
    },
    ...(signal ? [{ signal }] : []),
  );
  return { name, bytes, sha256: hash.digest('hex') };
}

/** Plain files of a folder of images that belong into a backup: nothing half-sent, no links. */
export async function listImageNames(folder: string): Promise<string[]> {
  const names = await readdir(folder).catch(() => []);
  const plain: string[] = [];
  for (const name of names.sort()) {
    if (name.endsWith('.part') || !fitsImages(name)) continue;
    if ((await lstat(join(folder, name))).isFile()) plain.push(name);
  }
  return plain;
}

/** Place of each part on this machine; missing ones are left out. */
export function placesOf(folders: {
  keyFile: string;
  data: string;
  images: string;
}): (name: string) => string {
  return (name) =>
    name === KEY
      ? folders.keyFile
      : name.startsWith(IMAGES)
        ? join(folders.images, name.slice(IMAGES.length))
        : join(folders.data, name);
}
export const listTlsParts = (place: (name: string) => string): string[] =>
  TLS.filter((name) => existsSync(place(name)));

/**
 * Writes a backup: whole under its name, or not at all.
 * @param places of each part on this machine @throws Error with what tar said
 */
export async function pack(
  path: string,
  manifest: BackupManifest,
  place: (name: string) => string,
  signal?: AbortSignal,
): Promise<void> {
  makeFolderDurably(dirname(path));
  const part = `${path}.part`;
  const staging = await stage(dirname(path));
  try {
    await writeFile(join(staging, MANIFEST), JSON.stringify(manifest, null, 2), { mode: 0o600 });
    await rm(part, { force: true });
    await writeFile(part, '', { mode: 0o600 });
    // Each under its own name, wherever it lies; --sparse, since images have holes.
    for (const name of [...manifest.parts.map((one) => one.name), MANIFEST]) {
      const from = name === MANIFEST ? join(staging, MANIFEST) : place(name);
      const folder = dirname(from);
      const names = `s,^\\./.*$,${escaped(name)},`;
      await run(
        'tar',
        [
          '--append',
          '--sparse',
          '--format=pax',
          '--owner=0',
          '--group=0',
          `--transform=${names}`,
          '--file',
          part,
          '--directory',
          folder,
          `./${basename(from)}`,
        ],
        {
          ...(signal && { signal }),
        },
      );
    }
    await placeDurably(part, path, { over: true });
  } finally {
    await rm(part, { force: true });
    await rm(staging, { recursive: true, force: true });
  }
}
const escaped = (text: string): string => text.replaceAll(/[\\&,]/g, '\\$&');

/**
 * Reads the manifest of a backup, and holds against it what the archive lists: names, kinds and sizes. Nothing is
 * unpacked, and nothing but the manifest is read.
 * @throws Error with a sentence where it is none, is not whole, or holds what no backup does
 */
export async function readManifest(path: string, signal?: AbortSignal): Promise<BackupManifest> {
  if (!(await stat(path)).isFile()) throw new Error(`${path} is no plain file.`);
  const entries = await listing(path, signal);
  const names = entries.map(({ name }) => name);
  const odd = names.find((name) => name !== MANIFEST && !isPartName(name));
  if (odd !== undefined)
    throw new Error(`${path} holds “${odd.slice(0, 100)}”, which no backup does. Nothing was unpacked.`);
  if (new Set(names).size !== names.length)
    throw new Error(`${path} holds a part twice. Nothing was unpacked.`);
  if (names.at(-1) !== MANIFEST)
    throw new Error(`${path} is no backup, or not a whole one: its manifest is missing.`);
  const special = entries.find(({ plain }) => !plain);
  if (special) throw new Error(`${special.name} in ${path} is no plain file. Nothing was unpacked.`);
  const manifest = await manifestIn(path, entries.at(-1)!.bytes, signal);
  const listed = new Map(manifest.parts.map(({ name, bytes }) => [name, bytes]));
  const fits = entries.every(({ name, bytes }) => name === MANIFEST || listed.get(name) === bytes);
  if (listed.size + 1 !== names.length || !fits)
    throw new Error(`${path} does not hold what its manifest names. Nothing was unpacked.`);
  return manifest;
}

/** Bytes that a manifest has at the most: twenty thousand parts with long names. */
const MAX_MANIFEST = 16 * 1024 * 1024;

async function manifestIn(path: string, bytes: number, signal?: AbortSignal): Promise<BackupManifest> {
  let manifest: unknown = null;
  if (bytes <= MAX_MANIFEST) {
    const { stdout } = await run('tar', ['--extract', '--to-stdout', '--file', path, MANIFEST], {
      maxBuffer: MAX_MANIFEST,
      ...(signal && { signal }),
    });
    try {
      manifest = JSON.parse(stdout);
    } catch {
      // The error is reported below.
    }
  }
  if (!isManifest(manifest))
    throw new Error(
      `The manifest of ${path} can’t be read: it is of a newer Gentle Tide, or of something else.`,
    );
  return manifest;
}

/**
 * Unpacks a backup whose manifest was read into a folder of its own, and holds every part against it. @throws Error
 * with a sentence
 */
export async function unpack(
  path: string,
  manifest: BackupManifest,
  into: string,
  signal?: AbortSignal,
): Promise<void> {
  await run(
    'tar',
    [
      '--extract',
      '--file',
      path,
      '--directory',
      into,
      '--no-same-owner',
      '--no-same-permissions',
      '--keep-old-files',
      '--sparse',
    ],
    { ...(signal && { signal }) },
  );
  for (const part of manifest.parts) {
    const file = join(into, part.name);
    const found = await lstat(file);
    // Looked at before it is read: the file may have been changed since it was listed.
    const same = found.isFile() && found.size === part.bytes;
    if (!same || (await partOf(file, part.name, signal)).sha256 !== part.sha256)
      throw new Error(`${part.name} in ${path} is not as it was when the backup was made. Use another one.`);
  }
}

/** Entry of an archive's list, one for each part. */
interface Entry {
  name: string;
  /** With holes. */
  bytes: number;
  plain: boolean;
}

async function listing(path: string, signal?: AbortSignal): Promise<Entry[]> {
  const list = async (...more: string[]): Promise<string[]> => {
    const { stdout } = await run('tar', ['--list', '--quoting-style=literal', ...more, '--file', path], {
      maxBuffer: 16 * 1024 * 1024,
      ...(signal && { signal }),
    });
    return stdout.split('\n').filter((line) => line !== '');
  };
  try {
    const names = await list();
    // Kind and permissions, owner, size; the name comes last, and may hold anything.
    const lines = await list('--verbose', '--numeric-owner');
    return names.map((name, i) => {
      const [, kind, bytes] = /^(.)\S{9}\S* +\S+ +(\d+) /.exec(lines[i] ?? '') ?? [];
      return { name, bytes: Number(bytes ?? -1), plain: kind === '-' };
    });
  } catch (error) {
    throw new Error(
      `${path} can’t be read as a backup: ${((error as { stderr?: string }).stderr ?? String(error)).trim().slice(0, 300)}`,
      { cause: error },
    );
  }
}
