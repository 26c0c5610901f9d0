import { TYPE } from '../../disk';
import { readCopy } from '../../tables/readGpt';
import type { Device } from '../devices/device';
import { listPartitionsNow, readTableNow } from '../table/tableNow';
import { bytesAt } from '../verbs/ground';
import { findUsedExtents } from '../volumes/usedExtents';

/** Everything of a disk that somebody relies on: its table, and of each partition what is in use. */
export async function findLiveStretches(
  disk: Device,
): Promise<{ name: string; offset: number; length: number }[]> {
  const table = await readTableNow(disk);
  if (!table.ok) throw new Error(table.problems[0]!.message);
  const { sectorSize } = disk;
  const live: { name: string; offset: number; length: number }[] = [];
  if (table.value.kind === 'gpt') {
    const { record, primary, backup } = table.value.gpt.image;
    live.push({ name: 'the protective record', offset: 0, length: record.length });
    for (const [name, copy] of Object.entries({ primary, backup })) {
      // Of a copy that is bad nobody relies on a byte; it is mended by whatever changes the table.
      const sectors = Math.floor(disk.size / sectorSize);
      if (!(await readCopy(disk, sectorSize, sectors, copy.headerAt / sectorSize)).ok) continue;
      live.push({ name: `the ${name} header`, offset: copy.headerAt, length: copy.header.length });
      live.push({ name: `the ${name} entries`, offset: copy.arrayAt, length: copy.array.length });
    }
  } else {
    live.push({ name: 'the master boot record', offset: 0, length: sectorSize });
    for (const { at } of table.value.mbr.chain)
      live.push({ name: `the record at ${at}`, offset: at * sectorSize, length: sectorSize });
  }
  for (const partition of listPartitionsNow(table.value)) {
    if (partition.kind === 'extended' || partition.type === TYPE.reserved) continue;
    const { extents } = await findUsedExtents(bytesAt(disk, partition), sectorSize);
    for (let i = 0; i < extents.length; i += 2) {
      const offset = partition.first * sectorSize + extents[i]!;
      live.push({ name: `the partition at ${partition.first}`, offset, length: extents[i + 1]! });
    }
  }
  return live;
}
