import { nameInSentence } from '../disk';
import type { Finding } from '../finding';
import type { Situation } from './situation';

/** Findings on the state of the machine and its volumes: what must be dealt with before any tool runs. */
export function findMachineFindings({ machine, disk, target, behind }: Situation): Finding[] {
  const findings: Finding[] = [];
  for (const partition of disk.partitions) {
    if (!partition.volume?.dirty) continue;
    findings.push({
      code: 'dirty-volume',
      severity: 'costs',
      partitions: [partition.number],
      title: `${nameInSentence(partition)} asks for a check`,
      detail:
        'Its dirty flag is set: the last change was not finished. It must be checked and clean before anything moves or shrinks it.',
      remedies: [{ title: 'Check and mend the file system', tools: ['windows'] }],
    });
  }
  for (const partition of disk.partitions) {
    // The target is blocked by it, an obstacle says it on its own card.
    if (partition === target || behind.includes(partition) || !partition.volume?.bootSectorDamaged) continue;
    findings.push({
      code: 'boot-sector-damaged',
      severity: 'costs',
      partitions: [partition.number],
      title: `The boot sector of ${nameInSentence(partition)} is damaged`,
      detail:
        'Only its backup at another place of the partition is sound; Windows shows such a volume as raw. It stays where it is, as it is, until it has been mended.',
      remedies: [
        {
          title: 'Write the boot sector anew from its backup, then check the file system',
          tools: ['windows'],
        },
      ],
    });
  }
  if (machine.hibernation && !machine.hibernated) {
    findings.push({
      code: 'hibernation-set',
      severity: 'note',
      partitions: [],
      title: 'Fast start is on',
      detail:
        'An ordinary shutdown then leaves Windows half asleep. Before anything works on this disk from outside, it must be shut down fully.',
      remedies: [{ title: 'Shut down fully', tools: [] }],
    });
  }
  if (machine.onBattery) {
    findings.push({
      code: 'on-battery',
      severity: 'costs',
      partitions: [],
      title: 'The machine runs on its battery',
      detail:
        'A battery that runs empty in the middle of a move leaves a partition that only a resume can mend.',
      remedies: [{ title: 'Connect mains power', tools: [] }],
    });
  }
  return findings;
}
