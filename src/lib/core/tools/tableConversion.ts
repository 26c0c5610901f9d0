import {
  bytesOf,
  endOf,
  isDataType,
  TYPE,
  computeUsableAreas,
  type Disk,
  type Extent,
  type Partition,
} from '../disk';
import { type Outcome, refusal, success } from '../problem';
import { formatSize, GIB, MIB, roundDown } from '../units';
import { isConverting, isLocked } from './tools';

/** Partitions that Windows converts at the most: a fourth entry may be needed on the way. */
const MAX_PRIMARIES = 3;
const MBR_RECOVERY = '0x27';
/** A system partition larger than this may hold data, and is left alone. Bytes. */
const LARGEST_SYSTEM = GIB;
/** Attributes of a recovery partition on GPT: needed by the machine, and without a letter. */
const RECOVERY_ATTRIBUTES = '0x8000000000000001';

/** The least size of an EFI system partition in bytes: FAT32 has to fit, which takes more with larger sectors. */
const leastEfi = (sectorSize: number): number => (sectorSize >= 4096 ? 260 : 100) * MIB;

/** Outcome of a disk whose table is converted. */
export interface TableConversion {
  /** Place of the EFI system partition: that of the old system partition, or the end of Windows. */
  efi: Extent;
  /** The system partition that becomes the EFI system partition; null: a new one is made. */
  reused: Partition | null;
  /** The Windows partition, made smaller where its end is needed. */
  windows: Extent & { number: number };
  usable: Extent;
}

/**
 * What Windows makes of an MBR disk that it starts from when it converts the table to GPT in place, or why it does not,
 * in a sentence. The conditions are those that Windows' maker publishes for its converter: Windows on the disk, three
 * primary partitions at the most and nothing extended, types that it knows, room for the table at both ends; the system
 * partition is used again where it has 100 MiB (260 with sectors of 4 KiB) to 1 GiB, else Windows is made smaller by as
 * much.
 */
export function tableConversion(disk: Disk): Outcome<TableConversion> {
  const { partitions, sectorSize } = disk;
  const windows = partitions.find(({ role }) => role === 'windows');
  if (disk.table !== 'mbr') return refusal('refused', 'The disk has a GUID partition table already.');
  if (disk.dynamic) return refusal('refused', 'A dynamic disk is not converted.');
  if (!windows?.volume)
    return refusal('refused', 'Windows converts only the disk that it starts from itself.');
  if (partitions.some(({ kind }) => kind !== 'primary'))
    return refusal('refused', 'It has an extended partition, which Windows does not convert.');
  if (partitions.length > MAX_PRIMARIES)
    return refusal(
      'refused',
      `It has ${partitions.length} primary partitions; Windows converts ${MAX_PRIMARIES} at the most.`,
    );
  const odd = partitions.find(
    ({ type }) => !isDataType(type) && type.toUpperCase() !== MBR_RECOVERY.toUpperCase(),
  );
  if (odd)
    return refusal(
      'refused',
      `Partition ${odd.number} has the type ${odd.type}, which Windows does not convert.`,
    );
  const changing = partitions.find((one) => isLocked(one) || isConverting(one));
  if (changing)
    return refusal(
      'refused',
      `Partition ${changing.number} is locked, or still being encrypted or decrypted.`,
    );
  if (!partitions.some(({ active }) => active))
    return refusal('refused', 'No partition is active, so it is not what the machine starts from.');
  const { usable } = computeUsableAreas({ table: 'gpt', sectorSize, sectors: disk.sectors });
  const [first, last] = [Math.min(...partitions.map((one) => one.first)), Math.max(...partitions.map(endOf))];
  if (first < usable.first || last > endOf(usable))
    return refusal('refused', 'There is no room for the table at the beginning and the end of the disk.');
  const system = partitions.find((one) => one.active && one !== windows && one.role !== 'recovery');
  const least = leastEfi(sectorSize);
  if (system && bytesOf(disk, system) >= least && bytesOf(disk, system) <= LARGEST_SYSTEM)
    return success({
      efi: extentOf(system),
      reused: system,
      windows: { ...extentOf(windows), number: windows.number },
      usable,
    });
  return fromWindows(disk, windows, usable, least);
}

const extentOf = ({ first, sectors }: Extent): Extent => ({ first, sectors });

/** The EFI system partition at the end of Windows, which gives up as much. */
function fromWindows(
  disk: Disk,
  windows: Partition,
  usable: Extent,
  least: number,
): Outcome<TableConversion> {
  const { size, used } = windows.volume!;
  if (used === null || size - used < 2 * least)
    return refusal(
      'refused',
      `No system partition can be used again, and Windows has not the ${formatSize(least)} to spare for a new one.`,
    );
  const slot = MIB / disk.sectorSize;
  const first = roundDown(endOf(windows) - least / disk.sectorSize, slot);
  return success({
    efi: { first, sectors: endOf(windows) - first },
    reused: null,
    windows: { number: windows.number, first: windows.first, sectors: first - windows.first },
    usable,
  });
}

/** An MBR partition as the new table has it. */
export function convertToGpt(one: Partition): Partition {
  const recovery = one.role === 'recovery' || one.type.toUpperCase() === MBR_RECOVERY.toUpperCase();
  return {
    ...one,
    type: recovery ? TYPE.recovery : TYPE.basicData,
    attributes: recovery ? RECOVERY_ATTRIBUTES : '0x0000000000000000',
    unreadAttributes: '0x0000000000000000',
    id: null,
    active: false,
  };
}
