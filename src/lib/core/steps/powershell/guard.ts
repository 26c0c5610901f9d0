import type { Disk, Extent } from '../../disk';
import { quoteLiteral } from './quote';

/** Marks of a disk. */
type Identity = Pick<Disk, 'serial' | 'id' | 'table'>;

/** A partition that must be exactly where the sheet says before anything is changed. Bytes. */
export interface Expected {
  variable: string;
  name: string;
  offset: number;
  bytes: number;
}

/** A partition that must be at this place; `$variable` is it in the lines that follow. */
export const scriptExpectation = (
  variable: string,
  name: string,
  { sectorSize }: Pick<Disk, 'sectorSize'>,
  { first, sectors }: Extent,
): Expected => ({ variable, name, offset: first * sectorSize, bytes: sectors * sectorSize });

/** An end with a sentence. `before`: nothing was changed until here. */
export const stop = (sentence: string, before = true): string =>
  `throw ${quoteLiteral(`${before ? 'Stopped, nothing was changed' : 'Stopped'}: ${sentence}`)}`;

/**
 * Lines that find the disk by serial, size and GUID or signature, and each partition by start and size, and end with a
 * clear message where anything differs. Never by a number: Windows may count anew at every start.
 */
export function guard(disk: Identity, bytes: number, expected: readonly Expected[]): string[] {
  return [
    '# Guard: nothing is changed before all of this holds.',
    ...guardDisk(disk, bytes),
    ...expected.flatMap(guardPartition),
  ];
}

function guardDisk(disk: Identity, bytes: number): string[] {
  const known = disk.serial
    ? {
        test: `([string]$_.SerialNumber).Trim() -eq ${quoteLiteral(disk.serial)}`,
        says: `with the serial number ${disk.serial}`,
      }
    : { test: `$_.Size -eq ${bytes}`, says: `of ${bytes} bytes` };
  const lines = [
    `$disk = @(Get-Disk | Where-Object { ${known.test} })`,
    `if ($disk.Count -ne 1) { ${stop(`there is not exactly one disk ${known.says}.`)} }`,
    '$disk = $disk[0]',
    `if ($disk.Size -ne ${bytes}) { ${stop(`the disk has another size than ${bytes} bytes.`)} }`,
  ];
  if (disk.id && disk.table === 'gpt') {
    const guid = disk.id.replace(/[{}]/g, '').toUpperCase();
    lines.push(
      `if (([string]$disk.Guid).Trim('{}').ToUpper() -ne ${quoteLiteral(guid)}) { ${stop(`the disk has another GUID than ${guid}.`)} }`,
    );
  }
  if (!disk.id && disk.table === 'gpt') {
    lines.push(
      `if ([string]$disk.PartitionStyle -ne 'GPT') { ${stop('the disk has no GUID partition table.')} }`,
    );
  }
  if (/^[0-9a-f]{1,8}$/i.test(disk.id) && disk.table === 'mbr') {
    lines.push(
      `if ($disk.Signature -ne ${parseInt(disk.id, 16)}) { ${stop(`the disk has another signature than ${disk.id}.`)} }`,
    );
  }
  return lines;
}

const guardPartition = ({ variable, name, offset, bytes }: Expected): string[] => [
  `$${variable} = @(Get-Partition -DiskNumber $disk.Number | Where-Object { $_.Offset -eq ${offset} })`,
  `if ($${variable}.Count -ne 1) { ${stop(`no partition starts at byte ${offset}, where ${name} should.`)} }`,
  `$${variable} = $${variable}[0]`,
  `if ($${variable}.Size -ne ${bytes}) { ${stop(`${name} has another size than ${bytes} bytes.`)} }`,
];

/** Ends where any partition lies in a place that must be free; the frame of an extended partition does not count. */
export const guardFree = (offset: number, end: number, name: string): string[] => [
  `$there = @(Get-Partition -DiskNumber $disk.Number | Where-Object { $_.MbrType -ne 5 -and $_.MbrType -ne 15 -and $_.Offset -lt ${end} -and ($_.Offset + $_.Size) -gt ${offset} })`,
  `if ($there.Count -ne 0) { ${stop(`the place from byte ${offset} to ${end}, meant for ${name}, is not free.`)} }`,
];

/** The last line of a script: what was done. */
export const scriptDone = (sentence: string): string => quoteLiteral(`Done: ${sentence}`);

/** Looks whether a partition has the size that it was given. */
export const scriptConfirmation = (
  { sectorSize }: Pick<Disk, 'sectorSize'>,
  name: string,
  { first, sectors }: Extent,
): string[] => [
  `$now = Get-Partition -DiskNumber $disk.Number | Where-Object { $_.Offset -eq ${first * sectorSize} }`,
  `if ($now.Size -ne ${sectors * sectorSize}) { ${stop(`${name} does not have ${sectors * sectorSize} bytes. Go no further; survey the disk again.`, false)} }`,
  scriptDone(`${name} has ${sectors * sectorSize} bytes.`),
];

/** The lines as one block: pasted whole, it runs whole or ends at its first stop. */
export const block = (lines: readonly string[]): string =>
  ['& {', ...["$ErrorActionPreference = 'Stop'", ...lines].map((line) => `  ${line}`), '}'].join('\n');
