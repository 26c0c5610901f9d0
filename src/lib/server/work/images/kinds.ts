import type { Stats } from 'node:fs';
import { runInWorker } from '../../platform/threads/runInWorker';
import { getImagePath } from '../../platform/imageNames';
import { imageKindTask, type FileKind } from './readKind';

/** Kinds of the folder's files by name, size and time; a changed file is read again. */
const known = new Map<string, FileKind>();
const MAX_KNOWN = 2000;

/** Kind of an image: read beside the server's own thread, and once. null: it is gone, or may not be read. */
export async function kindOf(
  name: string,
  { dev, ino, size, mtimeMs, ctimeMs }: Stats,
): Promise<FileKind | null> {
  const path = getImagePath(name);
  const key = [path, dev, ino, size, mtimeMs, ctimeMs].join(' ');
  const before = known.get(key);
  if (before) return before;
  const kind = await runInWorker(imageKindTask, path);
  // A failed read says nothing about its kind.
  if (!kind) return null;
  known.set(key, kind);
  if (known.size > MAX_KNOWN) known.delete(known.keys().next().value!);
  return kind;
}
