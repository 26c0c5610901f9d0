import { readCopy } from '../../tables/readGpt';
import type { Device } from '../devices/device';
import type { TableCopy, TableImage } from '../plan';

/**
 * Changes a GPT so that one valid copy exists at every instant (domain facts 2): where one is bad now it is written
 * first, else the backup; each is safe before the other begins. A backup that was left behind at another place goes
 * last.
 */
export async function writeTable(disk: Device, before: TableImage, after: TableImage): Promise<void> {
  const { sectorSize } = disk;
  const primary = await readCopy(disk, sectorSize, Math.floor(disk.size / sectorSize), 1);
  const order = primary.ok ? [after.backup, after.primary] : [after.primary, after.backup];
  for (const copy of order) {
    await disk.write(copy.arrayAt, copy.array);
    await disk.write(copy.headerAt, copy.header);
    await disk.flush();
  }
  await clearLeft(disk, before.backup, after.backup);
  // One sector, so it is whole at every instant; mostly it does not change.
  await disk.write(0, after.record);
  await disk.flush();
}

async function clearLeft(disk: Device, left: TableCopy, now: TableCopy): Promise<void> {
  if (left.headerAt === now.headerAt || left.headerAt >= disk.size) return;
  await disk.zero(left.headerAt, left.header.length);
  await disk.flush();
  const meets =
    left.arrayAt < now.headerAt + now.header.length && now.arrayAt < left.arrayAt + left.array.length;
  if (!meets) await disk.zero(left.arrayAt, left.array.length);
}
