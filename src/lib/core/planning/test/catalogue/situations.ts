import { diskSpec, surveyWith, type DiskSpec, type PartitionSpec } from '../../../survey/sketch';
import type { SurveyDocument, SurveyMachine } from '../../../survey';
import type { RoutesRequest } from '../../request';

/**
 * Situations that come to a workshop, each as a survey document with a question to it. What the planner is to answer
 * stands beside them in `expected.ts`, in words and figures.
 */
export interface CatalogueEntry {
  id: string;
  /** Situation in words. */
  words: string;
  survey: SurveyDocument;
  ask: Omit<RoutesRequest, 'survey' | 'disk'>;
}

/** MiB of so many GiB: everything here is counted in MiB, as the builder does. */
export const gib = (value: number): number => value * 1024;
const bytes = (mib: number): number => mib * 2 ** 20;
const PER_MIB = 2048;

const C: PartitionSpec = { role: 'windows', size: gib(100), used: gib(95), letter: 'C' };
const recovery: PartitionSpec = { role: 'recovery', size: 1024, used: 512 };
const efi: PartitionSpec = { role: 'efi', size: 256, used: 32, fileSystem: 'fat32' };
const reserved: PartitionSpec = { role: 'reserved', size: 16 };
/** Half full: shrinking it by a tenth of its size copies a tenth of what it holds. */
const D: PartitionSpec = { role: 'data', size: gib(200), used: gib(100), letter: 'D', label: 'Archive' };
const E: PartitionSpec = { role: 'data', size: gib(100), used: gib(20), letter: 'E', label: 'Samples' };
const system: PartitionSpec = { role: 'system', size: 500, used: 41, active: true };
/** Just below what an MBR reaches. */
const wide: PartitionSpec = { ...C, size: gib(2000), used: gib(1900) };
const full: PartitionSpec = { ...D, used: gib(200) };

export function situation(
  id: string,
  words: string,
  partitions: readonly PartitionSpec[],
  room: number,
  ask: Partial<CatalogueEntry['ask']> & { grow: number; of?: number },
  more: {
    disk?: Partial<DiskSpec>;
    machine?: Partial<SurveyMachine>;
    change?: (survey: SurveyDocument) => void;
  } = {},
): CatalogueEntry {
  const taken = partitions.reduce((sum, one) => sum + one.size + (one.gap ?? 0), 0);
  const survey = surveyWith(diskSpec({ size: taken + room + 2, ...more.disk }, partitions));
  Object.assign(survey.machine, more.machine);
  more.change?.(survey);
  const { grow, of, ...rest } = ask;
  const target = of ?? partitions.findIndex((one) => one.role === 'windows') + 1;
  return { id, words, survey, ask: { ...rest, goal: { partition: target, grow: bytes(grow) } } };
}

/** An extended partition of `size` MiB at the end, with logical drives in it, each behind its MiB. */
export function extendedAtEnd(
  survey: SurveyDocument,
  size: number,
  drives: { size: number; used: number }[],
): void {
  const disk = survey.disks[0]!;
  const end = Math.max(...disk.partitions.map((one) => one.first + one.sectors));
  const number = disk.partitions.length + 1;
  disk.partitions.push({ number, first: end, sectors: size * PER_MIB, type: '0x0F', kind: 'extended' });
  let at = end;
  drives.forEach((drive, i) => {
    disk.partitions.push({
      number: 5 + i,
      first: at + PER_MIB,
      sectors: drive.size * PER_MIB,
      type: '0x07',
      kind: 'logical',
      role: 'data',
      volume: { fileSystem: 'ntfs', clusterSize: 4096, size: bytes(drive.size), used: bytes(drive.used) },
    });
    at += (drive.size + 1) * PER_MIB;
  });
}

export const SITUATIONS: readonly CatalogueEntry[] = [
  situation('adjacent', 'Room lies right behind C:.', [efi, reserved, C], gib(50), { grow: gib(40) }),
  situation('recovery', 'Recovery stands between C: and room.', [C, recovery], gib(50), { grow: gib(40) }),
  situation('efi-behind', 'EFI stands between C: and room.', [C, efi], gib(50), { grow: gib(40) }),
  situation('reserved-behind', 'A reserved partition stands between C: and room.', [C, reserved], gib(50), {
    grow: gib(40),
  }),
  situation(
    'unknown-behind',
    'A partition of unknown content stands between; it is moved whole.',
    [C, { role: 'unknown', size: 2048 }],
    gib(50),
    { grow: gib(40) },
  ),
  situation('full-data', 'A full data volume stands between C: and room.', [C, full], gib(50), {
    grow: gib(40),
  }),
  situation('donor-next', 'The donor is next door; nothing is unallocated.', [C, D], 0, { grow: gib(40) }),
  situation('donor-behind-recovery', 'The donor stands behind recovery.', [C, recovery, D], 0, {
    grow: gib(40),
  }),
  situation(
    'two-donors',
    'One donor alone has not enough; the second stands behind it.',
    [C, { ...D, size: gib(130) }, { ...E, size: gib(60) }],
    0,
    { grow: gib(40) },
  ),
  situation('left-room', 'The only room lies left of C:.', [{ ...C, gap: gib(50) }], 0, { grow: gib(40) }),
  situation('left-room-wide', 'The room left of C: is as large as C: itself.', [{ ...C, gap: gib(100) }], 0, {
    grow: gib(40),
  }),
  situation(
    'room-in-pieces',
    'Room lies in two pieces, before and behind recovery.',
    [C, { ...recovery, gap: gib(20) }],
    gib(30),
    { grow: gib(40) },
  ),
  situation(
    'table-not-at-end',
    'A virtual disk was enlarged; its table ends where the old end was.',
    [C],
    gib(50),
    { grow: gib(40) },
    { disk: { media: 'virtual', backupHeader: (gib(100) + 2) * PER_MIB - 1 } },
  ),
  situation(
    'enlarge-allowed',
    'A virtual disk has no room, but may be enlarged.',
    [C, recovery],
    0,
    { grow: gib(40), mayEnlargeDisk: true },
    { disk: { media: 'virtual' } },
  ),
  situation(
    'leftover-efi',
    'EFI stands right behind Windows, then a leftover that may go.',
    [C, efi, { role: 'data', size: gib(60), used: gib(10) }],
    0,
    { grow: gib(40), mayDelete: [3], donors: [] },
  ),
  situation(
    'encrypted-target',
    'C: is encrypted and recovery stands in the way: mixed tools beat decrypting.',
    [{ ...C, encrypted: true }, recovery],
    gib(50),
    { grow: gib(40) },
  ),
  situation('encrypted-donor', 'The donor next door is encrypted.', [C, { ...D, encrypted: true }], 0, {
    grow: gib(40),
  }),
  situation(
    'windows-only-recovery',
    'Recovery in the way, with only what Windows brings.',
    [C, recovery],
    gib(50),
    { grow: gib(40), kits: ['windows-only'] },
  ),
  situation(
    'windows-only-copy',
    'A data volume in the way, with Windows only, and room to copy it to.',
    [C, { ...E, size: gib(50) }],
    gib(60),
    { grow: gib(40), kits: ['windows-only'] },
  ),
  situation(
    'windows-only-outside',
    'A data volume in the way, with Windows only, no room, but another disk to copy to.',
    [C, { ...E, used: gib(55) }],
    0,
    { grow: gib(40), kits: ['windows-only'], outside: [{ name: 'bench disk', bytes: bytes(gib(500)) }] },
  ),
  situation(
    'windows-only-stuck',
    'A data volume in the way, with Windows only, and nowhere to copy to.',
    [C, { ...full, size: gib(50), used: gib(50) }],
    gib(40),
    { grow: gib(20), kits: ['windows-only'] },
  ),
  situation(
    'leap',
    'A large recovery partition would move over itself, or away for good; free room far off lets it leap and come back.',
    [C, { ...recovery, size: 4096, used: 2048 }, { ...full, size: gib(60), used: gib(60), gap: 2048 }],
    gib(8),
    { grow: 1024, donors: [], kits: ['live-mover', 'offline-mover'] },
    { machine: { recoveryEnvironment: { enabled: true, disk: 0, partition: 2 } } },
  ),
  situation(
    'longer-shift',
    'The room behind is larger than the obstacle: a longer shift is clear of its old place.',
    [C, recovery],
    gib(50),
    { grow: 512 },
  ),
  situation(
    'logical-donor',
    'On MBR the donor is a logical drive behind C:.',
    [C],
    0,
    { grow: gib(20) },
    {
      disk: { table: 'mbr', size: gib(100) + gib(100) + 2 },
      change: (survey) => extendedAtEnd(survey, gib(100), [{ size: gib(100) - 1, used: gib(20) }]),
    },
  ),
  situation(
    'room-in-extended',
    'Room lies at the end inside the extended partition.',
    [C],
    0,
    { grow: gib(20) },
    {
      disk: { table: 'mbr', size: gib(100) + gib(100) + 2 },
      change: (survey) => extendedAtEnd(survey, gib(100), [{ size: gib(50), used: gib(20) }]),
    },
  ),
  situation(
    'logical-target',
    'The target is a logical drive; room lies behind the extended partition.',
    [{ ...C, used: gib(50) }],
    0,
    { grow: gib(20), of: 5 },
    {
      disk: { table: 'mbr', size: gib(180) + 2 },
      change: (survey) => extendedAtEnd(survey, gib(50), [{ size: gib(50) - 1, used: gib(45) }]),
    },
  ),
  situation(
    'hard-running-floor',
    'While Windows runs, the donor hardly shrinks; from outside it does.',
    [C, { ...D, smallestRunning: gib(195), smallestOffline: gib(110) }],
    0,
    { grow: gib(40) },
  ),
  situation(
    'big-sectors',
    'A disk of 4,096-byte sectors, recovery in the way.',
    [C, recovery],
    gib(50),
    { grow: gib(40) },
    { disk: { sectorSize: 4096 } },
  ),
  situation(
    'misaligned',
    'C: starts off the MiB, as old systems did; nothing is realigned that need not move.',
    [C, recovery],
    gib(50),
    { grow: gib(40) },
    {
      change: (survey) => {
        survey.disks[0]!.partitions[0]!.first += 63;
        survey.disks[0]!.partitions[0]!.sectors -= 63;
        survey.disks[0]!.partitions[0]!.volume!.size -= 63 * 512;
      },
    },
  ),
  situation(
    'refs-target',
    'The target is a ReFS volume; Windows extends it.',
    [{ ...C, size: gib(50), used: gib(40) }, { ...E, fileSystem: 'refs' }, recovery],
    gib(50),
    { grow: gib(40), of: 2 },
  ),
  situation(
    'cluster-map-free-tail',
    'Two donors, the second with an empty tail by its smallest size.',
    [C, { ...D, smallestOffline: gib(200), smallestRunning: gib(200) }, E],
    0,
    { grow: gib(40) },
  ),
  situation(
    'data-target',
    'The target is a data volume; recovery and room lie behind it.',
    [C, { ...E, used: gib(95) }, recovery],
    gib(50),
    { grow: gib(40), of: 2 },
  ),
  situation('fixed-obstacle', 'Recovery must stay where it is, so nothing passes.', [C, recovery], gib(50), {
    grow: gib(40),
    fixed: [2],
  }),
  situation('no-room', 'Nothing is unallocated and nobody has anything to spare.', [C, full], 0, {
    grow: gib(40),
  }),
  situation(
    'locked',
    'C: is encrypted and locked: nothing is known of it.',
    [C, recovery],
    gib(50),
    { grow: gib(40) },
    {
      change: (survey) => {
        survey.disks[0]!.partitions[0]!.volume = { fileSystem: 'encrypted', size: bytes(gib(100)) };
      },
    },
  ),
  situation(
    'fat-target',
    'The target is FAT32 with room behind it, and may be converted: Windows extends it only then.',
    [C, { ...E, used: gib(60), fileSystem: 'fat32' }],
    gib(50),
    { grow: gib(40), of: 2, mayConvert: true },
  ),
  situation(
    'fat-behind-recovery',
    'The target is FAT32, recovery stands behind it, and it may be converted.',
    [C, { ...E, used: gib(60), fileSystem: 'fat32' }, recovery],
    gib(50),
    { grow: gib(40), of: 2, mayConvert: true, kits: ['windows-only', 'live-mover'] },
  ),
  situation(
    'fat-not-converted',
    'The target is FAT32, and nobody allowed to convert it: Windows alone can’t extend it.',
    [C, { ...E, used: gib(60), fileSystem: 'fat32' }],
    gib(50),
    { grow: gib(40), of: 2, kits: ['windows-only'] },
  ),
  situation(
    'fat-too-full',
    'The target is FAT32 and may be converted, but has no room for that.',
    [C, { ...E, used: gib(99), fileSystem: 'fat32' }],
    gib(50),
    { grow: gib(40), of: 2, mayConvert: true, kits: ['windows-only'] },
  ),
  situation(
    'join-room-now',
    'C: has room for all that E: holds, and Windows alone is at hand: E: may be joined to it.',
    [{ ...C, used: gib(40) }, E],
    0,
    { grow: gib(80), mayJoin: [2], kits: ['windows-only'] },
  ),
  situation(
    'join-extend-first',
    'C: has no room for what E: holds before it is extended, and E: could not give all that is asked.',
    [{ ...C, used: gib(90) }, E],
    0,
    { grow: gib(80), mayJoin: [2], kits: ['live-mover'] },
  ),
  situation(
    'join-by-outside',
    'C: is too full for what E: holds, Windows alone is at hand, and the files can wait outside.',
    [C, E],
    0,
    {
      grow: gib(80),
      mayJoin: [2],
      kits: ['windows-only'],
      outside: [{ name: 'bench disk', bytes: bytes(gib(500)) }],
    },
  ),
  situation(
    'join-not-first',
    'E: may be joined, and could as well be made smaller: nobody joins volumes before he tries that.',
    [{ ...C, used: gib(40) }, E],
    0,
    { grow: gib(40), mayJoin: [2], kits: ['live-mover'] },
  ),
  situation(
    'join-encrypted',
    'E: is encrypted and unlocked: it is decrypted before its files are copied.',
    [
      { ...C, used: gib(40) },
      { ...E, encrypted: true },
    ],
    0,
    { grow: gib(80), mayJoin: [2], kits: ['windows-only'] },
  ),
  situation(
    'join-two',
    'Two data volumes stand behind C:; only with both joined is there enough.',
    [
      { ...C, used: gib(30) },
      { ...E, size: gib(50) },
      { ...E, size: gib(50), letter: 'F' },
    ],
    0,
    { grow: gib(90), mayJoin: [2, 3], kits: ['windows-only'] },
  ),
  situation(
    'join-not-allowed',
    'C: has room for all that E: holds, and nobody allowed to join them.',
    [{ ...C, used: gib(40) }, E],
    0,
    { grow: gib(80), kits: ['windows-only'] },
  ),
  situation(
    'join-too-full',
    'E: may be joined, but C: has no room for its files and nothing is at hand that could help.',
    [C, E],
    0,
    { grow: gib(80), mayJoin: [2], kits: ['windows-only'] },
  ),
  situation(
    'table-beyond',
    'Room lies behind C:, but most of it beyond what the MBR reaches; the table may be converted.',
    [system, wide],
    gib(2000),
    { grow: gib(500), mayConvertTable: true, kits: ['windows-only'] },
    { disk: { table: 'mbr', media: 'hdd' } },
  ),
  situation(
    'table-from-windows',
    'As before, with no system partition that could be used again: Windows gives the EFI system partition its own end.',
    [{ ...wide, active: true }],
    gib(2000),
    { grow: gib(500), mayConvertTable: true, kits: ['windows-only', 'live-mover'] },
    { disk: { table: 'mbr', media: 'hdd' } },
  ),
  situation(
    'table-not-allowed',
    'Room lies beyond what the MBR reaches, and nobody allowed to convert the table.',
    [system, wide],
    gib(2000),
    { grow: gib(500), kits: ['windows-only'] },
    { disk: { table: 'mbr', media: 'hdd' } },
  ),
  situation(
    'exfat-target',
    'The target is exFAT, which no tool extends.',
    [C, { ...E, fileSystem: 'exfat' }],
    gib(50),
    { grow: gib(40), of: 2 },
  ),
  situation(
    'dynamic',
    'The disk is dynamic: nothing is touched.',
    [C, recovery],
    gib(50),
    { grow: gib(40) },
    {
      change: (survey) => {
        survey.disks[0]!.dynamic = true;
      },
    },
  ),
  situation(
    'hibernated',
    'Windows is hibernated: no disk of the machine is touched.',
    [C],
    gib(50),
    { grow: gib(40) },
    { machine: { hibernated: true } },
  ),
  situation('held-gift', 'The technician holds the donor to give exactly 60 GiB.', [C, D], 0, {
    grow: gib(40),
    kits: ['offline-mover'],
    gives: { '2': bytes(gib(60)) },
  }),
];
