import { creationOf } from './creation';
import { SURVEY_AGAIN, stepPartition } from './names';
import { MADE, type Creation } from './step';
import { Type, type Static } from 'typebox';
import { bytesOf } from '../disk';
import { leastRecovery, windowsAlone } from '../tools';
import { formatMib, formatSize } from '../units';
import { able, priced, refused } from './abilities';
import { placeFigures } from './figures';
import { impossible, placed } from './layout';
import { makeLines, NEW } from './powershell/format';
import { doneLine, stop } from './powershell/guard';
import { closed, ExtentShape, PartitionNumber } from '../shapes';
import type { VerbModule } from './verb';

const PutBackStep = closed({ ...MADE, verb: Type.Literal('put-back') });
export type PutBackStep = Static<typeof PutBackStep>;
const PutBackIntent = closed({
  verb: Type.Literal('put-back'),
  partition: PartitionNumber,
  to: ExtentShape,
});
export type PutBackIntent = Static<typeof PutBackIntent>;

/** Bit 0 can't be set by the storage cmdlets; that is said rather than left to be found out. */
const attributeNotes = ({ attributes }: Creation): string[] =>
  BigInt(attributes) & 1n
    ? [
        'The cmdlets of Windows set all of this but the lowest attribute bit (“required”). Recovery works without it; a tool that sets attributes can add it.',
      ]
    : [];

export const putBack: VerbModule<'put-back'> = {
  step: PutBackStep,
  intents: { 'put-back': PutBackIntent },
  name: 'Put back',
  resolve({ terms, kit, layout }, { partition: number, to }) {
    const { disk } = terms;
    const before = layout.aside.find((one) => one.number === number);
    if (!before) return refused('The recovery partition is not set aside here.');
    const used = before.volume?.used ?? bytesOf(disk, before);
    const least = before.volume?.used === undefined ? used : leastRecovery(used);
    const size = bytesOf(disk, to);
    if (size < bytesOf(disk, before) && size < least) {
      return refused(`Windows wants 250 MiB free in it: at least ${formatSize(least)}.`);
    }
    return priced(
      {
        partition: number,
        id: before.id,
        verb: 'put-back',
        from: null,
        to,
        create: creationOf(before),
        bytesCopied: used,
        exposedBytes: 0,
      },
      able(windowsAlone(kit), 'Only Windows puts its recovery partition back.'),
    );
  },
  apply(disk, layout, { partition, to }) {
    const before = layout.aside.find((one) => one.number === partition);
    if (!before) return impossible(`partition ${partition} is not set aside`);
    const aside = layout.aside.filter((one) => one !== before);
    return placed(disk, { ...layout, aside }, { ...before, ...to });
  },
  intentOf: ({ partition, to }) => ({ verb: 'put-back', partition, to }),
  opposite: ({ partition }) => ({ intents: [{ verb: 'set-aside', partition }] }),
  noReturn: () => null,
  why: ({ disk, steps, step }) =>
    `${stepPartition(disk, steps, step)} is made anew with its type and attributes, and Windows puts back what it held.`,
  object: ({ to }, disk, name) => `${name}, ${formatSize(bytesOf(disk, to))}`,
  line: ({ to }, disk, name) =>
    `Put ${name} back at ${formatMib(to.first * disk.sectorSize, disk.sectorSize)} with ${formatMib(bytesOf(disk, to), disk.sectorSize)}`,
  figures: ({ disk, step }) => placeFigures(disk, step.to),
  words({ disk, steps, step }) {
    const name = stepPartition(disk, steps, step);
    return {
      title: `Put ${name} back`,
      do: [
        `Make a partition with exactly this start and size, format it, and give it the type and the attributes below.`,
        'Take off the letter that Windows gives it, then switch the recovery environment on.',
        ...attributeNotes(step.create),
      ],
      expected: `The recovery environment reports that it is enabled, on ${name}, which has no letter.`,
      ifNot: [
        'It reports disabled: is the type exactly the one below? Is it formatted, with some 250 MiB free inside? Switch it on once more.',
        SURVEY_AGAIN,
      ],
      ifInterrupted:
        'The partition may be there without its type, or formatted without the environment. Delete it and do this step again from its beginning.',
    };
  },
  script: (told) => [
    ...makeLines(told, 'the recovery partition'),
    ...(told.disk.table === 'gpt' ? [`Set-Partition ${NEW} -NoDefaultDriveLetter $true`] : []),
    `$letter = (Get-Partition ${NEW}).DriveLetter`,
    `if ([int]$letter -ne 0) { Remove-PartitionAccessPath ${NEW} -AccessPath ([string]$letter + ':') }`,
    'reagentc.exe /enable',
    `if ($LASTEXITCODE -ne 0) { ${stop('the recovery partition is there, but the recovery environment did not switch on. See the sheet.', false)} }`,
    'reagentc.exe /info',
    doneLine('the recovery partition is there.'),
  ],
};
