import { Type, type Static } from 'typebox';
import { diskBytes } from '../disk';
import { success } from '../problem';
import { selectAllTools } from '../tools';
import { formatMib, formatSize } from '../units';
import { priced, refused } from './abilities';
import { impossible } from './layout';
import { formatExactSize, SURVEY_AGAIN } from './names';
import { closed, Sector } from '../shapes';
import { WHOLE_DISK } from './step';
import type { VerbModule } from './verb';

const EnlargeStep = closed({
  ...WHOLE_DISK,
  verb: Type.Literal('enlarge-disk'),
  /** Sectors of the whole disk afterwards. */
  diskSectors: Sector,
});
export type EnlargeStep = Static<typeof EnlargeStep>;
const EnlargeIntent = closed({ verb: Type.Literal('enlarge-disk'), diskSectors: Sector });
export type EnlargeIntent = Static<typeof EnlargeIntent>;

export const enlargeDisk: VerbModule<'enlarge-disk'> = {
  step: EnlargeStep,
  intents: { 'enlarge-disk': EnlargeIntent },
  name: 'Enlarge disk',
  resolve({ terms, kit }, { diskSectors }) {
    if (!terms.mayEnlargeDisk) return refused('Enlarging the disk is not allowed for this goal.');
    const whole = { partition: null, id: null, from: null, to: null, bytesCopied: 0, exposedBytes: 0 };
    return priced({ ...whole, verb: 'enlarge-disk', diskSectors }, success(selectAllTools(kit)));
  },
  apply(disk, layout, { diskSectors }) {
    const more = diskSectors - disk.sectors;
    if (disk.media !== 'virtual') return impossible('only a virtual disk can be enlarged');
    if (more <= 0) return impossible('the disk would not become larger');
    const { first, sectors } = layout.relocated;
    const relocated = { first, sectors: sectors + more };
    // An MBR has no copy at the end: the new room counts at once.
    return success({ ...layout, relocated, usable: disk.table === 'mbr' ? relocated : layout.usable });
  },
  intentOf: ({ diskSectors }) => ({ verb: 'enlarge-disk', diskSectors }),
  opposite: () => ({
    lost: [
      'The disk stays enlarged: take the room back where the virtual machine is managed, once nothing lies in it.',
    ],
  }),
  noReturn: () => null,
  why: ({ disk, step }) =>
    `The virtual disk itself becomes larger, to exactly ${formatMib(step.diskSectors * disk.sectorSize, disk.sectorSize)} in all. Its new room appears at the end.`,
  object: ({ diskSectors }, disk) => `to ${formatSize(diskBytes({ ...disk, sectors: diskSectors }))}`,
  line: ({ diskSectors }, disk) =>
    `Enlarge the disk to ${formatMib(diskSectors * disk.sectorSize, disk.sectorSize)} in all`,
  figures: ({ disk, step }) => [
    { label: 'New total of the disk', bytes: step.diskSectors * disk.sectorSize },
  ],
  words({ disk, step }) {
    const total = step.diskSectors * disk.sectorSize;
    return {
      title: `Enlarge the virtual disk to ${formatSize(total)} in all`,
      do: [
        'Shut the machine down fully and power it off. Where it has snapshots or checkpoints, they are removed first: its disk can’t be enlarged with them.',
        `Where the virtual machine is managed, set the total of this disk to exactly ${formatMib(total, disk.sectorSize)}. This is the new total, not the amount added (which is ${formatMib(total - diskBytes(disk), disk.sectorSize)}).`,
        'Start the machine again.',
      ],
      expected: `The disk has ${formatExactSize(total, disk.sectorSize)}; the new room lies at its end.`,
      ifNot: ['The disk still has its old size: was the machine off, not only suspended?', SURVEY_AGAIN],
      ifInterrupted: 'Partitions are not touched by this. Look what size the disk has now.',
    };
  },
  script: () => null,
};
