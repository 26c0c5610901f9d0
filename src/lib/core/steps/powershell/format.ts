import type { OnSheet } from '../verb';
import { guard, guardFree, stop } from './guard';
import { quoteLiteral } from './quote';

const FORMAT: Record<string, string> = {
  ntfs: 'NTFS',
  fat32: 'FAT32',
  exfat: 'exFAT',
  refs: 'ReFS',
  fat16: 'FAT',
};

/** The new partition, in the lines behind {@link makeLines}. */
export const NEW = '-DiskNumber $disk.Number -PartitionNumber $new.PartitionNumber';

/** Lines that make and format a partition in a place that must be free. */
export function makeLines({ disk, step, diskBytes }: OnSheet<'create' | 'put-back'>, name: string): string[] {
  const { to, create } = step;
  const [offset, bytes] = [to.first * disk.sectorSize, to.sectors * disk.sectorSize];
  const type =
    disk.table === 'gpt' ? ` -GptType ${quoteLiteral(`{${create.type.toLowerCase()}}`)}` : ' -MbrType IFS';
  const mbr = disk.table === 'mbr' ? parseInt(create.type, 16) : 7;
  const format = FORMAT[create.fileSystem] ?? 'NTFS';
  const cluster = create.clusterSize > 0 ? ` -AllocationUnitSize ${create.clusterSize}` : '';
  return [
    ...guard(disk, diskBytes, []),
    ...guardFree(offset, offset + bytes, name),
    `$new = New-Partition -DiskNumber $disk.Number -Offset ${offset} -Size ${bytes}${type}`,
    `if ($new.Offset -ne ${offset} -or $new.Size -ne ${bytes}) { ${stop(`Windows made the partition elsewhere or with another size. Delete it and use the figures of the sheet.`, false)} }`,
    `Format-Volume -Partition $new -FileSystem ${format}${cluster} -NewFileSystemLabel ${quoteLiteral(create.label)} | Out-Null`,
    ...(mbr !== 7 ? [`Set-Partition ${NEW} -MbrType ${mbr}`] : []),
  ];
}
