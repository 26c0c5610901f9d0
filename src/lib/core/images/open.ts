import { success, type Outcome } from '../problem';
import { isQcow2, openQcow2 } from './qcow2';
import type { ByteSource } from './source';
import { isVhd, openVhd } from './vhd';
import { isVhdx, openVhdx } from './vhdx';
import { isVmdk, openVmdk, type Beside } from './vmdk';

/** Content of an image file. */
export interface DiskImage {
  source: ByteSource;
  kind: ImageKind;
  /** Bytes a sector, where the file says so; else it is told by the partition table. */
  sectorSize?: number;
}

export type ImageKind = 'raw' | 'vhd' | 'vhdx' | 'qcow2' | 'vmdk';

/**
 * Opens a disk image by what it is, not by its name: VHDX, qcow2, VMDK, VHD, or else raw.
 * @param beside other files that were given with it: a VMDK may be in several
 */
export async function openImage(file: ByteSource, beside: Beside = () => null): Promise<Outcome<DiskImage>> {
  if (await isVhdx(file)) {
    const disk = await openVhdx(file);
    return disk.ok ? success({ ...disk.value, kind: 'vhdx' }) : disk;
  }
  const opened = async (kind: ImageKind, disk: Outcome<ByteSource>): Promise<Outcome<DiskImage>> =>
    disk.ok ? success({ source: disk.value, kind }) : disk;
  if (await isQcow2(file)) return opened('qcow2', await openQcow2(file));
  if (await isVmdk(file)) return opened('vmdk', await openVmdk(file, beside));
  if (await isVhd(file)) return opened('vhd', await openVhd(file));
  return success({ source: file, kind: 'raw' });
}
