import { alignment, endOf, TYPE, type Disk, type Partition } from '../../disk';
import type { Step } from '../../steps';
import { writeGpt } from '../../tables';
import { viewOf } from '../../bytes';
import { randomFrom } from '../../random';
import { MIB } from '../../units';
import { encodeChs } from '../table/mbrImage';
import type { Device } from '../devices/device';
import { playedUnlocked } from '../rehearsable';
import { formatExfat } from './exfat';
import { formatFat } from './fat';
import { madeUpFiles, NO_FILES } from './files';
import { lacks, NoRoom } from '../noRoom';
import { formatNtfs } from './ntfs/format';

/** Facts of a GPT in a survey, besides its partitions. */
export interface StandInTable {
  /** Sector of the backup header; null: the last one. */
  backupHeader: number | null;
  entries: number | null;
  entrySize: number | null;
}

export interface StandInOptions {
  seed: number;
  /** Volumes that a step decrypts, or that Windows works on unlocked, are made in the clear. */
  steps: readonly Step[];
  table: StandInTable;
  /** Milliseconds since 1970: when its files are from. */
  time: number;
  /** Receives the partition that is made, and of how many; stops the work by an exception. */
  progress?: (made: number, of: number) => Promise<void>;
}

/** Small files of a whole disk, and bytes that they hold at most. */
const SMALL_FILES = 4200;
const MAX_SMALL = 96 * MIB;
/** Cluster size of a file system that names none. */
const USUAL_CLUSTER = 4096;

/**
 * Makes a disk with the geometry of a surveyed one (the same table, places, cluster sizes and use), with files that are
 * made up: a few thousand small ones, and large ones whose clusters are in use and hold next to nothing. The same for
 * the same seed.
 *
 * @param device as large as the disk, empty
 * @returns how many files it holds
 */
export async function makeStandIn(device: Device, disk: Disk, options: StandInOptions): Promise<number> {
  const { table, seed, steps, progress } = options;
  if (disk.table === 'gpt') await writeGptOf(device, disk, table);
  else await writeMbrOf(device, disk);
  const volumes = disk.partitions.filter(({ kind, type }) => kind !== 'extended' && type !== TYPE.reserved);
  const unlocked = playedUnlocked(disk, steps);
  const weight = (one: Partition) => (one.role === 'windows' ? 5 : one.role === 'data' ? 3 : 1);
  const all = volumes.reduce((sum, one) => sum + weight(one), 0);
  let files = 0;
  for (const [i, partition] of volumes.entries()) {
    await progress?.(i, volumes.length);
    const count = Math.floor((SMALL_FILES * weight(partition)) / Math.max(1, all));
    files += await makeVolume(device, disk, partition, {
      seed: seed + 7919 * (i + 1),
      count,
      decrypted: unlocked.has(partition.number),
      time: options.time,
    });
  }
  await progress?.(volumes.length, volumes.length);
  await device.flush();
  return files;
}

interface Making {
  seed: number;
  count: number;
  decrypted: boolean;
  time: number;
}

async function makeVolume(device: Device, disk: Disk, partition: Partition, making: Making): Promise<number> {
  const { volume } = partition;
  const base = partition.first * disk.sectorSize;
  const locked = volume !== null && volume.encryption.state !== 'off' && !making.decrypted;
  const fileSystem =
    volume === null || locked
      ? 'unknown'
      : volume.fileSystem === 'encrypted' && making.decrypted
        ? 'ntfs'
        : volume.fileSystem;
  const size = Math.min(volume?.size ?? 0, partition.sectors * disk.sectorSize);
  const used = volume?.used ?? Math.floor(size / 2);
  switch (fileSystem) {
    case 'ntfs':
      return ntfs(device, disk, partition, size, used, making);
    case 'fat16':
    case 'fat32':
      return formatFat(device, base, {
        fileSystem,
        sectorSize: disk.sectorSize,
        sectors: Math.floor(size / disk.sectorSize),
        clusterSize: fatCluster(fileSystem, size, volume!.clusterSize, disk.sectorSize),
        hiddenSectors: partition.first,
        label: volume!.label,
        used,
        files: Math.min(12, Math.max(1, Math.floor(used / (4 * MIB)))),
        seed: making.seed,
        time: making.time,
      });
    case 'exfat':
      return formatExfat(device, base, {
        sectorSize: disk.sectorSize,
        sectors: Math.floor(size / disk.sectorSize),
        clusterSize: volume!.clusterSize || 32 * 1024,
        first: partition.first,
        label: volume!.label,
        used,
        seed: making.seed,
      });
    default:
      await marks(device, disk, partition, making.seed);
      return 0;
  }
}

async function ntfs(
  device: Device,
  disk: Disk,
  partition: Partition,
  size: number,
  used: number,
  making: Making,
): Promise<number> {
  const volume = partition.volume!;
  const clusterSize = Math.max(disk.sectorSize, volume.clusterSize || USUAL_CLUSTER);
  // A survey gives whole clusters; formatters leave the partition's last sector to the backup of the boot sector.
  const most = partition.sectors - 1;
  const told = Math.floor(size / disk.sectorSize);
  const fills = partition.sectors * disk.sectorSize - size <= clusterSize;
  const totalSectors = fills ? most : Math.min(most, told);
  const common = {
    sectorSize: disk.sectorSize,
    clusterSize,
    totalSectors,
    hiddenSectors: partition.first,
    label: volume.label,
    lastUsed: volume.lastUsed,
    map: volume.clusterMap,
    seed: making.seed,
    time: making.time,
  };
  // A nearly empty volume has no room for as many files; one that is smaller than its own tables is made as small as it
  // can be.
  for (const [files, more] of [
    [making.count, 0],
    [Math.min(200, making.count), 0],
    [12, 0],
    [0, 0],
    [0, 4],
    [0, 16],
    [0, 64],
  ] as const) {
    const made =
      files === 0
        ? NO_FILES
        : madeUpFiles(making.seed, files, Math.min(MAX_SMALL, used / 4), partition.role === 'windows');
    try {
      const enough = more === 0 ? common : { ...common, lastUsed: null, map: null };
      return await formatNtfs(device, partition.first * disk.sectorSize, {
        ...enough,
        used: used + more * MIB,
        made,
      });
    } catch (error) {
      if (!lacks(error, 'clusters')) throw error;
      // Its partial writes are taken away: the next attempt begins on an empty place, too.
      await device.zero(partition.first * disk.sectorSize, partition.sectors * disk.sectorSize);
    }
  }
  throw new NoRoom('clusters');
}

/** The survey's, else the smallest with which the number of clusters is one of this type (domain facts 5). */
function fatCluster(fileSystem: 'fat16' | 'fat32', size: number, told: number, sectorSize: number): number {
  const fits = (clusterSize: number) => {
    const clusters = size / clusterSize;
    return fileSystem === 'fat32' ? clusters < 2 ** 28 : clusters < 65_400;
  };
  if (told >= sectorSize && fits(told)) return told;
  for (
    let clusterSize = Math.max(sectorSize, fileSystem === 'fat32' && size > 512 * MIB ? 4096 : 512);
    clusterSize <= 65536;
    clusterSize *= 2
  )
    if (fits(clusterSize)) return clusterSize;
  return 65536;
}

/** Unreadable content: marks here and there that must be the same afterwards. None looks like a boot sector. */
async function marks(device: Device, disk: Disk, partition: Partition, seed: number): Promise<void> {
  const random = randomFrom(seed);
  const count = Math.min(64, partition.sectors);
  for (let i = 0; i < count; i++) {
    const sector = partition.first + Math.floor((i * (partition.sectors - 1)) / Math.max(1, count - 1));
    const bytes = Uint8Array.from({ length: disk.sectorSize }, () => 97 + Math.floor(random() * 26));
    await device.write(sector * disk.sectorSize, bytes);
  }
}

async function writeGptOf(device: Device, disk: Disk, facts: StandInTable): Promise<void> {
  const backup = facts.backupHeader ?? disk.sectors - 1;
  const entryCount = facts.entries ?? 128;
  const entrySize = facts.entrySize ?? 128;
  const slots = disk.partitions.map(({ number }) => number);
  const numbered = slots.every((number) => number >= 1 && number <= entryCount);
  const writes = writeGpt({
    sectorSize: disk.sectorSize,
    // The table knows the disk up to where its backup stands.
    sectors: backup + 1,
    diskId: disk.id || '47540000-0000-4000-8000-000000000000',
    firstUsable: disk.usable.first,
    lastUsable: endOf(disk.usable) - 1,
    backupHeader: backup,
    entryCount,
    entrySize,
    entries: disk.partitions.map((one, i) => ({
      slot: numbered ? one.number - 1 : i,
      type: one.type,
      id: one.id ?? `47540000-0000-4000-8000-${String(one.number).padStart(12, '0')}`,
      first: one.first,
      last: endOf(one) - 1,
      attributes: BigInt(one.attributes),
      name: one.name.slice(0, 36),
    })),
  });
  for (const { offset, bytes } of writes) await device.write(offset, bytes);
}

/** The chain goes in the order of the numbers, each record a MiB before its drive where there is that much room. */
async function writeMbrOf(device: Device, disk: Disk): Promise<void> {
  const { sectorSize } = disk;
  const record = new Uint8Array(sectorSize);
  viewOf(record).setUint32(0x1b8, Number.parseInt(disk.id || '47540000', 16), true);
  const put = (bytes: Uint8Array, index: number, one: Entry) => {
    const at = 0x1be + 16 * index;
    const view = viewOf(bytes);
    bytes[at] = one.active ? 0x80 : 0;
    bytes.set(encodeChs(one.absolute), at + 1);
    bytes[at + 4] = one.type;
    bytes.set(encodeChs(one.absolute + one.sectors - 1), at + 5);
    view.setUint32(at + 8, one.first, true);
    view.setUint32(at + 12, one.sectors, true);
    view.setUint16(510, 0xaa55, true);
  };
  const outer = disk.partitions.filter(({ kind }) => kind !== 'logical');
  outer.forEach((one, i) =>
    put(record, one.number >= 1 && one.number <= 4 ? one.number - 1 : i, entryOf(one, one.first)),
  );
  await device.write(0, record);
  const frame = outer.find(({ kind }) => kind === 'extended');
  const drives = disk.partitions.filter(({ kind }) => kind === 'logical').sort((a, b) => a.number - b.number);
  if (!frame) return;
  const recordAt = (i: number): number => {
    if (i === 0) return frame.first;
    const drive = drives[i]!;
    const before = Math.max(frame.first, ...drives.filter((one) => one.first < drive.first).map(endOf));
    return drive.first - Math.min(alignment(disk), drive.first - before);
  };
  for (const [i, drive] of drives.entries()) {
    const own = recordAt(i);
    const bytes = new Uint8Array(sectorSize);
    put(bytes, 0, entryOf(drive, drive.first - own));
    const next = drives[i + 1];
    if (next) {
      const at = recordAt(i + 1);
      put(bytes, 1, {
        active: false,
        type: 0x05,
        first: at - frame.first,
        sectors: endOf(next) - at,
        absolute: at,
      });
    }
    await device.write(own * sectorSize, bytes);
  }
}

interface Entry {
  active: boolean;
  type: number;
  first: number;
  sectors: number;
  absolute: number;
}

const entryOf = ({ active, type, first: absolute, sectors }: Partition, first: number): Entry => ({
  active,
  type: Number.parseInt(type, 16),
  first,
  sectors,
  absolute,
});
