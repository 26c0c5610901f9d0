import { OFFLINE_MOVER, WINDOWS, canShrink, isEncrypted, findOfflineFloor, findRunningFloor } from '../tools';
import { FILE_SYSTEM_NAME, bytesOf, endOf, nameInSentence, type Partition, type Volume } from '../disk';
import type { Finding } from '../finding';

import { formatCount, formatSize, GIB, MIB } from '../units';
import { note } from './note';
import type { Situation } from './situation';

/** Free space in a volume below which nobody would shrink it. */
const WORTH_HAVING = GIB;
/** A freshly made NTFS volume holds some 30 to 100 MiB of its own. */
const EMPTY = 256 * MIB;

/** Findings on the volumes around the target: who can't give what he has, and who could go. */
export function findVolumeFindings(situation: Situation): Finding[] {
  return [
    ...situation.behind.flatMap((partition) => unshrinkable(partition)),
    ...situation.behind.flatMap((partition) => highRunningFloor(partition)),
    ...emptyVolumes(situation),
    ...leftovers(situation),
  ];
}

/** Room inside a volume that some or all tools cannot get out of it. */
function unshrinkable(partition: Partition): Finding[] {
  const { volume, role } = partition;
  if (role !== 'data' || !volume || volume.used === null || isEncrypted(partition)) return [];
  const free = volume.size - volume.used;
  if (free < WORTH_HAVING || canShrink(WINDOWS, partition)) return [];
  const name = nameInSentence(partition);
  const system = FILE_SYSTEM_NAME[volume.fileSystem];
  const base = { severity: 'costs' as const, partitions: [partition.number] };
  if (canShrink(OFFLINE_MOVER, partition)) {
    return [
      {
        ...base,
        code: 'windows-cannot-shrink',
        title: `Windows does not shrink ${name}`,
        detail: `Its file system is ${system}: ${formatSize(free)} is free in it, but Windows itself shrinks NTFS only. A mover can.`,
        remedies: [{ title: 'Shrink it with a mover', tools: ['live-mover', 'offline-mover'] }],
      },
    ];
  }
  return [
    {
      ...base,
      code: 'cannot-shrink',
      title: `${name} cannot be shrunk`,
      detail: `Its file system is ${system}: ${formatSize(free)} is free in it, but no tool makes such a volume smaller. Its files can be copied to a new volume instead.`,
      remedies: [{ title: 'Copy out, rebuild smaller', tools: ['windows'] }],
    },
  ];
}

function highRunningFloor(partition: Partition): Finding[] {
  const { volume, role } = partition;
  if (role !== 'data' || volume?.fileSystem !== 'ntfs' || volume.used === null) return [];
  if (volume.smallestRunning === null && volume.lastImmovable === null) return [];
  const running = findRunningFloor(volume);
  const offline = findOfflineFloor(volume);
  if (running === null || offline === null) return [];
  if (running - Math.max(volume.used, offline) < Math.max(5 * GIB, volume.used / 5)) return [];
  const name = nameInSentence(partition);
  return [
    {
      code: 'running-floor-high',
      severity: 'costs',
      partitions: [partition.number],
      title: `While it runs, Windows shrinks ${name} to ${formatSize(running)} at least`,
      detail: `Only ${formatSize(volume.used)} is used, but ${holder(volume)} lies far behind that. From outside it goes down to ${formatSize(offline)}.`,
      remedies: [
        { title: 'Shrink it from outside', tools: ['offline-mover'] },
        { title: 'Turn page file and snapshots off on it, then ask Windows again', tools: ['windows'] },
      ],
    },
  ];
}

/** Files that Windows does not move while it runs, by name where that is known. */
function holder({ immovableFile, lastImmovable, clusterSize, smallestRunning }: Volume): string {
  const what = 'something that Windows does not move while it runs';
  // Windows itself gave its smallest size without a name.
  return immovableFile !== null && lastImmovable !== null && clusterSize > 0 && smallestRunning === null
    ? `${what} (${immovableFile}, up to cluster ${formatCount(lastImmovable / clusterSize - 1)})`
    : `${what} (its file table, a page file, snapshots)`;
}

function emptyVolumes({ disk, target }: Situation): Finding[] {
  return disk.partitions.flatMap((partition) => {
    const used = partition.volume?.used;
    if (partition === target || partition.role !== 'data' || used == null) return [];
    if (partition.volume?.bootSectorDamaged) return [];
    if (used > EMPTY || used * 10 > bytesOf(disk, partition)) return [];
    return note(
      'empty-volume',
      [partition],
      `${nameInSentence(partition)} looks empty`,
      `Only ${formatSize(used)} of its ${formatSize(bytesOf(disk, partition))} is used, about what a new file system takes for itself. It could go, with the owner’s word; nothing is deleted without it.`,
    );
  });
}

/** Partitions of which a disk has one, found twice: an earlier installation left them. */
function leftovers({ disk, target }: Situation): Finding[] {
  const extra = (['efi', 'reserved', 'system'] as const).flatMap((role) =>
    disk.partitions.filter((partition) => partition.role === role).slice(1),
  );
  const oldWindows = disk.partitions.filter(
    (partition) => partition.role === 'windows' && partition !== target && target.role === 'windows',
  );
  const all = [...extra, ...oldWindows].sort((a, b) => a.first - b.first || endOf(a) - endOf(b));
  if (all.length === 0) return [];
  const names = all.map((partition) => `${nameInSentence(partition)} (partition ${partition.number})`);
  return [
    note(
      'leftover-installation',
      all,
      `${names.join(', ')} may be left over from an earlier installation`,
      'A disk needs only one of the kind. Which one the machine starts from is not told by the partition table; find out first. It could go, with the owner’s word; nothing is deleted without it.',
    ),
  ];
}
