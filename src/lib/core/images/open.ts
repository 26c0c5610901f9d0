import { success, type Outcome } from '../problem';
import type { ByteSource } from './source';
import { isVhd, openVhd } from './vhd';
import { isVhdx, openVhdx } from './vhdx';

export interface DiskImage {
  /** The disk's own bytes, whatever file holds them. */
  source: ByteSource;
  /** What kind of file it is. */
  kind: 'raw' | 'vhd' | 'vhdx';
}

/** Opens a disk image by what it is, not by its name: VHDX, VHD, or else raw. */
export async function openImage(file: ByteSource): Promise<Outcome<DiskImage>> {
  if (await isVhdx(file)) {
    const disk = await openVhdx(file);
    return disk.ok ? success({ source: disk.value.source, kind: 'vhdx' }) : disk;
  }
  if (await isVhd(file)) {
    const disk = await openVhd(file);
    return disk.ok ? success({ source: disk.value, kind: 'vhd' }) : disk;
  }
  return success({ source: file, kind: 'raw' });
}
