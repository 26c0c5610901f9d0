import { isBootedFrom } from '../planning';
import { joinNames, type Step } from '../steps';
import { isEncrypted, movesAtRestart } from '../tools';
import { nameInSentence, type Partition } from '../disk';
import { stop } from '../steps/powershell/guard';
import { quoteLiteral } from '../steps/powershell/quote';
import { guarded, SHELL, type SheetContext } from './context';
import type { Script } from './sheet';

/**
 * The encrypted Windows volumes of a machine that stay so, and what a route does to the way that the machine starts.
 */
export interface BootPath {
  volumes: Partition[];
  /** In words, as what "this route" does. */
  changes: string[];
}

/**
 * What the machine starts from is measured before it gives out the key of an encrypted Windows volume. A route that
 * moves a partition on that way, or has the machine start from elsewhere, changes it; null: none does, or nothing is
 * encrypted.
 */
export function bootPathOf({ task, kit, route }: SheetContext): BootPath | null {
  const { machine, disk } = task;
  const { steps } = route;
  const decrypted = new Set(steps.filter((step) => step.verb === 'decrypt').map((step) => step.partition));
  const volumes = machine.disks.flatMap((one) =>
    one.partitions.filter(
      (partition) =>
        partition.role === 'windows' &&
        isEncrypted(partition) &&
        !(one.number === disk.number && decrypted.has(partition.number)),
    ),
  );
  if (volumes.length === 0) return null;
  const moved = disk.partitions.filter(
    (one) => isBootedFrom(one) && steps.some((step) => step.partition === one.number && displaces(step)),
  );
  const toolOf = (step: Step) => kit.tools.find((tool) => tool.id === step.tool);
  const media = kit.tools.filter(
    (tool) => tool.restartsPerRun > 0 && steps.some((step) => step.tool === tool.id),
  );
  const atRestart = steps.some((step) => {
    const [tool, one] = [toolOf(step), disk.partitions.find(({ number }) => number === step.partition)];
    return step.verb === 'move' && tool && one && movesAtRestart(tool, one);
  });
  const changes = [
    ...(moved.length > 0
      ? [`moves ${joinNames(moved.map(nameInSentence))}, from which the machine starts`]
      : []),
    ...media.map((tool) => `starts the machine from the medium of the ${tool.name.toLowerCase()}`),
    ...(atRestart ? ['lets a tool work at a restart, before Windows is up'] : []),
  ];
  return changes.length > 0 ? { volumes, changes } : null;
}

/** Whether a step takes a partition away from where it stood. */
const displaces = ({ verb }: Step): boolean => verb === 'move' || verb === 'delete' || verb === 'set-aside';

/**
 * The lines that suspend the protection of those volumes, or bring it back, with so many steps done; null: none has a
 * letter on this disk.
 */
export function scriptProtection(
  context: SheetContext,
  { volumes }: BootPath,
  steps: number,
  on: boolean,
): Script | null {
  const blocks = volumes.flatMap((volume) => {
    if (volume.letter === null || !context.task.disk.partitions.includes(volume)) return [];
    const mount = quoteLiteral(`${volume.letter}:`);
    return guarded(
      context,
      steps,
      `protection of ${volume.letter}: ${on ? 'on' : 'suspended'}`,
      volume.number,
      [
        `if ([string]$part.DriveLetter -ne ${quoteLiteral(volume.letter)}) { ${stop(`the volume there has another letter than ${volume.letter}:.`)} }`,
        on
          ? `Resume-BitLocker -MountPoint ${mount}`
          : `Suspend-BitLocker -MountPoint ${mount} -RebootCount 0`,
        `(Get-BitLockerVolume -MountPoint ${mount}).ProtectionStatus`,
      ],
    ).text;
  });
  return blocks.length > 0 ? { title: SHELL, text: blocks.join('\n') } : null;
}
