import { latin1 } from '../../bytes';
import type { ByteSource } from '../../images/source';
import { readExfatExtents, findSoundExfatBoot } from '../../volumes/exfat';
import { ExtentList } from '../../volumes/extentList';
import { readFatExtents, parseFatBoot } from '../../volumes/fat';
import { parseNtfsBoot } from '../../volumes/ntfs/bootSector';
import { ATTRIBUTE } from '../../volumes/ntfs/record';
import { NtfsVolume } from '../../volumes/ntfs/volume';
import type { Extents } from '../plan';

const BITMAP_RECORD = 6;
const BAD_RECORD = 8;
const PIECE = 2 ** 20;

/** Contents of a partition by its own bytes, as far as a mover needs them. */
export type Kind = 'ntfs' | 'fat' | 'exfat' | 'unknown';

export interface Use {
  kind: Kind;
  /** Bytes of the partition in use, as pairs of offset and length, in whole sectors. */
  extents: Extents;
}

/** File system of a partition, by its signature alone. */
export async function kindOf(source: ByteSource): Promise<Kind> {
  if (source.size < 512) return 'unknown';
  const boot = await source.read(0, 512);
  const name = latin1(boot.subarray(3, 11));
  if (name === 'NTFS    ') return 'ntfs';
  if (name === 'EXFAT   ') return 'exfat';
  const fat = parseFatBoot(boot);
  return fat && fat.size <= source.size ? 'fat' : 'unknown';
}

/**
 * Which parts of a partition a mover copies: of NTFS, FAT and exFAT what is in use, of anything else everything.
 *
 * @param source the partition's bytes
 * @param sectorSize the disk's
 * @throws NtfsDamage, ReadBeyondEnd where a file system that was recognised can't be read
 */
export async function findUsedExtents(source: ByteSource, sectorSize: number): Promise<Use> {
  const kind = await kindOf(source);
  const extents = await ofKind(source, sectorSize, kind);
  return extents ? { kind, extents } : { kind: 'unknown', extents: [0, source.size] };
}

async function ofKind(source: ByteSource, sectorSize: number, kind: Kind): Promise<Extents | null> {
  switch (kind) {
    case 'ntfs':
      return ntfsExtents(source, sectorSize);
    case 'fat': {
      const boot = parseFatBoot(await source.read(0, 512))!;
      return readFatExtents(source, boot);
    }
    case 'exfat': {
      const sound = await findSoundExfatBoot(source);
      return sound && readExfatExtents(source, sound.sector);
    }
    case 'unknown':
      return null;
  }
}

/**
 * By `$Bitmap`, and the backup boot sector: behind the file system, or in the partition's last sector (domain facts 4).
 */
async function ntfsExtents(source: ByteSource, sectorSize: number): Promise<Extents | null> {
  const boot = parseNtfsBoot(await source.read(0, 512));
  if (!boot || boot.totalSectors * boot.bytesPerSector > source.size) return null;
  const volume = await NtfsVolume.open(source, boot);
  const bitmap = await volume.stream(BITMAP_RECORD, ATTRIBUTE.data);
  const list = new ExtentList();
  const { clusterSize, clusters } = boot;
  let before = 0;
  const bad = await badRuns(volume);
  for await (const piece of volume.pieces(bitmap, PIECE)) {
    const count = Math.min(8 * piece.length, clusters - before);
    if (count <= 0) break;
    for (const { lcn, clusters: length } of bad)
      for (let at = Math.max(lcn, before); at < Math.min(lcn + length, before + count); at++)
        piece[(at - before) >> 3]! &= ~(1 << ((at - before) & 7));
    list.addBits(piece, count, before * clusterSize, clusterSize);
    before += count;
  }
  const behind = Math.floor((boot.totalSectors * boot.bytesPerSector) / sectorSize) * sectorSize;
  if (behind + sectorSize <= source.size) list.add(behind, sectorSize);
  if (source.size - sectorSize > behind) list.add(source.size - sectorSize, sectorSize);
  return list.extents;
}

/** Clusters that the volume counts as bad: they can't be read, and hold nothing. */
async function badRuns(volume: NtfsVolume): Promise<{ lcn: number; clusters: number }[]> {
  const stream = await volume.streamOrNull(BAD_RECORD, ATTRIBUTE.data, '$Bad');
  if (!stream || 'resident' in stream.content) return [];
  return stream.content.runs.flatMap(({ lcn, clusters }) => (lcn === null ? [] : { lcn, clusters }));
}
