import { bytesOf, endOf, sentenceName, type Disk, type Extent, type Partition } from '../../disk';
import { sourceOf, type Creation, type Layout, type Step } from '../../planning';
import { SHELL } from '../basis';
import type { Script, SheetDisk } from '../sheet';
import { block, guard, guardFree, stop, type Expected } from './guard';
import { literal } from './quote';

/** What a step's script is written from. */
export interface Scene {
  disk: Disk;
  sheetDisk: SheetDisk;
  /** Bytes of the whole disk when the step's turn comes. */
  diskBytes: number;
  before: Layout;
  step: Step;
  steps: readonly Step[];
  number: number;
  title: string;
}

/**
 * The lines with which Windows itself does a step: storage cmdlets and the command of the recovery environment, real
 * numbers in them, behind guard lines. null: it is not done inside this Windows (enlarging a virtual disk).
 */
export function stepScript(scene: Scene): Script | null {
  const lines = linesOf(scene);
  if (!lines) return null;
  const head = `# Gentle Tide, step ${scene.number}: ${scene.title.replace(/[\r\n]/g, ' ')}`;
  return { title: SHELL, text: `${head}\n${block(lines)}` };
}

function linesOf(scene: Scene): string[] | null {
  const { step, disk, before } = scene;
  const ss = disk.sectorSize;
  const at = (number: number): Partition | undefined =>
    before.partitions.find((one) => one.number === number);
  switch (step.verb) {
    case 'enlarge-disk':
      return null;
    case 'relocate-table':
      return [
        ...guard(scene.sheetDisk, scene.diskBytes, []),
        'Update-Disk -Number $disk.Number',
        `'Read again. The largest free piece is now ' + (Get-Disk -Number $disk.Number).LargestFreeExtent + ' bytes.'`,
      ];
    case 'shrink':
    case 'extend': {
      const partition = at(step.partition)!;
      const name = nameOf(scene, partition);
      const bytes = bytesOf(disk, step.to);
      const grown = endOf(step.from) * ss;
      return [
        ...guard(scene.sheetDisk, scene.diskBytes, [expected('part', name, ss, step.from)]),
        ...(step.verb === 'extend' ? guardFree(grown, endOf(step.to) * ss, name) : []),
        '$room = Get-PartitionSupportedSize -DiskNumber $disk.Number -PartitionNumber $part.PartitionNumber',
        `if (${bytes} -lt $room.SizeMin -or ${bytes} -gt $room.SizeMax) { ${stop(`Windows offers no size of ${bytes} bytes for ${name}.`)} }`,
        `Resize-Partition -DiskNumber $disk.Number -PartitionNumber $part.PartitionNumber -Size ${bytes}`,
        ...confirmed(name, step.to, ss),
      ];
    }
    case 'delete':
    case 'set-aside': {
      const name = nameOf(scene, at(step.partition));
      const aside = step.verb === 'set-aside';
      return [
        ...guard(scene.sheetDisk, scene.diskBytes, [expected('part', name, ss, step.from)]),
        ...(aside ? asideLines(at(step.partition), disk) : []),
        'Remove-Partition -DiskNumber $disk.Number -PartitionNumber $part.PartitionNumber -Confirm:$false',
        ...letterTaken(scene),
        done(aside ? `${name} is set aside.` : `${name} is deleted.`),
      ];
    }
    case 'create':
      return makeLines(scene, step.to, step.create, nameOf(scene, undefined), false);
    case 'put-back':
      return makeLines(scene, step.to, step.create, 'the recovery partition', true);
    case 'copy':
      return copyLines(scene);
    case 'decrypt': {
      const partition = at(step.partition)!;
      if (!partition.letter) return null;
      const name = nameOf(scene, partition);
      const mount = literal(`${partition.letter}:`);
      return [
        ...guard(scene.sheetDisk, scene.diskBytes, [expected('part', name, ss, partition)]),
        `if ([string]$part.DriveLetter -ne ${literal(partition.letter)}) { ${stop(`${name} has another letter.`)} }`,
        `Disable-BitLocker -MountPoint ${mount} | Out-Null`,
        `while ((Get-BitLockerVolume -MountPoint ${mount}).VolumeStatus -ne 'FullyDecrypted') {`,
        `  'Still encrypted: ' + (Get-BitLockerVolume -MountPoint ${mount}).EncryptionPercentage + ' %'`,
        '  Start-Sleep -Seconds 30',
        '}',
        done(`${name} is fully decrypted.`),
      ];
    }
    case 'move':
      return null;
  }
}

const done = (sentence: string): string => literal(`Done: ${sentence}`);

const expected = (variable: string, name: string, ss: number, { first, sectors }: Extent): Expected => ({
  variable,
  name,
  offset: first * ss,
  bytes: sectors * ss,
});

/** A name for the messages: of a partition that the route makes, after the one whose files it takes. */
function nameOf({ disk, steps, step }: Scene, partition: Partition | undefined): string {
  if (partition && disk.partitions.some((one) => one.number === partition.number))
    return sentenceName(partition);
  const source = sourceOf(disk, steps, step.partition);
  return source ? `the new volume for ${sentenceName(source)}` : 'the new volume';
}

const confirmed = (name: string, to: Extent, ss: number): string[] => [
  `$now = Get-Partition -DiskNumber $disk.Number | Where-Object { $_.Offset -eq ${to.first * ss} }`,
  `if ($now.Size -ne ${to.sectors * ss}) { ${stop(`${name} does not have ${to.sectors * ss} bytes. Go no further; survey the disk again.`, false)} }`,
  done(`${name} has ${to.sectors * ss} bytes.`),
];

function asideLines(partition: Partition | undefined, disk: Disk): string[] {
  const type = partition && disk.table === 'gpt' ? partition.type : null;
  return [
    ...(type
      ? [
          `if (([string]$part.GptType).Trim('{}').ToUpper() -ne ${literal(type)}) { ${stop(`the partition there has another type than ${type}.`)} }`,
        ]
      : []),
    'reagentc.exe /disable',
    `if ($LASTEXITCODE -ne 0) { ${stop('the recovery environment could not be switched off.')} }`,
  ];
}

/** The letter of a volume whose files were copied goes to the new one once the old one is gone. */
function letterTaken({ disk, steps, step, before }: Scene): string[] {
  if (step.verb !== 'delete') return [];
  const found = disk.partitions.find((one) => one.number === step.partition);
  const copy = steps.find(
    (one) => one.verb === 'copy' && one.partition === step.partition && one.into && 'partition' in one.into,
  );
  const into = copy?.verb === 'copy' && copy.into && 'partition' in copy.into ? copy.into.partition : null;
  const made = before.partitions.find((one) => one.number === into);
  if (!found?.letter || !made) return [];
  return [
    `$new = Get-Partition -DiskNumber $disk.Number | Where-Object { $_.Offset -eq ${made.first * disk.sectorSize} }`,
    `Set-Partition -DiskNumber $disk.Number -PartitionNumber $new.PartitionNumber -NewDriveLetter ${literal(found.letter)}`,
  ];
}

const FORMAT: Record<string, string> = {
  ntfs: 'NTFS',
  fat32: 'FAT32',
  exfat: 'exFAT',
  refs: 'ReFS',
  fat16: 'FAT',
};

function makeLines(scene: Scene, to: Extent, create: Creation, name: string, recovery: boolean): string[] {
  const { disk, sheetDisk, diskBytes } = scene;
  const ss = disk.sectorSize;
  const [offset, bytes] = [to.first * ss, to.sectors * ss];
  const type =
    disk.table === 'gpt' ? ` -GptType ${literal(`{${create.type.toLowerCase()}}`)}` : ' -MbrType IFS';
  const mbr = disk.table === 'mbr' ? parseInt(create.type, 16) : 7;
  const format = FORMAT[create.fileSystem] ?? 'NTFS';
  const cluster = create.clusterSize > 0 ? ` -AllocationUnitSize ${create.clusterSize}` : '';
  const which = '-DiskNumber $disk.Number -PartitionNumber $new.PartitionNumber';
  return [
    ...guard(sheetDisk, diskBytes, []),
    ...guardFree(offset, offset + bytes, name),
    `$new = New-Partition -DiskNumber $disk.Number -Offset ${offset} -Size ${bytes}${type}`,
    `if ($new.Offset -ne ${offset} -or $new.Size -ne ${bytes}) { ${stop(`Windows made the partition elsewhere or with another size. Delete it and use the figures of the sheet.`, false)} }`,
    `Format-Volume -Partition $new -FileSystem ${format}${cluster} -NewFileSystemLabel ${literal(create.label)} | Out-Null`,
    ...(mbr !== 7 ? [`Set-Partition ${which} -MbrType ${mbr}`] : []),
    ...(recovery
      ? [
          ...(disk.table === 'gpt' ? [`Set-Partition ${which} -NoDefaultDriveLetter $true`] : []),
          `$letter = (Get-Partition ${which}).DriveLetter`,
          `if ([int]$letter -ne 0) { Remove-PartitionAccessPath ${which} -AccessPath ([string]$letter + ':') }`,
          'reagentc.exe /enable',
          `if ($LASTEXITCODE -ne 0) { ${stop('the recovery partition is there, but the recovery environment did not switch on. See the sheet.', false)} }`,
          'reagentc.exe /info',
        ]
      : [
          `Add-PartitionAccessPath ${which} -AssignDriveLetter`,
          `'Its letter for now: ' + (Get-Partition ${which}).DriveLetter`,
        ]),
    done(`${name} is there.`),
  ];
}

/** Files from volume to volume, with a log; nothing is written over that is not from the same source. */
function copyLines(scene: Scene): string[] | null {
  const { disk, step, before } = scene;
  if (step.verb !== 'copy') return null;
  const ss = disk.sectorSize;
  const place = (number: number) => before.partitions.find((one) => one.number === number);
  const run = (from: string, to: string): string[] => [
    `robocopy.exe ${from} ${to} /E /COPYALL /DCOPY:DAT /XJ /R:1 /W:1 /XD 'System Volume Information' '$RECYCLE.BIN'`,
    `if ($LASTEXITCODE -ge 8) { ${stop('not every file was copied. Delete nothing; read what the copy said.', false)} }`,
    done('every file is copied. Compare counts and sizes before anything is deleted.'),
  ];
  const outside = (name: string): string[] => [
    `$place = Read-Host ${literal(`Folder on “${name}”, for example X:\\job`)}`,
    `if (-not (Test-Path -LiteralPath $place)) { ${stop('there is no such folder.')} }`,
  ];
  const mounted = (variable: string): string => `([string]$${variable}.DriveLetter + ':\\')`;
  const needsLetter = (variable: string, name: string): string =>
    `if ([int]$${variable}.DriveLetter -eq 0) { ${stop(`${name} has no letter. Give it one, then run this again.`)} }`;
  if (step.into === undefined) {
    const to = place(step.partition);
    if (!to) return null;
    const name = nameOf(scene, to);
    return [
      ...guard(scene.sheetDisk, scene.diskBytes, [expected('to', name, ss, to)]),
      needsLetter('to', name),
      ...outside(step.fromOutside),
      ...run('$place', mounted('to')),
    ];
  }
  const from = place(step.partition);
  if (!from) return null;
  const name = nameOf(scene, from);
  if ('outside' in step.into) {
    return [
      ...guard(scene.sheetDisk, scene.diskBytes, [expected('from', name, ss, from)]),
      needsLetter('from', name),
      ...outside(step.into.outside),
      ...run(mounted('from'), '$place'),
    ];
  }
  const to = place(step.into.partition);
  if (!to) return null;
  return [
    ...guard(scene.sheetDisk, scene.diskBytes, [
      expected('from', name, ss, from),
      expected('to', 'the new volume', ss, to),
    ]),
    needsLetter('from', name),
    needsLetter('to', 'the new volume'),
    ...run(mounted('from'), mounted('to')),
  ];
}
