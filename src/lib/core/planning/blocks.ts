import { SHIPPED_KITS, canExtend, isEncrypted, type Kit } from '../tools';
import { isStoragePool, sentenceName, type Disk, type FileSystem, type Partition } from '../disk';
import type { Finding } from '../finding';
import type { Machine } from '../survey';

/** How a file system is called in a sentence. */
export const FILE_SYSTEM_NAME: Record<FileSystem, string> = {
  ntfs: 'NTFS',
  refs: 'ReFS',
  fat32: 'FAT32',
  fat16: 'FAT16',
  exfat: 'exFAT',
  encrypted: 'encrypted',
  unknown: 'unknown',
};

/** What keeps any route away, whatever the size asked for. Each is a finding of severity "blocks". */
export function blocksFor(
  machine: Machine,
  disk: Disk,
  target: Partition,
  kits: readonly Kit[] = SHIPPED_KITS,
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
  if (target.kind === 'extended' || !tools.some((tool) => canExtend(tool, target))) {
    blocks.push(cannotGrow(target));
  }
  return blocks;
}

function cannotGrow(target: Partition): Finding {
  const name = sentenceName(target);
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
    remedies: [],
  };
}
