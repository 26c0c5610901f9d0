import { defineTask } from '../../platform/threads/task';
import type { ImageKind } from '$core/images/open';
import { isQcow2 } from '$core/images/qcow2';
import type { ByteSource } from '$core/images/source';
import { isVhd } from '$core/images/vhd';
import { isVhdx } from '$core/images/vhdx';
import { isVmdk } from '$core/images/vmdk';
import { isVmdkDescriptor, MAX_DESCRIPTOR, parseVmdkDescriptor } from '$core/images/vmdkDescriptor';
import { openToRead } from './fileSource';

/** Kind of a file, and the names of the files that it describes. */
export interface FileKind {
  /** null: no disk is seen in it. */
  kind: ImageKind | null;
  pieces: string[];
}

/** Kind of a file by its bytes; null: it is gone, or may not be read. */
export async function readKind(path: string): Promise<FileKind | null> {
  const file = await openToRead(path).catch(() => null);
  if (!file) return null;
  return kindIn(file.source)
    .catch((): FileKind => ({ kind: null, pieces: [] }))
    .finally(() => file.close());
}

export const imageKindTask = defineTask('imageKind', readKind, {
  milliseconds: 10_000,
  atOnce: 'all-but-one',
});

/** Kind of a file by its first and last bytes: nothing in it is believed here, nor followed. */
async function kindIn(source: ByteSource): Promise<FileKind> {
  const of = (kind: ImageKind | null, pieces: string[] = []) => ({ kind, pieces });
  if (source.size < 64) return of(null);
  if (await isVmdk(source)) {
    const text = new TextDecoder().decode(await source.read(0, Math.min(source.size, MAX_DESCRIPTOR)));
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
