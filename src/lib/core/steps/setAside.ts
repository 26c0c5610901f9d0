import { SURVEY_AGAIN, findPartition, stepPartition } from './names';
import { findAsideRoom, windowsAlone } from '../tools';
import { Type, type Static } from 'typebox';
import { bytesOf, nameInSentence } from '../disk';
import { formatSize } from '../units';
import { success } from '../problem';
import { able, priced, refused, subjectOf, type Able } from './abilities';
import { removedFrom, REMOVE_LINE } from './delete';
import { placeFigures } from './figures';
import { withoutPartition } from './layout';
import { scriptDone, scriptExpectation, guard, stop } from './powershell/guard';
import { nameInScript } from './powershell/names';
import { quoteLiteral } from './powershell/quote';
import { closed, PartitionNumber } from '../shapes';
import { GONE } from './step';
import type { StepContext, VerbModule } from './verb';

const SetAsideStep = closed({ ...GONE, verb: Type.Literal('set-aside') });
export type SetAsideStep = Static<typeof SetAsideStep>;
const SetAsideIntent = closed({ verb: Type.Literal('set-aside'), partition: PartitionNumber });
export type SetAsideIntent = Static<typeof SetAsideIntent>;

/** Windows does it, once the volume that takes the image meanwhile has the room: as found, or since it was extended. */
function setters({ terms, kit, layout }: StepContext, number: number): Able {
  const found = findPartition(terms.disk, number);
  const room = found && findAsideRoom(terms.machine, terms.disk, found);
  if (!room) return refused('Only the recovery partition in use can be set aside.');
  const { windows } = room;
  const now = terms.disk.partitions.includes(windows)
    ? layout.partitions.find((one) => one.number === windows.number)
    : undefined;
  const grown = now ? bytesOf(terms.disk, now) - bytesOf(terms.disk, windows) : 0;
  const missing = room.missing - grown;
  if (missing > 0) {
    return refused(
      `${nameInSentence(windows)} must take what recovery holds meanwhile, and ${formatSize(missing)} are missing there. Extend it first.`,
    );
  }
  return able(windowsAlone(kit), 'Only Windows sets the recovery partition aside.');
}

export const setAside: VerbModule<'set-aside'> = {
  step: SetAsideStep,
  intents: { 'set-aside': SetAsideIntent },
  name: 'Set aside',
  resolve(ground, intent) {
    const { terms } = ground;
    const subject = subjectOf(ground, intent.partition);
    if (!subject.ok) return subject;
    const { partition, who, used } = subject.value;
    const { first, sectors } = partition;
    return priced(
      {
        ...who,
        verb: 'set-aside',
        from: { first, sectors },
        to: null,
        bytesCopied: used ?? bytesOf(terms.disk, partition),
        exposedBytes: 0,
      },
      setters(ground, partition.number),
    );
  },
  apply(_, layout, step) {
    const gone = removedFrom(layout, step);
    if (!gone.ok) return gone;
    return success({ ...withoutPartition(layout, gone.value), aside: [...layout.aside, gone.value] });
  },
  intentOf: ({ partition }) => ({ verb: 'set-aside', partition }),
  opposite: ({ partition, from }) => ({ intents: [{ verb: 'put-back', partition, to: from }] }),
  noReturn: () => 'The partition is gone from here on, until it is put back.',
  why: ({ disk, steps, step }) =>
    `${stepPartition(disk, steps, step)} stands in the way. Windows keeps what it holds meanwhile, and it is made anew afterwards.`,
  object: (_step, _disk, name) => name,
  line: (_step, _disk, name) => `Set ${name} aside`,
  figures: ({ disk, step }) => placeFigures(disk, step.from),
  words({ disk, steps, step }) {
    const name = stepPartition(disk, steps, step);
    return {
      title: `Set ${name} aside`,
      do: [
        'Switch the recovery environment off, in Windows. What it holds then lies on the Windows volume.',
        `Only then delete ${name}. Its type and attributes stand on this sheet: without them it can’t be made anew.`,
      ],
      expected: `In the place of ${name} lies unallocated space; the recovery environment reports that it is disabled.`,
      ifNot: [
        'The recovery environment does not switch off: do not delete the partition. Stop here.',
        SURVEY_AGAIN,
      ],
      ifInterrupted: `The recovery environment is off, and ${name} is either still there or gone. Switch it on again if it is still there.`,
    };
  },
  script(told) {
    const { disk, step, diskBytes, before } = told;
    const name = nameInScript(told, step.partition);
    const type = before.partitions.find((one) => one.number === step.partition)?.type;
    return [
      ...guard(disk, diskBytes, [scriptExpectation('part', name, disk, step.from)]),
      ...(type && disk.table === 'gpt'
        ? [
            `if (([string]$part.GptType).Trim('{}').ToUpper() -ne ${quoteLiteral(type)}) { ${stop(`the partition there has another type than ${type}.`)} }`,
          ]
        : []),
      'reagentc.exe /disable',
      `if ($LASTEXITCODE -ne 0) { ${stop('the recovery environment could not be switched off.')} }`,
      REMOVE_LINE,
      scriptDone(`${name} is set aside.`),
    ];
  },
};
