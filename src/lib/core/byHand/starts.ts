import { GIB, MIB } from '../units';
import type { SurveyDisk, SurveyDocument, SurveyPartition } from '../survey';
import type { PartitionRole } from '../disk';
import { addPartition, emptyDisk } from './draft';

/** Layouts to begin with: as they mostly come in, to be changed to what is really there. */
export type StartingPoint = 'uefi' | 'bios' | 'empty';

/** Bytes of the disk that a starting point begins with: a drive sold as 512 GB, and one sold as 500 GB. */
const SOLD_AS_512 = 512_110_190_592;
const SOLD_AS_500 = 500_107_862_016;

interface Piece {
  role: PartitionRole;
  /** Bytes; the rest of the disk where it is not given. */
  size?: number;
  more?: Partial<SurveyPartition>;
}

const UEFI: Piece[] = [
  { role: 'efi', size: 100 * MIB },
  { role: 'reserved', size: 16 * MIB },
  { role: 'windows', size: 237 * GIB, more: { letter: 'C' } },
  { role: 'recovery', size: 990 * MIB },
  { role: 'data', more: { letter: 'D' } },
];
const BIOS: Piece[] = [
  { role: 'system', size: 500 * MIB, more: { active: true } },
  { role: 'windows', size: 120 * GIB, more: { letter: 'C' } },
  { role: 'data', more: { letter: 'D' } },
];

/** A survey to begin with. */
export function startFrom(point: StartingPoint, name: string, takenAt: string): SurveyDocument {
  const bios = point === 'bios';
  const disk = emptyDisk(0, bios ? SOLD_AS_500 : SOLD_AS_512, bios ? 'mbr' : 'gpt');
  const pieces = { uefi: UEFI, bios: BIOS, empty: [] }[point];
  return {
    format: 'gentle-tide/survey',
    version: 1,
    takenAt,
    machine: { name, firmware: bios ? 'bios' : 'uefi' },
    disks: [pieces.reduce(withPiece, disk)],
    notes: ['written by hand'],
  };
}

function withPiece(disk: SurveyDisk, { role, size, more }: Piece): SurveyDisk {
  const slot = MIB / disk.sectorSize;
  const last = disk.partitions.at(-1);
  const first = last ? last.first + last.sectors : slot;
  const rest = Math.floor(disk.sectors / slot) * slot - slot - first;
  const next = addPartition(disk, { first, sectors: size ? size / disk.sectorSize : rest }, role);
  return {
    ...next,
    partitions: next.partitions.map((one, i) =>
      i === next.partitions.length - 1 ? { ...one, ...more } : one,
    ),
  };
}
