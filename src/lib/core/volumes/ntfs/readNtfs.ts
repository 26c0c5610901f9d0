import type { ByteSource } from '../../images/source';
import type { ClusterMap } from '../../disk';
import { ClusterCount } from './bitmap';
import { parseNtfsBoot } from './bootSector';
import { rootEntries } from './directory';
import { ATTRIBUTE } from './record';
import { NtfsDamage, NtfsVolume } from './volume';
import { textOfUnits } from '../../wellFormed';

const RECORD = { volume: 3, bitmap: 6 } as const;
const PIECE = 1024 * 1024;

export interface NtfsFacts {
  clusterSize: number;
  clusters: number;
  /** Bytes. */
  size: number;
  usedClusters: number;
  /** The highest cluster in use. */
  lastUsedCluster: number;
  dirty: boolean;
  label: string;
  /** Where the used clusters lie. */
  map: ClusterMap;
  /** There is a folder \Windows in its root: an operating system lives here. */
  holdsWindows: boolean;
  /** hiberfil.sys holds a sleeping system; its mere presence is only the setting (domain facts 4). */
  hibernated: boolean;
}

/**
 * Reads what a survey needs from an NTFS volume: cluster counts from $Bitmap, label and dirty flag from
 * $Volume (domain facts 4).
 *
 * @param source the partition's bytes
 * @param progress called with the share of the bitmap that has been read, 0..1
 * @throws NtfsDamage with a sentence where the volume's own structures can't be used
 */
export async function readNtfs(
  source: ByteSource,
  progress: (share: number) => void = () => {},
): Promise<NtfsFacts> {
  const boot = parseNtfsBoot(await source.read(0, 512));
  if (!boot) throw new NtfsDamage('the boot sector holds impossible values');
  if (boot.totalSectors * boot.bytesPerSector > source.size) {
    throw new NtfsDamage('the file system is larger than its partition');
  }
  const volume = await NtfsVolume.open(source, boot);
  const { label, dirty } = await readIdentity(volume);
  const names = await rootEntries(volume);
  const hibernated = await isHibernated(volume, names.get('hiberfil.sys'));

  const bitmap = await volume.stream(RECORD.bitmap, ATTRIBUTE.data);
  if (bitmap.size < boot.clusters / 8) throw new NtfsDamage('the $Bitmap is shorter than the volume');
  const count = new ClusterCount(boot.clusters);
  const clustersPerPiece = Math.max(1, Math.floor(PIECE / boot.clusterSize));
  let read = 0;
  for await (const piece of volume.pieces(bitmap, clustersPerPiece * boot.clusterSize)) {
    count.add(piece);
    read += piece.length;
    progress(Math.min(1, read / bitmap.size));
    if (count.complete) break;
  }
  return {
    clusterSize: boot.clusterSize,
    clusters: boot.clusters,
    size: boot.clusters * boot.clusterSize,
    usedClusters: count.used,
    lastUsedCluster: count.last,
    dirty,
    label,
    map: count.map,
    holdsWindows: names.has('windows'),
    hibernated,
  };
}

async function readIdentity(volume: NtfsVolume): Promise<{ label: string; dirty: boolean }> {
  const information = await volume.stream(RECORD.volume, ATTRIBUTE.volumeInformation);
  if (!('resident' in information.content) || information.size < 12)
    throw new NtfsDamage('$Volume is damaged');
  const flags = information.content.resident[10]! | (information.content.resident[11]! << 8);
  // A volume without a label may lack the attribute altogether.
  const name = await volume.streamOrNull(RECORD.volume, ATTRIBUTE.volumeName);
  const label = name && 'resident' in name.content ? textOfUnits(name.content.resident) : '';
  return { label, dirty: (flags & 1) === 1 };
}

async function isHibernated(volume: NtfsVolume, record: number | undefined): Promise<boolean> {
  if (record === undefined) return false;
  const file = await volume.streamOrNull(record, ATTRIBUTE.data);
  if (!file || file.size < 4) return false;
  for await (const piece of volume.pieces(file, volume.boot.clusterSize)) {
    return /^hibr$/i.test(new TextDecoder('latin1').decode(piece.subarray(0, 4)));
  }
  return false;
}
