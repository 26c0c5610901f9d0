import { Type, type Static } from 'typebox';
import { endOf, nameInSentence, TYPE, type Disk, type Partition } from '../disk';
import { success } from '../problem';
import { isEncrypted, convertToGpt, tableConversion, windowsAlone } from '../tools';
import { formatMib, formatSize } from '../units';
import { closed, ExtentShape, orNull, PartitionNumber } from '../shapes';
import { priced, refused } from './abilities';
import { makePartition } from './creation';
import { impossible, nextNumber, type Layout } from './layout';
import { SURVEY_AGAIN } from './names';
import { scriptDone, guard, stop } from './powershell/guard';
import { WHOLE_DISK, type Creation } from './step';
import type { VerbModule } from './verb';

const ConvertTableStep = closed({
  ...WHOLE_DISK,
  verb: Type.Literal('convert-table'),
  /** The EFI system partition afterwards, and whether it is the old system partition. */
  efi: closed({ partition: PartitionNumber, ...ExtentShape.properties, reused: Type.Boolean() }),
  /** The Windows partition where it is made smaller for that; null: it stays as large. */
  windows: orNull(closed({ partition: PartitionNumber, ...ExtentShape.properties })),
  usable: ExtentShape,
});
export type ConvertTableStep = Static<typeof ConvertTableStep>;
const ConvertTableIntent = closed({ verb: Type.Literal('convert-table') });
export type ConvertTableIntent = Static<typeof ConvertTableIntent>;

/** The EFI system partition: what it holds then is not known. */
function efiOf(disk: Disk, { partition, first, sectors }: ConvertTableStep['efi']): Partition {
  const create: Creation = {
    type: TYPE.efi,
    attributes: '0x0000000000000000',
    name: '',
    fileSystem: 'fat32',
    clusterSize: 0,
    label: '',
  };
  const made = makePartition(disk, { partition, id: null, to: { first, sectors }, create });
  return { ...made, role: 'efi', volume: { ...made.volume!, used: null } };
}

export const convertTable: VerbModule<'convert-table'> = {
  step: ConvertTableStep,
  intents: { 'convert-table': ConvertTableIntent },
  name: 'Convert table',
  resolve({ terms, kit, layout }) {
    const { disk } = terms;
    if (!terms.mayConvertTable)
      return refused('Converting the table is not allowed for this goal: there is no way back.');
    const now = { ...disk, partitions: [...layout.partitions] };
    const conversion = tableConversion(now);
    if (!conversion.ok) return conversion;
    const { efi, reused, windows, usable } = conversion.value;
    const { number, first, sectors } = windows;
    return priced(
      {
        partition: null,
        id: null,
        verb: 'convert-table',
        from: null,
        to: null,
        efi: { partition: reused?.number ?? nextNumber(disk, layout), ...efi, reused: reused !== null },
        windows: reused ? null : { partition: number, first, sectors },
        usable,
        bytesCopied: 0,
        exposedBytes: 0,
      },
      success(windowsAlone(kit)),
    );
  },
  apply(disk, layout, step) {
    if (layout.table !== 'mbr') return impossible('the table is GPT already');
    const { efi, windows, usable } = step;
    if (layout.partitions.some((one) => one.first < usable.first || endOf(one) > endOf(usable)))
      return impossible('there is no room for the table');
    const old = layout.partitions.find(({ number }) => number === efi.partition);
    const kept = layout.partitions
      .filter((one) => one !== old)
      .map(convertToGpt)
      .map((one) => (one.number === windows?.partition ? smaller(disk, one, windows) : one));
    const partitions = [...kept, efiOf(disk, efi)].sort((a, b) => a.first - b.first);
    const made = efi.reused ? layout.made : new Set([...layout.made, efi.partition]);
    return success<Layout>({ ...layout, table: 'gpt', usable, relocated: usable, partitions, made });
  },
  intentOf: () => ({ verb: 'convert-table' }),
  opposite: () => ({ lost: ['The disk stays GPT, and the machine starts by UEFI.'] }),
  noReturn: () =>
    'A table that was converted to GPT is not converted back, and the machine starts by UEFI from then on.',
  why: ({ step }) =>
    `The old kind of table reaches no further, or holds no more. Windows converts it to GPT where it is, with all partitions${step.efi.reused ? '' : '; it takes room for the EFI system partition from its own end'}.`,
  object: () => 'MBR to GPT',
  line: () => 'Convert the partition table from MBR to GPT',
  figures: ({ disk, step: { efi, windows } }) => [
    { label: 'Start of the EFI system partition', bytes: efi.first * disk.sectorSize, sector: efi.first },
    { label: 'Its size', bytes: efi.sectors * disk.sectorSize },
    ...(windows ? [{ label: 'Windows afterwards', bytes: windows.sectors * disk.sectorSize }] : []),
  ],
  words({ disk, step: { efi, windows }, before }) {
    const system = before.partitions.find(({ number }) => number === efi.partition);
    const recovery = before.partitions.find(({ role }) => role === 'recovery');
    const n = disk.number;
    const shown = formatSize(efi.sectors * disk.sectorSize);
    return {
      title: 'Convert the partition table from MBR to GPT',
      do: [
        'First see in the firmware’s settings that this machine can start by UEFI, with its old way of starting switched off. Where it can’t, stop: it would not start any more.',
        ...(before.partitions.some(isEncrypted)
          ? ['Suspend the protection of encrypted volumes until the machine has started by UEFI once.']
          : []),
        ...(efi.reused
          ? [
              `Start the repair medium of this Windows, or its recovery environment, and open a command line: ${system ? nameInSentence(system) : 'the system partition'} can become the EFI system partition only while Windows does not run from it.`,
              `There, with the number that this disk has there (compare its serial and size; here it is ${n}): mbr2gpt.exe /validate /disk:${n}, and only where that succeeds mbr2gpt.exe /convert /disk:${n}.`,
            ]
          : [
              `In Windows, as administrator: validate first, and only where that succeeds convert. Windows makes itself smaller by ${shown} for the EFI system partition.`,
            ]),
        'Before the machine starts again, switch its firmware from the old way of starting to UEFI.',
        ...(recovery
          ? ['Afterwards see that the recovery environment is on: it may have to be switched on again.']
          : []),
      ],
      expected: `The disk has a GUID partition table, with an EFI system partition of ${shown} at ${formatMib(efi.first * disk.sectorSize, disk.sectorSize)}${windows ? '' : ', where the system partition was'}. Windows starts by UEFI, and every other partition is where it was.`,
      ifNot: [
        'Validation fails: nothing was changed. Read what it says, and stop here.',
        'The machine finds nothing to start from: the firmware still looks for the old kind of start, or its order has to be set.',
        'The EFI system partition lies elsewhere than written here: go on only once this disk is surveyed and planned anew.',
        SURVEY_AGAIN,
      ],
      ifInterrupted:
        'The new table is written at the end. If the machine still starts the old way, nothing was changed; if it starts neither way, repair its start with the medium, or restore the image.',
    };
  },
  script({ disk, step, diskBytes }) {
    if (step.efi.reused) return null;
    return [
      ...guard(disk, diskBytes, []),
      "mbr2gpt.exe /validate ('/disk:' + $disk.Number) /allowFullOS",
      `if ($LASTEXITCODE -ne 0) { ${stop('Windows can not convert this table.')} }`,
      "mbr2gpt.exe /convert ('/disk:' + $disk.Number) /allowFullOS",
      `if ($LASTEXITCODE -ne 0) { ${stop('the conversion did not end well. Read what it said before the machine is restarted.', false)} }`,
      scriptDone('the table is converted. Switch the firmware to UEFI before the machine starts again.'),
    ];
  },
};

/** Windows without its end. */
function smaller(
  disk: Disk,
  one: Partition,
  { first, sectors }: { first: number; sectors: number },
): Partition {
  const size = sectors * disk.sectorSize;
  const volume = one.volume && {
    ...one.volume,
    size: Math.min(one.volume.size, size),
    clusterMap: null,
    lastUsed: null,
  };
  return { ...one, first, sectors, volume };
}
