import {
  SHIPPED_KITS,
  canConvert,
  canDecrypt,
  canExtend,
  getConversionRoom,
  isEncrypted,
  type Kit,
} from '../tools';
import { FILE_SYSTEM_NAME, isStoragePool, nameInSentence, type Disk, type Partition } from '../disk';
import type { Finding } from '../finding';
import type { Machine } from '../survey';

/**
 * Codes of blocks by which the survey itself is not to be gone by: what else could be said of the disk would mislead.
 */
export const NOT_TO_BE_GONE_BY: readonly string[] = [
  'windows-not-named',
  'hybrid-record',
  'no-protective-record',
];

/** Ability of Windows where no tool extends FAT. */
export const CONVERT: Finding['remedies'][number] = {
  title: 'Convert it to NTFS first, where it is; allow it on the Target screen (there is no way back)',
  tools: ['windows'],
};

/** Findings that keep any route away, whatever the size asked for, each of severity "blocks". */
export function makeBlocks(
  machine: Machine,
  disk: Disk,
  target: Partition,
  { kits = SHIPPED_KITS, mayConvert = false }: { kits?: readonly Kit[]; mayConvert?: boolean } = {},
): Finding[] {
  const blocks: Finding[] = [];
  const add = (code: string, title: string, detail: string, remedies: Finding['remedies'] = []) =>
    blocks.push({ code, severity: 'blocks', partitions: [target.number], title, detail, remedies });

  if (machine.hibernated) {
    add(
      'hibernated',
      'Windows is hibernated',
      'A hibernated Windows still holds every mounted volume of the machine. A change from outside would be overwritten by what it remembers, and data would be lost. No disk of this machine may be touched.',
      [{ title: 'Start Windows, then shut it down fully', tools: [] }],
    );
  }
  if (machine.windowsInDoubt.length > 0) {
    const here = machine.windowsInDoubt.filter((one) => one.disk === disk.number).map((one) => one.partition);
    blocks.push({
      code: 'windows-not-named',
      severity: 'blocks',
      partitions: here,
      title: 'Which volume is Windows is not known',
      detail:
        'The survey was taken from outside and gives no drive letters, and more than one volume may be Windows. What may move, and what the machine starts from, depends on it, so nothing is said before it is named.',
      remedies: [{ title: 'Name the Windows volume on the Survey screen', tools: [] }],
    });
  }
  if (disk.protectiveRecord === 'hybrid') {
    add(
      'hybrid-record',
      `Disk ${disk.number} has a hybrid master boot record`,
      'Its first sector lists partitions beside a GUID partition table. Windows goes by the one, other systems by the other, and a change that only one of them knows of destroys data. Nothing is planned on such a disk.',
      [{ title: 'Have the disk brought to one kind of table by somebody who knows both', tools: [] }],
    );
  } else if (disk.protectiveRecord === 'missing') {
    add(
      'no-protective-record',
      `Disk ${disk.number} has no protective record in its first sector`,
      'Windows shows such a disk as not initialised and offers to write a new table over it: let nobody agree. Its GUID partition table is there; the protective record has to be written before anything is changed.',
      [{ title: 'Write the protective record anew, with a tool for partition tables', tools: [] }],
    );
  }
  if (target.volume?.bootSectorDamaged) {
    add(
      'boot-sector-damaged',
      `The boot sector of ${nameInSentence(target)} is damaged`,
      'Only its backup at another place of the partition is sound; what is known of the volume comes by way of that. Windows shows it as raw. It has to be mended before anything is done to it.',
      [
        {
          title: 'Write the boot sector anew from its backup, then check the file system',
          tools: ['windows'],
        },
      ],
    );
  }
  if (disk.partitions.some((partition) => isStoragePool(partition.type))) {
    add(
      'storage-pool',
      `Disk ${disk.number} belongs to a storage pool`,
      'What lies on it is laid out by the pool, together with other disks. No partition of it is touched here; the pool’s own management can give a volume room.',
    );
  } else if (disk.dynamic) {
    add(
      'dynamic-disk',
      `Disk ${disk.number} is a dynamic disk`,
      'Its volumes do not lie where the partition table says, and one may spread over several disks. No partition of it is touched here.',
    );
  }
  const tools = kits.flatMap((kit) => kit.tools);
  if (target.volume?.bootSectorDamaged) return blocks;
  const decrypted = canDecrypt(target);
  const grows =
    tools.some((tool) => canExtend(tool, target, { decrypted })) ||
    (mayConvert && isConvertible(disk, target));
  if (target.kind === 'extended' || !grows) {
    blocks.push(cannotGrow(disk, target));
  }
  return blocks;
}

/** A FAT volume with room enough for its conversion. */
export const isConvertible = (disk: Disk, target: Partition): boolean =>
  canConvert(target) && target.volume!.size - target.volume!.used! >= getConversionRoom(disk, target);

function cannotGrow(disk: Disk, target: Partition): Finding {
  const name = nameInSentence(target);
  const base: Pick<Finding, 'severity' | 'partitions'> = { severity: 'blocks', partitions: [target.number] };
  const fileSystem = target.volume?.fileSystem;
  if (fileSystem === 'encrypted' || (fileSystem && isEncrypted(target))) {
    return {
      ...base,
      code: 'encrypted-locked',
      title: `${name} is encrypted`,
      detail:
        'From outside nothing can be known of what it holds, and no tool of this kit can extend it as it is. On the running machine, unlocked, Windows can.',
      remedies: [
        { title: 'Take the survey on the running machine, with the volume unlocked', tools: ['windows'] },
      ],
    };
  }
  return {
    ...base,
    code: 'cannot-grow',
    title: `${name} cannot be grown`,
    detail: fileSystem
      ? `Its file system is ${FILE_SYSTEM_NAME[fileSystem]}. No tool of this kit can extend that.`
      : 'It holds no volume that could be extended.',
    remedies: isConvertible(disk, target) ? [CONVERT] : [],
  };
}
