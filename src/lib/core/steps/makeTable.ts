import { Type, type Static } from 'typebox';
import { diskBytes } from '../disk';
import { success } from '../problem';
import { selectAllTools } from '../tools';
import { formatCount } from '../units';
import { closed } from '../shapes';
import { priced, refused } from './abilities';
import { impossible } from './layout';
import { SURVEY_AGAIN } from './names';
import { scriptDone, guard, stop } from './powershell/guard';
import { WHOLE_DISK } from './step';
import type { VerbModule } from './verb';

const MakeTableStep = closed({ ...WHOLE_DISK, verb: Type.Literal('make-table') });
export type MakeTableStep = Static<typeof MakeTableStep>;
const MakeTableIntent = closed({ verb: Type.Literal('make-table') });
export type MakeTableIntent = Static<typeof MakeTableIntent>;

export const makeTable: VerbModule<'make-table'> = {
  step: MakeTableStep,
  intents: { 'make-table': MakeTableIntent },
  name: 'Make table',
  resolve({ terms, kit, layout }) {
    if (!terms.from) return refused('Only an empty disk that is moved to gets a new table.');
    if (layout.partitions.length > 0)
      return refused('The disk has partitions by now: no new table is made on it.');
    const whole = { partition: null, id: null, from: null, to: null, bytesCopied: 0, exposedBytes: 0 };
    return priced({ ...whole, verb: 'make-table' }, success(selectAllTools(kit)));
  },
  apply: (_, layout) =>
    layout.partitions.length > 0 ? impossible('the disk has partitions already') : success(layout),
  intentOf: () => ({ verb: 'make-table' }),
  /** The disk was empty, and is so again once what was cloned is deleted. */
  opposite: () => ({}),
  noReturn: () => null,
  why: ({ disk }) =>
    `The new disk gets an empty ${disk.table.toUpperCase()} table, the same kind as the old one has, so that whatever starts from it does so in the same way.`,
  object: (_step, disk) => `${disk.table.toUpperCase()}, empty`,
  line: (_step, disk) => `Make an empty ${disk.table.toUpperCase()} table`,
  figures: ({ disk }) => [{ label: 'Size of the new disk', bytes: diskBytes(disk) }],
  words({ disk }) {
    const kind = disk.table.toUpperCase();
    return {
      title: `Make an empty ${kind} table on the new disk`,
      do: [
        `Find the new disk by its serial ${disk.serial || '(not known)'} and its ${formatCount(diskBytes(disk))} bytes, never by its number alone: whatever is on the disk that gets the table is gone.`,
        `Make it a ${kind} disk. Where that makes a small reserved partition by itself, delete that: it comes with the others, in its own place.`,
      ],
      expected: `The new disk has a ${kind} table and no partition.`,
      ifNot: ['It shows partitions: stop. It is the wrong disk, or it was not empty.', SURVEY_AGAIN],
      ifInterrupted: 'Nothing but the empty disk was touched. Make the table once more.',
    };
  },
  script({ disk, diskBytes: bytes }) {
    // Whatever table it has is known to nobody: it is found by serial and size.
    const known = { serial: disk.serial, id: '', table: 'mbr' as const };
    return [
      ...guard(known, bytes, []),
      `if ($disk.IsBoot -or $disk.IsSystem) { ${stop('Windows runs from this disk.')} }`,
      "$held = @(Get-Partition -DiskNumber $disk.Number -ErrorAction SilentlyContinue | Where-Object { [string]$_.Type -ne 'Reserved' })",
      `if ($held.Count -ne 0) { ${stop('there are partitions on it.')} }`,
      `if ([string]$disk.PartitionStyle -eq 'RAW') { Initialize-Disk -Number $disk.Number -PartitionStyle ${disk.table.toUpperCase()} }`,
      `if ([string](Get-Disk -Number $disk.Number).PartitionStyle -ne '${disk.table.toUpperCase()}') { ${stop('it has a table of the other kind. Take it off the disk first.', false)} }`,
      '$own = @(Get-Partition -DiskNumber $disk.Number -ErrorAction SilentlyContinue)',
      'if ($own.Count -eq 1) { Remove-Partition -DiskNumber $disk.Number -PartitionNumber $own[0].PartitionNumber -Confirm:$false }',
      scriptDone('the new disk has an empty table.'),
    ];
  },
};
