import type { Extent } from '../../disk';
import { type Outcome, refusal, success } from '../../problem';
import type { Creation } from '../../steps';
import { FAT_CLUSTERS } from '../../volumes/fat';
import type { WrittenPiece } from '../plan';
import { formatExfat } from '../standIn/exfat';
import { formatFat } from '../standIn/fat';
import { NO_FILES } from '../standIn/files';
import { lacks } from '../noRoom';
import { formatNtfs } from '../standIn/ntfs/format';
import { RecordingDevice } from './recording';

const KIB = 1024;
const NTFS_CLUSTERS = { least: 512, usual: 4 * KIB, most: 64 * KIB } as const;

/** No clock is asked, so that a step that is begun again writes the same. Milliseconds since 1970. */
const TIME = Date.UTC(2026, 0, 1);

/**
 * An empty file system as what is to be written, to where nothing lies.
 *
 * Problem codes: `no-format` (one that is not made here), `too-small`, `too-large`.
 *
 * @param place sectors of its partition
 * @param seed what its own number is made of
 * @returns with places in bytes of the disk; nothing for a partition that gets no file system
 */
export async function formatVolume(
  { fileSystem, clusterSize, label }: Creation,
  place: Extent,
  sectorSize: number,
  seed: number,
): Promise<Outcome<WrittenPiece[]>> {
  const base = place.first * sectorSize;
  const size = place.sectors * sectorSize;
  const device = new RecordingDevice(base + size, sectorSize);
  try {
    switch (fileSystem) {
      case 'ntfs':
        await formatNtfs(device, base, {
          sectorSize,
          clusterSize: ntfsCluster(clusterSize, sectorSize),
          totalSectors: place.sectors - 1,
          hiddenSectors: place.first,
          label,
          used: 'nothing but itself',
          lastUsed: null,
          map: null,
          made: NO_FILES,
          seed,
          time: TIME,
        });
        return success(device.laid);
      case 'fat32':
      case 'fat16': {
        const cluster = fatCluster(fileSystem, size, clusterSize, sectorSize);
        if (cluster === null)
          return refusal(
            'too-small',
            `${fileSystem.toUpperCase()} can’t be made in a partition of that size.`,
          );
        await formatFat(device, base, {
          fileSystem,
          sectorSize,
          sectors: place.sectors,
          clusterSize: cluster,
          hiddenSectors: place.first,
          label,
          used: 0,
          files: null,
          seed,
          time: TIME,
        });
        return success(device.laid);
      }
      case 'exfat':
        await formatExfat(device, base, {
          sectorSize,
          sectors: place.sectors,
          clusterSize: Math.max(sectorSize, clusterSize || 32 * KIB),
          first: place.first,
          label,
          used: 0,
          seed,
        });
        return success(device.laid);
      case 'unknown':
        return success([]);
      default:
        return refusal('no-format', `A new volume with ${fileSystem.toUpperCase()} is not made here.`);
    }
  } catch (error) {
    if (!lacks(error, 'clusters')) throw error;
    return refusal('too-small', 'The partition is too small for the tables of its file system.');
  }
}

function ntfsCluster(told: number, sectorSize: number): number {
  const { least, usual, most } = NTFS_CLUSTERS;
  const good = told >= Math.max(least, sectorSize) && told <= most && Number.isInteger(Math.log2(told));
  return good ? told : Math.max(sectorSize, usual);
}

/** The size that was asked for where the type allows it, else the smallest that it does; null: none. */
function fatCluster(type: 'fat16' | 'fat32', size: number, told: number, sectorSize: number): number | null {
  const [least, most] = FAT_CLUSTERS[type];
  const fits = (cluster: number) => {
    // The tables take their part, a little less than this.
    const clusters = Math.floor(size / (cluster + 8));
    return clusters - 64 >= least && clusters <= most;
  };
  const all = Array.from({ length: 8 }, (_, i) => sectorSize * 2 ** i).filter((one) => one <= 64 * KIB);
  const usual = type === 'fat32' ? Math.max(4 * KIB, sectorSize) : sectorSize;
  return (
    [told, ...all.filter((one) => one >= usual), ...all].find((one) => one >= sectorSize && fits(one)) ?? null
  );
}
