import { Type, type Static } from 'typebox';
import { closed } from '../shapes';
import { endOf, areSameExtents } from '../disk';
import { success } from '../problem';
import { selectAllTools } from '../tools';
import { priced, refused } from './abilities';
import { impossible } from './layout';
import { SURVEY_AGAIN } from './names';
import { guard } from './powershell/guard';
import { WHOLE_DISK } from './step';
import type { VerbModule } from './verb';

const RelocateStep = closed({ ...WHOLE_DISK, verb: Type.Literal('relocate-table') });
export type RelocateStep = Static<typeof RelocateStep>;
const RelocateIntent = closed({ verb: Type.Literal('relocate-table') });
export type RelocateIntent = Static<typeof RelocateIntent>;

export const relocateTable: VerbModule<'relocate-table'> = {
  step: RelocateStep,
  intents: { 'relocate-table': RelocateIntent },
  name: 'Relocate table',
  resolve({ terms, kit }) {
    if (terms.disk.table === 'mbr') return refused('An MBR disk has no backup table.');
    const whole = { partition: null, id: null, from: null, to: null, bytesCopied: 0, exposedBytes: 0 };
    return priced({ ...whole, verb: 'relocate-table' }, success(selectAllTools(kit)));
  },
  apply: (_, layout) =>
    areSameExtents(layout.usable, layout.relocated)
      ? impossible('the backup table is at the end already')
      : success({ ...layout, usable: layout.relocated }),
  intentOf: () => ({ verb: 'relocate-table' }),
  opposite: () => ({ lost: ['The backup table stays at the true end of the disk, where it belongs.'] }),
  noReturn: () => null,
  why: () =>
    'The disk was enlarged after its partition table was written; the backup table moves to the true end, so that the new room counts.',
  object: () => 'to the disk’s end',
  line: () => 'Move the backup table to the end of the disk',
  figures: ({ disk, after }) => [
    {
      label: 'End of the disk',
      bytes: endOf(after.usable) * disk.sectorSize,
      sector: endOf(after.usable) - 1,
    },
  ],
  words: ({ tool }) => ({
    title: 'Move the backup table to the end of the disk',
    do: [
      tool.id === 'windows'
        ? 'Windows mostly does this by itself when it reads the disk again.'
        : 'Let the tool repair the partition table; most do it, or offer it, when they read the disk.',
      'No partition changes.',
    ],
    expected: 'The room up to the end of the disk counts as unallocated.',
    ifNot: [
      'The room does not show: read the disk again, or start the machine again, and look once more.',
      SURVEY_AGAIN,
    ],
    ifInterrupted: 'One valid copy of the table exists at every instant. Read the disk again.',
  }),
  script: ({ disk, diskBytes }) => [
    ...guard(disk, diskBytes, []),
    'Update-Disk -Number $disk.Number',
    `'Read again. The largest free piece is now ' + (Get-Disk -Number $disk.Number).LargestFreeExtent + ' bytes.'`,
  ],
};
