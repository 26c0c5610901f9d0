import { SURVEY_AGAIN, findPartition, stepPartition } from './names';
import { able, priced, refused, subjectOf, type Able } from './abilities';
import { NO_TOOLS, canDecrypt, decryptBytes, isEncrypted, windowsAlone, type Kit } from '../tools';
import { Type, type Static } from 'typebox';
import { nameInSentence, type Partition } from '../disk';
import { success } from '../problem';
import { partitionAt } from './layout';
import { scriptDone, scriptExpectation, guard, stop } from './powershell/guard';
import { nameInScript } from './powershell/names';
import { quoteLiteral } from './powershell/quote';
import { closed, PartitionNumber } from '../shapes';
import { INSIDE } from './step';
import type { VerbModule } from './verb';

const DecryptStep = closed({ ...INSIDE, verb: Type.Literal('decrypt') });
export type DecryptStep = Static<typeof DecryptStep>;
const DecryptIntent = closed({ verb: Type.Literal('decrypt'), partition: PartitionNumber });
export type DecryptIntent = Static<typeof DecryptIntent>;

function decrypters(kit: Kit, partition: Partition, decrypted: boolean): Able {
  const name = nameInSentence(partition);
  if (decrypted || !isEncrypted(partition)) return refused(`${name} is not encrypted.`);
  return able(
    canDecrypt(partition) ? windowsAlone(kit) : NO_TOOLS,
    `${name} is locked. Unlock it first, and survey the disk again.`,
  );
}

export const decrypt: VerbModule<'decrypt'> = {
  step: DecryptStep,
  intents: { decrypt: DecryptIntent },
  name: 'Decrypt',
  resolve(ground, intent) {
    const subject = subjectOf(ground, intent.partition);
    if (!subject.ok) return subject;
    const { partition, who, decrypted } = subject.value;
    return priced(
      {
        ...who,
        verb: 'decrypt',
        from: null,
        to: null,
        bytesCopied: partition.volume ? decryptBytes(partition.volume) : 0,
        exposedBytes: 0,
      },
      decrypters(ground.kit, partition, decrypted),
    );
  },
  apply(_, layout, { partition }) {
    const found = partitionAt(layout, partition);
    return found.ok ? success({ ...layout, decrypted: [...layout.decrypted, partition] }) : found;
  },
  intentOf: ({ partition }) => ({ verb: 'decrypt', partition }),
  opposite({ partition }, { disk }) {
    const found = findPartition(disk, partition);
    const name = found ? nameInSentence(found) : `Partition ${partition}`;
    return { lost: [`${name} stays decrypted: turn its encryption on again in Windows.`] };
  },
  noReturn: () => null,
  why: ({ disk, steps, step }) =>
    `${stepPartition(disk, steps, step)} is encrypted, and no tool of this kit moves or copies it like that. It is decrypted fully first.`,
  object: (_step, _disk, name) => name,
  line: (_step, _disk, name) => `Decrypt ${name} fully`,
  figures: ({ step }) => [{ label: 'To be decrypted', bytes: step.bytesCopied }],
  words({ disk, steps, step }) {
    const name = stepPartition(disk, steps, step);
    return {
      title: `Decrypt ${name} fully`,
      do: [
        `Have the recovery key of ${name} at hand, then switch its encryption off in Windows. Suspending it is not enough.`,
        'It goes on in the background and takes long. The machine may be used meanwhile, and must stay on power.',
      ],
      expected: `${name} reports that it is fully decrypted, 0 %.`,
      ifNot: [
        'It stands still at some percentage: is the machine on mains power? A restart lets it go on.',
        SURVEY_AGAIN,
      ],
      ifInterrupted:
        'Decryption can be interrupted: it goes on after the next start. Until it ends nothing else may be done to the volume.',
    };
  },
  script(told) {
    const { disk, step, diskBytes, before } = told;
    const partition = before.partitions.find((one) => one.number === step.partition);
    if (!partition?.letter) return null;
    const name = nameInScript(told, step.partition);
    const mount = quoteLiteral(`${partition.letter}:`);
    return [
      ...guard(disk, diskBytes, [scriptExpectation('part', name, disk, partition)]),
      `if ([string]$part.DriveLetter -ne ${quoteLiteral(partition.letter)}) { ${stop(`${name} has another letter.`)} }`,
      `Disable-BitLocker -MountPoint ${mount} | Out-Null`,
      `while ((Get-BitLockerVolume -MountPoint ${mount}).VolumeStatus -ne 'FullyDecrypted') {`,
      `  'Still encrypted: ' + (Get-BitLockerVolume -MountPoint ${mount}).EncryptionPercentage + ' %'`,
      '  Start-Sleep -Seconds 30',
      '}',
      scriptDone(`${name} is fully decrypted.`),
    ];
  },
};
