import type { ByteSource } from '../images/source';
import { failure, success, type Outcome } from '../problem';
import type { GptTable } from './gpt';
import { readFirstSector } from './firstSector';
import { readGpt, type GptReading } from './readGpt';
import { readMbr, type MbrTable } from './readMbr';

/** A disk's partition table as sector 0 decides it, and what was odd about it, in sentences. */
export type TableReading = { notes: string[] } & (
  | { kind: 'gpt'; table: GptTable; /** Absence of a protective record in sector 0. */ unprotected: boolean }
  | {
      kind: 'mbr';
      table: MbrTable;
      /** Mark of a record beside a GPT that it half protects. */ hybrid: boolean;
    }
);

/**
 * Reads whatever partition table a disk has. Sector 0 decides which counts, as it does for Windows (domain facts 2).
 *
 * Problem codes: `no-table`, `volume-image` (the file holds one volume, not a disk), `gpt-lost` (a protective record
 * without its GPT), and those of {@link readGpt} and {@link readMbr}.
 * @param sectorSize bytes a sector, where a disk image says so itself
 */
export async function readTable(source: ByteSource, sectorSize?: number): Promise<Outcome<TableReading>> {
  if (source.size < 512) return noTable();
  const first = readFirstSector(await source.read(0, 512));
  switch (first.says) {
    case 'volume':
      return failure({
        code: 'volume-image',
        path: '',
        message:
          'This file holds a single volume, not a whole disk: it begins with a file system. Take an image of the whole disk.',
      });
    case 'ordinary':
    case 'hybrid': {
      const mbr = await readMbr(source, sectorSize);
      if (!mbr.ok) return mbr;
      const hybrid = first.says === 'hybrid';
      const gpt = await readGpt(source, { sectorSize: mbr.value.sectorSize });
      const notes = [...(hybrid ? [hybridNote(gpt)] : leftoverNote(gpt)), ...emptyEntries(first.entries)];
      return success({ kind: 'mbr', table: mbr.value, hybrid, notes });
    }
    case 'protective': {
      const protectedEnd = first.covers > 1 && first.covers < 0xffffffff ? first.covers : undefined;
      const gpt = await readGpt(source, { sectorSize, protectedEnd });
      if (gpt.ok) return success({ kind: 'gpt', unprotected: false, ...gpt.value });
      return gpt.problems[0]?.code === 'no-gpt' ? gptLost() : gpt;
    }
    case 'blank':
    case 'empty': {
      const gpt = await readGpt(source, { sectorSize });
      if (!gpt.ok) {
        if (gpt.problems[0]?.code !== 'no-gpt') return gpt;
        if (first.says === 'empty') return noTable();
        const mbr = await readMbr(source, sectorSize);
        return mbr.ok ? success({ kind: 'mbr', table: mbr.value, hybrid: false, notes: [] }) : mbr;
      }
      const notes = [UNPROTECTED, ...gpt.value.notes];
      return success({ kind: 'gpt', unprotected: true, table: gpt.value.table, notes });
    }
  }
}

const UNPROTECTED =
  'Sector 0 holds no protective record, so Windows shows this disk as not initialised; its GUID partition table is there and was read.';

const hybridNote = (gpt: Outcome<GptReading>): string =>
  `Sector 0 is a hybrid master boot record: Windows takes the disk for one with a master boot record and sees only what stands there.${gpt.ok ? ` Its GUID partition table has ${gpt.value.table.entries.length} partitions.` : ''}`;

const leftoverNote = (gpt: Outcome<GptReading>): string[] =>
  gpt.ok || gpt.problems[0]?.code !== 'no-gpt'
    ? [
        'Leftovers of an old GUID partition table lie on this disk. Sector 0 says that it has a master boot record, and that counts.',
      ]
    : [];

const emptyEntries = (entries: readonly { number: number; type: number; sectors: number }[]): string[] =>
  entries
    .filter((entry) => entry.type !== 0 && entry.sectors === 0)
    .map(({ number }) => `Entry ${number} of the master boot record has a type but no length; it is empty.`);

const noTable = () =>
  failure({
    code: 'no-table',
    path: '',
    message:
      'There is no partition table in this file, neither a GUID partition table nor a master boot record.',
  });

const gptLost = () =>
  failure({
    code: 'gpt-lost',
    path: '',
    message:
      'The disk says that it has a GUID partition table, but neither copy of it is there. Restore the table first.',
  });
