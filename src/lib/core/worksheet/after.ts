import { listJoinChecks, copyOf, joinNames, type Step } from '../steps';
import { findEnvironmentHost } from '../tools';
import { nameInSentence, type Partition } from '../disk';
import { guarded, SHELL, type SheetContext } from './context';
import { listTouched } from './before';
import { bootPathOf, scriptProtection } from './bootPath';
import { checksOf } from './check';
import { environmentScript } from './environment';
import { stop } from '../steps/powershell/guard';
import { quoteLiteral } from '../steps/powershell/quote';
import type { Check, Script } from './sheet';

const powershell = (text: string): Script => ({ title: SHELL, text });

/** Work after the last step (domain facts 10). */
export function listChecksAfter(context: SheetContext): Check[] {
  const { task, kit, route, layouts } = context;
  const { machine } = task;
  const disk = task.from ?? task.disk;
  const end = route.steps.length;
  const touched = listTouched(disk, route.steps);
  const make = checksOf('after');
  const check = (id: string, title: string, text: string[], script: Script | null = null): Check =>
    make(id, title, text, { script });
  // A volume that goes for good has nothing left to encrypt.
  const decrypted = disk.partitions.filter(
    ({ number }) =>
      !goesFor(route.steps, number) &&
      route.steps.some((step) => step.verb === 'decrypt' && step.partition === number),
  );
  const checked = touched.filter(
    ({ number, letter, volume }) =>
      letter !== null && volume?.fileSystem === 'ntfs' && !goesFor(route.steps, number),
  );
  const others = kit.tools.filter(
    (tool) => tool.id !== 'windows' && route.steps.some((step) => step.tool === tool.id),
  );
  const recovery =
    findEnvironmentHost(machine, disk) ?? disk.partitions.find((one) => one.role === 'recovery');
  const stays = layouts[end]!.partitions.some((one) => one.number === recovery?.number);
  return [
    check('read', 'The disks are read again', [
      'Start Windows, and survey the machine again with the collector. Give that survey to the Proof screen: it compares every partition with what this sheet promised.',
    ]),
    check(
      'files',
      'Each changed volume passes a file check',
      ['A check may come by itself at the next start: let it finish.'],
      checked.length > 0
        ? powershell(checked.map((one) => `Repair-Volume -DriveLetter ${one.letter} -Scan`).join('\n'))
        : null,
    ),
    check('letters', 'Drive letters are as before', [lettersOf(context)]),
    ...joinedChecks(context, check),
    ...(recovery && stays && machine.recoveryEnvironment?.enabled !== false
      ? [
          check(
            'recovery',
            'The recovery environment reports enabled',
            [
              'Switch it on if it is off.',
              ...(recovery.role === 'windows' ? [] : [`${nameInSentence(recovery)} must have no letter.`]),
            ],
            environmentScript(context, end, recovery.number, true),
          ),
        ]
      : []),
    ...(decrypted.length > 0
      ? [
          check(
            'encryption',
            `Encryption is on again: ${joinNames(decrypted.map(nameInSentence))}`,
            [
              'It was switched off for this work. It goes on in the background; note the new recovery key and give it to the owner.',
            ],
            encryptScript(context, end, decrypted),
          ),
        ]
      : []),
    ...resumeCheck(context, check),
    ...(machine.hibernation
      ? [
          check(
            'hibernation',
            'Fast start is as the owner had it',
            ['It was switched off for this work.'],
            powershell('powercfg.exe /hibernate on'),
          ),
        ]
      : []),
    ...(others.length > 0
      ? [
          check('tools', 'The tools are gone from the customer’s machine', [
            `${joinNames(others.map((tool) => tool.name))}: what was installed is removed again, the medium is out, and the order in which the machine starts is as before.`,
          ]),
        ]
      : []),
    check('restart', 'A restart, and Windows comes up by itself', [
      'Once without any medium. Sign in, open the programs that the customer lives by.',
    ]),
    ...(task.from
      ? [
          check('old-disk', 'The old disk is kept as it is', [
            'Take it out, if it is not out yet: with both in the machine Windows gives one of them other letters. Then see that every letter is as before.',
            'Label it with the job and the date, and keep it until the customer has had the machine for some weeks. With it alone the machine is as it was found.',
            'Before it is used again, or given away, it is erased: everything is still on it.',
          ]),
        ]
      : []),
    check('backup', 'Only now the backup may be let go', [
      'Keep the image until the proof is complete and the customer has had the machine for some days.',
    ]),
  ];
}

function resumeCheck(
  context: SheetContext,
  check: (id: string, title: string, text: string[], script?: Script | null) => Check,
): Check[] {
  const path = bootPathOf(context);
  if (!path) return [];
  return [
    check(
      'resume',
      `Protection is on again: ${joinNames(path.volumes.map(nameInSentence))}`,
      [
        'It was suspended for this work. Switch it on once the machine has started by itself, and start it once more.',
      ],
      scriptProtection(context, path, context.route.steps.length, true),
    ),
  ];
}

/** One block for each volume, since each has guards of its own. */
function encryptScript(context: SheetContext, end: number, volumes: readonly Partition[]): Script | null {
  const blocks = volumes.flatMap(({ number, letter }) => {
    if (letter === null) return [];
    const mount = quoteLiteral(`${letter}:`);
    return guarded(context, end, `encryption of ${letter}: on`, number, [
      `if ([string]$part.DriveLetter -ne ${quoteLiteral(letter)}) { ${stop(`the volume there has another letter than ${letter}:.`)} }`,
      `Enable-BitLocker -MountPoint ${mount} -RecoveryPasswordProtector -UsedSpaceOnly`,
      `(Get-BitLockerVolume -MountPoint ${mount}).KeyProtector | Where-Object { $_.KeyProtectorType -eq 'RecoveryPassword' }`,
    ]).text;
  });
  return blocks.length > 0 ? powershell(blocks.join('\n')) : null;
}

/** References to a volume whose files lie in a folder of another by now. */
function joinedChecks(
  { task: { disk }, route }: SheetContext,
  check: (id: string, title: string, text: string[]) => Check,
): Check[] {
  return route.steps.flatMap((step): Check[] => {
    if (step.verb !== 'join') return [];
    const [of, into] = 'of' in step ? [step.of, step.partition] : [step.partition, step.into];
    const at = (number: number) => disk.partitions.find((one) => one.number === number);
    const [source, target] = [at(of), at(into)];
    if (!source || !target) return [];
    const title = `Nothing looks for ${nameInSentence(source)} any more`;
    return [check(`joined-${of}`, title, listJoinChecks(source, step.folder, target))];
  });
}

function lettersOf({ task, route: { steps } }: SheetContext): string {
  const disk = task.from ?? task.disk;
  const partitions = disk.partitions.filter(({ number }) => !goesFor(steps, number));
  const lettered = partitions.filter((one) => one.letter !== null);
  const without = partitions.filter((one) => one.letter === null && one.kind !== 'extended');
  const those = lettered.length > 0 ? `${joinNames(lettered.map(nameInSentence))}.` : 'None was known.';
  return without.length > 0 ? `${those} No letter: ${joinNames(without.map(nameInSentence))}.` : those;
}

/** Whether a partition is deleted and no other volume takes its place. */
function goesFor(steps: readonly Step[], number: number): boolean {
  const into = copyOf(steps, number);
  const joined = steps.some((step) => step.verb === 'join' && 'of' in step && step.of === number);
  const lasts = into !== undefined && !('folder' in into) && !joined;
  return !lasts && steps.some((step) => step.verb === 'delete' && step.partition === number);
}
