import { joinNames } from './names';
import { nameInSentence, type Disk, type Partition } from '../disk';
import type { Step } from './step';

/**
 * What hangs on the place of a partition that the machine starts from (domain facts 3). On MBR the boot data names it,
 * and must be written anew after a move. On GPT the firmware's own entry may name the place of the EFI partition; most
 * firmware finds it all the same.
 */
export function bootRepairOf(disk: Pick<Disk, 'table'>, partition: Partition): 'must' | 'may' | null {
  const { active, role } = partition;
  if (disk.table === 'mbr') return active || role === 'windows' || role === 'system' ? 'must' : null;
  return role === 'efi' ? 'may' : null;
}

/** Moves after which the start of the machine must, or may have to be written anew. */
export function findBootRepairs(disk: Disk, steps: readonly Step[]): { must: Partition[]; may: Partition[] } {
  const moved = disk.partitions.filter(({ number }) =>
    steps.some((step) => step.verb === 'move' && step.partition === number),
  );
  const after = (repair: 'must' | 'may'): Partition[] =>
    moved.filter((one) => bootRepairOf(disk, one) === repair);
  return { must: after('must'), may: after('may') };
}

/** Commands that write the start anew, by the kind of table, from the repair medium's command line. */
export const START_ANEW = {
  gpt: 'give the EFI partition a letter (here S:), then bcdboot.exe C:\\Windows /s S: /f UEFI, with the letter that Windows has there; then take the letter off',
  mbr: 'bcdboot.exe C:\\Windows /s S: /f BIOS, with the letters that Windows and the active partition have there, then bootsect.exe /nt60 S: /mbr',
} as const;

/** Repair of the start once such a partition was moved; null: none. */
export function startCheck(disk: Disk, steps: readonly Step[]): { title: string; text: string[] } | null {
  const { must, may } = findBootRepairs(disk, steps);
  const names = (list: readonly Partition[]): string => joinNames(list.map(nameInSentence));
  const anew = `Start the repair medium, open a command line there, and write the start anew: ${START_ANEW[disk.table]}.`;
  if (must.length > 0)
    return {
      title: 'Write the start of Windows anew',
      text: [
        `${names(must)} ${must.length > 1 ? 'start' : 'starts'} in another place now, and the boot data names the old one: until it is written anew Windows does not start.`,
        anew,
      ],
    };
  if (may.length > 0)
    return {
      title: 'The machine starts from where its EFI partition is now',
      text: [
        `${names(may)} starts in another place now. Most firmware finds it all the same.`,
        `If the machine does not start: ${anew.charAt(0).toLowerCase()}${anew.slice(1)}`,
      ],
    };
  return null;
}
