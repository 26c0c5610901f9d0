import { creationOf } from './creation';
import { SURVEY_AGAIN, joinNames, stepPartition } from './names';
import { MADE, type Creation } from './step';
import { Type, type Static } from 'typebox';
import { bytesOf, type Disk } from '../disk';
import { computeLeastRecovery, windowsAlone } from '../tools';
import { formatMib, formatSize } from '../units';
import { able, priced, refused } from './abilities';
import { placeFigures } from './figures';
import { impossible, placed } from './layout';
import { makeLines, NEW } from './powershell/format';
import { scriptAttributes, beyondCmdlets } from './powershell/attributes';
import { scriptDone, stop } from './powershell/guard';
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

/**
 * What the cmdlets leave out of the attributes, in words: "required". Null where they set all, or there are none (MBR).
 */
function leftOut({ table }: Pick<Disk, 'table'>, { attributes }: Creation): string | null {
  const words = table === 'gpt' ? beyondCmdlets(attributes) : [];
  return words.length > 0 ? joinNames(words.map((word) => `“${word}”`)) : null;
}

export const putBack: VerbModule<'put-back'> = {
  step: PutBackStep,
  intents: { 'put-back': PutBackIntent },
  name: 'Put back',
  resolve({ terms, kit, layout }, { partition: number, to }) {
    const { disk } = terms;
    const before = layout.aside.find((one) => one.number === number);
    if (!before) return refused('The recovery partition is not set aside here.');
    const used = before.volume?.used ?? bytesOf(disk, before);
    const least = before.volume?.used === undefined ? used : computeLeastRecovery(used);
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
    const missing = leftOut(disk, step.create);
    return {
      title: `Put ${name} back`,
      do: [
        `Make a partition with exactly this start and size, format it, and give it the type and the attributes below.`,
        'Take off the letter that Windows gives it, then switch the recovery environment on.',
        ...(missing
          ? [
              `Many a tool leaves ${missing} out of the attributes. The lines below set it and look whether it is there; where they say that it is not, use a tool that sets all 64 bits.`,
            ]
          : []),
      ],
      expected: `The recovery environment reports that it is enabled, on ${name}, which has no letter.`,
      ifNot: [
        'It reports disabled: is the type exactly the one on this sheet? Is it formatted, with some 250 MiB free inside? Switch it on once more.',
        ...(missing
          ? [
              `The attributes lack ${missing}: recovery works all the same, but the partition is not what it was, and the proof will say so.`,
            ]
          : []),
        SURVEY_AGAIN,
      ],
      ifInterrupted:
        'The partition may be there without its type, or formatted without the environment. Delete it and do this step again from its beginning.',
    };
  },
  script(told) {
    const { disk, step } = told;
    const missing = leftOut(disk, step.create);
    const done = scriptDone('the recovery partition is there.');
    const lacking = scriptDone(
      `the recovery partition is there and works, but its attributes are not ${step.create.attributes}: they lack ${missing}. See the sheet.`,
    );
    return [
      ...makeLines(told, 'the recovery partition'),
      ...(disk.table === 'gpt' ? scriptAttributes(step.create.attributes) : []),
      `$letter = (Get-Partition ${NEW}).DriveLetter`,
      `if ([int]$letter -ne 0) { Remove-PartitionAccessPath ${NEW} -AccessPath ([string]$letter + ':') }`,
      'reagentc.exe /enable',
      `if ($LASTEXITCODE -ne 0) { ${stop('the recovery partition is there, but the recovery environment did not switch on. See the sheet.', false)} }`,
      'reagentc.exe /info',
      missing ? `if ($whole) { ${done} } else { ${lacking} }` : done,
    ];
  },
};
