import { latin1, viewOf } from '../bytes';
import type { ByteSource } from '../images/source';
import { findSoundExfatBoot } from './exfat';
import { parseNtfsBoot } from './ntfs/bootSector';

/** A backup of a boot sector, and the sector of the partition where it stands. */
export interface BackupSector {
  sector: Uint8Array;
  at: number;
}

const nameOf = (sector: Uint8Array): string => latin1(sector.subarray(3, 11));

/**
 * NTFS keeps it right behind the file system, mostly in the partition's last sector (domain facts 4). What may be a
 * leftover counts only where the caller finds the file system that it describes.
 *
 * @param primary the damaged boot sector, whose figures may still tell where the file system ends
 */
export async function findNtfsBackup(
  source: ByteSource,
  sectorSize: number,
  primary: Uint8Array,
): Promise<BackupSector | null> {
  const told = parseNtfsBoot(primary);
  const places = [
    ...(told ? [told.totalSectors * told.bytesPerSector] : []),
    (Math.floor(source.size / sectorSize) - 1) * sectorSize,
    source.size - 512,
  ];
  for (const at of places) {
    if (at < 512 || at + 512 > source.size) continue;
    const sector = await source.read(at, 512);
    if (nameOf(sector) !== 'NTFS    ') continue;
    const boot = parseNtfsBoot(sector);
    if (boot && boot.totalSectors * boot.bytesPerSector <= source.size)
      return { sector, at: Math.floor(at / boot.bytesPerSector) };
  }
  return null;
}

/** FAT32 keeps it in sector 6, with its own number in it at 0x32. */
export async function findFatBackup(source: ByteSource): Promise<BackupSector | null> {
  for (const bytesPerSector of [512, 1024, 2048, 4096]) {
    const at = 6;
    if ((at + 1) * bytesPerSector > source.size) continue;
    const sector = await source.read(at * bytesPerSector, 512);
    const view = viewOf(sector);
    const own = view.getUint16(0x32, true) === at && view.getUint16(11, true) === bytesPerSector;
    if (own && view.getUint16(22, true) === 0 && view.getUint16(510, true) === 0xaa55) return { sector, at };
  }
  return null;
}

/** exFAT keeps a whole boot region twice, the second right behind the first. */
export async function findExfatBackup(source: ByteSource): Promise<BackupSector | null> {
  const found = await findSoundExfatBoot(source);
  return found && found.backupAt !== null ? { sector: found.sector, at: found.backupAt } : null;
}
