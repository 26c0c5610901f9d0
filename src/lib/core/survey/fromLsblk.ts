import { endOf, MBR_REACH, tableSectors, type FileSystem, type Media } from '../disk';
import { failure, success, type Outcome } from '../problem';
import { checkSurvey } from './check';
import type { SurveyDisk, SurveyDocument, SurveyPartition, SurveyVolume } from './document';
import { machineOf } from './machine';
import { boundNotes } from './notes';
import { noteWindows } from './whichWindows';

/**
 * What `lsblk --json --bytes --output-all` (util-linux 2.38 and later) prints of a device, as far as it is
 * used. Everything may be missing or null: versions and devices differ.
 */
interface Device {
  name?: string | null;
  type?: string | null;
  size?: number | null;
  start?: number | null;
  model?: string | null;
  serial?: string | null;
  tran?: string | null;
  rota?: boolean | null;
  pttype?: string | null;
  ptuuid?: string | null;
  parttype?: string | null;
  partuuid?: string | null;
  partlabel?: string | null;
  partflags?: string | null;
  partn?: number | null;
  fstype?: string | null;
  fsver?: string | null;
  label?: string | null;
  fssize?: number | null;
  fsused?: number | null;
  'log-sec'?: number | null;
  children?: Device[] | null;
}

const FILE_SYSTEM: Record<string, FileSystem> = {
  ntfs: 'ntfs',
  exfat: 'exfat',
  refs: 'refs',
  bitlocker: 'encrypted',
};

/** Type vfat of blkid is one of three: its version says which, else on MBR the partition's type does. */
function fatOf({ fsver, parttype }: Device): FileSystem {
  const word = fsver?.toUpperCase() ?? '';
  if (/^FAT(12|16|32)$/.test(word))
    return word === 'FAT32' ? 'fat32' : word === 'FAT16' ? 'fat16' : 'unknown';
  const type = Number(/^0x[0-9a-f]{1,2}$/i.test(parttype ?? '') ? parttype : NaN);
  if ([0x04, 0x06, 0x0e].includes(type)) return 'fat16';
  return type === 0x01 ? 'unknown' : 'fat32';
}

/** Whether a parsed JSON document is what `lsblk` prints. */
export const isLsblk = (value: unknown): value is { blockdevices: unknown[] } =>
  typeof value === 'object' &&
  value !== null &&
  Array.isArray((value as { blockdevices?: unknown }).blockdevices);

/**
 * A survey of what `lsblk` saw from a boot stick, read as far as it goes; every gap is named in the notes.
 * Starts are in 512-byte units whatever the disk's sectors are (lsblk's own rule).
 *
 * Problem codes: `lsblk-empty` (no disk with a partition table), `lsblk-bytes` (sizes are not in bytes), and
 * those of {@link checkSurvey}.
 */
export function surveyFromLsblk(
  value: { blockdevices: unknown[] },
  options: { machineName: string; takenAt: string },
): Outcome<SurveyDocument> {
  const devices = value.blockdevices.filter(
    (device): device is Device => typeof device === 'object' && device !== null,
  );
  const disks = devices.filter(
    (device) => device.type === 'disk' && (device.pttype === 'gpt' || device.pttype === 'dos'),
  );
  if (disks.length === 0) {
    const message =
      'This lsblk output holds no disk with a partition table. Was it taken as root, with --output-all?';
    return failure({ code: 'lsblk-empty', path: '', message });
  }
  if (disks.some((disk) => !Number.isSafeInteger(disk.size))) {
    const message =
      'The sizes in this lsblk output are not in bytes. Take it with: lsblk --json --bytes --output-all';
    return failure({ code: 'lsblk-bytes', path: '', message });
  }
  const notes: string[] = [];
  const survey: SurveyDocument = {
    format: 'gentle-tide/survey',
    version: 1,
    takenAt: options.takenAt,
    machine: { name: options.machineName, firmware: disks[0]!.pttype === 'gpt' ? 'uefi' : 'bios' },
    disks: disks.map((disk, number) => diskOf(disk, number, notes)),
  };
  const problems = checkSurvey(survey);
  if (problems.length > 0) return failure(...problems);
  const all = [
    'lsblk does not tell drive letters, dirty flags, hibernation, battery, the recovery environment, or where the backup partition table lies.',
    ...noteWindows(machineOf(survey), 'lsblk does not say'),
    ...notes,
  ];
  return success({ ...survey, notes: boundNotes(all) });
}

function diskOf(device: Device, number: number, notes: string[]): SurveyDisk {
  const sectorSize = device['log-sec'] === 4096 ? 4096 : 512;
  const sectors = Math.floor(device.size! / sectorSize);
  const table = device.pttype === 'gpt' ? 'gpt' : 'mbr';
  const parts = (device.children ?? []).filter((child) => child.type === 'part');
  const partitions = parts.flatMap((part, i) => {
    const partition = partitionOf(part, i, { sectorSize, table, disk: number, notes });
    return partition ?? [];
  });
  const extended = partitions.find((partition) => partition.kind === 'extended');
  if (extended) {
    mendExtended(extended, partitions, sectors);
    notes.push(
      `Disk ${number}: where the extended partition ends is not shown; it is taken to reach up to ${endsAt(extended, partitions)}.`,
    );
  }
  return {
    number,
    model: device.model?.trim() ?? '',
    serial: device.serial?.trim() ?? '',
    media: mediaOf(device),
    sectorSize,
    sectors,
    table,
    id: device.ptuuid?.toUpperCase() ?? null,
    // The header's own figure is not shown; a disk as large as its table is the rule.
    ...(table === 'gpt' ? { lastUsable: sectors - 1 - tableSectors(sectorSize) } : {}),
    partitions: partitions.sort((a, b) => a.first - b.first),
  };
}

function partitionOf(
  part: Device,
  index: number,
  place: { sectorSize: number; table: 'gpt' | 'mbr'; disk: number; notes: string[] },
): SurveyPartition | null {
  const { sectorSize, table, disk, notes } = place;
  const fromName = Number(/(\d+)$/.exec(part.name ?? '')?.[1] ?? index + 1);
  const number = part.partn ?? fromName;
  const called = `Disk ${disk}, partition ${number}`;
  if (part.start == null || !Number.isSafeInteger(part.size)) {
    notes.push(
      `${called}: where it lies was not shown, so it is left out. Take the output with util-linux 2.38 or later.`,
    );
    return null;
  }
  const type = part.parttype ?? '';
  const mbrType = `0x${type.replace(/^0x/i, '').toUpperCase().padStart(2, '0')}`;
  const extended = table === 'mbr' && ['0x05', '0x0F', '0x85'].includes(mbrType);
  const flags = part.partflags?.startsWith('0x') ? part.partflags : null;
  return {
    number,
    first: (part.start * 512) / sectorSize,
    sectors: Math.floor(part.size! / sectorSize),
    type: table === 'gpt' ? type.toUpperCase() : mbrType,
    id: table === 'gpt' ? (part.partuuid?.toUpperCase() ?? null) : null,
    attributes: table === 'gpt' ? flags : null,
    name: part.partlabel ?? '',
    kind: extended ? 'extended' : table === 'mbr' && number > 4 ? 'logical' : 'primary',
    active: table === 'mbr' && flags === '0x80',
    volume: extended ? null : volumeOf(part, sectorSize, called, notes),
  };
}

function volumeOf(part: Device, sectorSize: number, called: string, notes: string[]): SurveyVolume | null {
  if (!part.fstype) return null;
  const word = part.fstype.toLowerCase();
  const fileSystem = word === 'vfat' ? fatOf(part) : (FILE_SYSTEM[word] ?? 'unknown');
  const whole = Math.floor(part.size! / sectorSize) * sectorSize;
  const size =
    part.fssize && part.fssize <= whole ? Math.floor(part.fssize / sectorSize) * sectorSize : whole;
  const used = part.fsused != null && part.fsused <= size ? part.fsused : null;
  if (used === null) notes.push(`${called}: used space is not known, because the volume was not mounted.`);
  return { fileSystem, label: part.label ?? '', size, used };
}

/**
 * Of an extended partition lsblk shows only its first record. Free room behind its last drive is inside it, as those
 * who make them do it: it reaches up to the next primary partition, or to the end of the disk as far as the table goes.
 */
function mendExtended(
  extended: SurveyPartition,
  partitions: readonly SurveyPartition[],
  sectors: number,
): void {
  const next = nextPrimary(extended, partitions);
  const end = Math.min(next?.first ?? sectors, sectors, MBR_REACH);
  const reach = partitions
    .filter((partition) => partition.kind === 'logical')
    .reduce((most, one) => Math.max(most, endOf(one)), end);
  extended.sectors = Math.max(extended.sectors, reach - extended.first);
}

const nextPrimary = (
  extended: SurveyPartition,
  partitions: readonly SurveyPartition[],
): SurveyPartition | undefined =>
  partitions
    .filter((one) => one.kind === 'primary' && one.first > extended.first)
    .sort((a, b) => a.first - b.first)[0];

function endsAt(extended: SurveyPartition, partitions: readonly SurveyPartition[]): string {
  const next = nextPrimary(extended, partitions);
  return next ? `partition ${next.number}` : 'the end of the disk';
}

function mediaOf(device: Device): Media {
  if (/qemu|virtual|virtio/i.test(`${device.model ?? ''} ${device.tran ?? ''}`)) return 'virtual';
  if (device.tran === 'nvme' || /^nvme/.test(device.name ?? '')) return 'nvme';
  if (/^vd[a-z]/.test(device.name ?? '')) return 'virtual';
  return device.rota ? 'hdd' : 'sata-ssd';
}
