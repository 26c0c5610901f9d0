import { viewOf } from '../../bytes';
import { type Outcome, refusal, success } from '../../problem';
import { readFirstSector } from '../../tables/firstSector';
import type { Device } from '../devices/device';
import { readGptNow, type GptNow } from './gptImage';
import { readMbrNow, type MbrNow } from './mbrImage';

/** The partition table as it lies on the disk at this moment. */
export type TableNow = { kind: 'gpt'; gpt: GptNow } | { kind: 'mbr'; mbr: MbrNow };

/** Problem codes: `no-table`, `hybrid`, `gpt-broken`, `mbr-broken`. */
export async function readTableNow(disk: Device): Promise<Outcome<TableNow>> {
  const first = readFirstSector((await disk.read(0, disk.sectorSize)).subarray(0, 512));
  switch (first.says) {
    case 'protective': {
      const gpt = await readGptNow(disk);
      return gpt
        ? success({ kind: 'gpt', gpt })
        : refusal('gpt-broken', 'Neither copy of the disk’s partition table can be used.');
    }
    case 'ordinary': {
      const mbr = await readMbrNow(disk);
      return mbr.ok ? success({ kind: 'mbr', mbr: mbr.value }) : mbr;
    }
    case 'hybrid':
      return refusal('hybrid', 'The disk has a hybrid master boot record: nothing is carried out on it.');
    default:
      return refusal('no-table', 'The disk has no partition table that could be changed.');
  }
}

/** A partition as the executor knows it: by its GUID, or on MBR by its place. Sectors. */
export interface PartitionNow {
  /** Stands for it as long as the run goes on. */
  key: string;
  id: string | null;
  kind: 'primary' | 'extended' | 'logical';
  /** GUID, or on MBR "0x07". */
  type: string;
  first: number;
  sectors: number;
}

export function listPartitionsNow(table: TableNow): PartitionNow[] {
  if (table.kind === 'gpt') {
    return table.gpt.table.entries.map(({ id, type, first, last }) => ({
      key: id.toUpperCase(),
      id: id.toUpperCase(),
      kind: 'primary',
      type: type.toUpperCase(),
      first,
      sectors: last - first + 1,
    }));
  }
  return table.mbr.partitions.map(({ kind, type, first, sectors }) => ({
    key: `${kind}@${first}`,
    id: null,
    kind,
    type: `0x${type.toString(16).toUpperCase().padStart(2, '0')}`,
    first,
    sectors,
  }));
}

/**
 * GUID of the disk, or its signature in eight hex digits, also in the middle of a change of its table. Empty: it has
 * none.
 */
export async function readDiskId(disk: Device): Promise<string> {
  const record = await disk.read(0, disk.sectorSize);
  const gpt = readFirstSector(record.subarray(0, 512)).says === 'protective' ? await readGptNow(disk) : null;
  if (gpt) return gpt.table.diskId.toUpperCase();
  return viewOf(record).getUint32(0x1b8, true).toString(16).toUpperCase().padStart(8, '0');
}
