import { execFile } from 'node:child_process';
import { createHash } from 'node:crypto';
import { createReadStream, existsSync } from 'node:fs';
import { lstat, mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { promisify } from 'node:util';
import { Type, type Static } from 'typebox';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { closed } from '$core/shapes';
import { makeFolderDurably, placeDurably } from '../durable';
import { isImageName } from '../images/folder';

const run = promisify(execFile);

/**
 * A backup is one tar: the dump of the database, the bench's key, the workshop's authority, the disk images, and last a manifest with
 * size and SHA-256 of each, which is there only if everything else is.
 */
export const MANIFEST = 'manifest.json';
export const DUMP = 'database.sql.gz';
export const KEY = 'bench-key.json';
const TLS = ['tls/root.json', 'tls/server.json'] as const;
const IMAGES = 'images/';
/** Most that one holds, so that a foreign file is no endless list. */
const MOST_PARTS = 20_000;

const PartShape = closed({
  name: Type.String({ minLength: 1, maxLength: 300 }),
  bytes: Type.Integer({ minimum: 0 }),
  sha256: Type.String({ pattern: '^[0-9a-f]{64}$' }),
});
const ManifestShape = closed({
  kind: Type.Literal('gentle-tide/backup'),
  format: Type.Literal(1),
  at: Type.String({ maxLength: 40 }),
  migration: Type.Integer({ minimum: 0, maximum: 100_000 }),
  rows: Type.Record(Type.String(), Type.Integer({ minimum: 0 })),
  parts: Type.Array(PartShape, { maxItems: MOST_PARTS }),
});
export type Part = Static<typeof PartShape>;
export type Manifest = Static<typeof ManifestShape>;
const isManifest = new Ajv2020().compile<Manifest>(ManifestShape);

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

export async function partOf(path: string, name: string): Promise<Part> {
  const hash = createHash('sha256');
  let bytes = 0;
  await pipeline(createReadStream(path), async function (parts: AsyncIterable<Buffer>) {
    for await (const part of parts) {
      hash.update(part);
      bytes += part.length;
    }
  });
  return { name, bytes, sha256: hash.digest('hex') };
}

/** Plain files of a folder of images that belong into a backup: nothing half-sent, no links. */
export async function imageNames(folder: string): Promise<string[]> {
  const names = await readdir(folder).catch(() => []);
  const plain: string[] = [];
  for (const name of names.sort()) {
    if (name.endsWith('.part') || !fitsImages(name)) continue;
    if ((await lstat(join(folder, name))).isFile()) plain.push(name);
  }
  return plain;
}

/** Where each part lies on this machine; those that are not there are left out. */
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
export const tlsParts = (place: (name: string) => string): string[] =>
  TLS.filter((name) => existsSync(place(name)));

/**
 * Writes a backup: whole under its name, or not at all.
 * @param places of each part on this machine @throws Error with what tar said
 */
export async function pack(
  path: string,
  manifest: Manifest,
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

export async function stage(beside: string): Promise<string> {
  const folder = join(beside, `.staging-${process.pid}-${Date.now()}`);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  return folder;
}

/**
 * Unpacks a backup into a folder of its own, and holds every part against the manifest.
 * @throws Error with a sentence where it is none, is not whole, or holds what no backup does
 */
export async function unpack(path: string, into: string, signal?: AbortSignal): Promise<Manifest> {
  const names = await listing(path, signal);
  const odd = names.find((name) => name !== MANIFEST && !isPartName(name));
  if (odd !== undefined)
    throw new Error(`${path} holds “${odd.slice(0, 100)}”, which no backup does. Nothing was unpacked.`);
  if (new Set(names).size !== names.length)
    throw new Error(`${path} holds a part twice. Nothing was unpacked.`);
  if (names.at(-1) !== MANIFEST)
    throw new Error(`${path} is no backup, or not a whole one: its manifest is missing.`);
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
  const manifest: unknown = JSON.parse(await readFile(join(into, MANIFEST), 'utf8'));
  if (!isManifest(manifest))
    throw new Error(
      `The manifest of ${path} can’t be read: it is of a newer Gentle Tide, or of something else.`,
    );
  const listed = new Set(manifest.parts.map(({ name }) => name));
  if (listed.size + 1 !== names.length || !names.every((name) => name === MANIFEST || listed.has(name)))
    throw new Error(`${path} does not hold what its manifest names.`);
  for (const part of manifest.parts) {
    const file = join(into, part.name);
    if (!(await lstat(file)).isFile()) throw new Error(`${part.name} in ${path} is no plain file.`);
    const { bytes, sha256 } = await partOf(file, part.name);
    if (bytes !== part.bytes || sha256 !== part.sha256)
      throw new Error(`${part.name} in ${path} is not as it was when the backup was made. Use another one.`);
  }
  return manifest;
}

async function listing(path: string, signal?: AbortSignal): Promise<string[]> {
  try {
    const { stdout } = await run('tar', ['--list', '--quoting-style=literal', '--file', path], {
      maxBuffer: 16 * 1024 * 1024,
      ...(signal && { signal }),
    });
    return stdout.split('\n').filter((name) => name !== '');
  } catch (error) {
    throw new Error(
      `${path} can’t be read as a backup: ${((error as { stderr?: string }).stderr ?? String(error)).trim().slice(0, 300)}`,
      { cause: error },
    );
  }
}
