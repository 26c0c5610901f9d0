import { latin1 } from '../../bytes';
import type { ByteSource } from '../../images/source';
import type { ClusterMap } from '../../disk';
import { ClusterCount } from './bitmap';
import { parseNtfsBoot } from './bootSector';
import { Folder } from './directory';
import { lastImmovable, type Immovable } from './immovable';
import { ATTRIBUTE } from './record';
import { NtfsDamage, NtfsVolume } from './volume';
import { textOfUnits } from '../../wellFormed';

const RECORD = { volume: 3, root: 5, bitmap: 6 } as const;
const PIECE = 1024 * 1024;

export interface NtfsFacts {
  bytesPerSector: number;
  clusterSize: number;
  clusters: number;
  /** Bytes. */
  size: number;
  usedClusters: number;
  /** The highest cluster in use. */
  lastUsedCluster: number;
  /** The last cluster that Windows does not move while it runs; null: not read. */
  immovable: Immovable | null;
  dirty: boolean;
  label: string;
  /** Map of the used clusters. */
  map: ClusterMap;
  /** Presence of a folder \Windows in the root: an operating system lives here. null: that could not be read. */
  holdsWindows: boolean | null;
  /**
   * hiberfil.sys holds a sleeping system; its mere presence is only the setting (domain facts 4). null: that could not
   * be read.
   */
  hibernated: boolean | null;
  /** Sentences on what could not be read and why, without the volume's name. */
  unread: string[];
}

/**
 * Reads what a survey needs from an NTFS volume: cluster counts from $Bitmap, label and dirty flag from
 * $Volume, what its root folder tells (domain facts 4).
 *
 * @param source the partition's bytes
 * @param sector the boot sector to go by: the first, or its backup
 * @param progress called with the share of the bitmap that has been read, 0..1
 * @throws NtfsDamage with a sentence where the volume's own structures can't be used
 */
export async function readNtfs(
  source: ByteSource,
  sector: Uint8Array,
  progress: (share: number) => void = () => {},
): Promise<NtfsFacts> {
  const boot = parseNtfsBoot(sector);
  if (!boot) throw new NtfsDamage('the boot sector holds impossible values');
  if (boot.totalSectors * boot.bytesPerSector > source.size) {
    throw new NtfsDamage('the file system is larger than its partition');
  }
  const volume = await NtfsVolume.open(source, boot);
  const { label, dirty } = await readIdentity(volume);
  const unread: string[] = [];
  const unless = async <T>(what: string, read: () => Promise<T>): Promise<T | null> => {
    try {
      return await read();
    } catch (error) {
      if (!(error instanceof NtfsDamage)) throw error;
      unread.push(`${what} could not be read: ${error.message}`);
      return null;
    }
  };
  let opened: Promise<Folder> | null = null;
  const root = () => (opened ??= Folder.open(volume, RECORD.root));
  const holdsWindows = await unless(
    'whether it holds a folder \\Windows',
    async () => (await (await root()).find('Windows'))?.folder ?? false,
  );
  const hibernated = await unless('whether a hibernated system sleeps in it', async () =>
    isHibernated(volume, await root()),
  );
  const bitmap = await volume.stream(RECORD.bitmap, ATTRIBUTE.data);
  if (bitmap.size < boot.clusters / 8) throw new NtfsDamage('the $Bitmap is shorter than the volume');
  const count = new ClusterCount(boot.clusters);
  let read = 0;
  for await (const piece of volume.pieces(bitmap, PIECE)) {
    count.add(piece);
    read += piece.length;
    progress(Math.min(1, read / bitmap.size));
    if (count.complete) break;
  }
  // Last, since it follows the most: what tires it costs nothing else.
  const immovable = await unless('where files lie that Windows does not move', async () =>
    lastImmovable(volume, await root()),
  );
  return {
    bytesPerSector: boot.bytesPerSector,
    clusterSize: boot.clusterSize,
    clusters: boot.clusters,
    size: boot.clusters * boot.clusterSize,
    usedClusters: count.used,
    lastUsedCluster: count.last,
    immovable,
    dirty,
    label,
    map: count.map,
    holdsWindows,
    hibernated,
    unread,
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

async function isHibernated(volume: NtfsVolume, root: Folder): Promise<boolean> {
  const entry = await root.find('hiberfil.sys');
  if (!entry || entry.folder) return false;
  const file = await volume.streamOrNull(entry.record, ATTRIBUTE.data);
  if (!file || file.size < 4) return false;
  return /^hibr$/i.test(latin1(await volume.range(file, 0, 4)));
}
