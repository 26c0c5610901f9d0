import { OFFLINE_MOVER, WINDOWS, canDecrypt, canExtend, sizeLimit } from '../tools';
import { FILE_SYSTEM_NAME, bytesOf, endOf, nameInSentence } from '../disk';
import type { Finding } from '../finding';
import { CONVERT, isConvertible } from '../planning';

import { formatShare, formatSize, GIB } from '../units';
import { note } from './note';
import type { Situation } from './situation';

/** A volume with this share free is not short of room by anybody's measure. */
const AMPLE = 1 / 3;
/** Unallocated space that would make a useful volume of its own. */
const WORTH_A_VOLUME = 10 * GIB;

/** Findings on the target itself: whether it needs room at all, and how far it can go. */
export function findTargetFindings(situation: Situation): Finding[] {
  return [...largeEnough(situation), ...windowsCannotGrow(situation), ...nearClusterLimit(situation)];
}

const isAmple = ({ disk, target }: Situation): boolean => {
  const used = target.volume?.used;
  const size = bytesOf(disk, target);
  return used != null && size - used >= size * AMPLE;
};

function largeEnough(situation: Situation): Finding[] {
  if (!isAmple(situation)) return [];
  const { disk, target } = situation;
  const size = bytesOf(disk, target);
  const free = size - target.volume!.used!;
  const name = nameInSentence(target);
  return [
    note(
      'large-enough',
      [target],
      `${name} has room already`,
      `${formatSize(free)} of its ${formatSize(size)} is free (${formatShare(free, size)}). If it feels slow or complains, look for another cause before its size is changed.`,
    ),
  ];
}

function windowsCannotGrow({ disk, target }: Situation): Finding[] {
  if (canExtend(WINDOWS, target) || !canExtend(OFFLINE_MOVER, target)) return [];
  const system = FILE_SYSTEM_NAME[target.volume!.fileSystem];
  return [
    {
      ...note(
        'windows-cannot-grow',
        [target],
        `Windows itself does not extend ${nameInSentence(target)}`,
        `Its file system is ${system}; Windows extends NTFS and ReFS. A mover extends ${system} as well.`,
      ),
      severity: 'costs',
      remedies: [
        { title: 'Extend it with a mover', tools: ['live-mover', 'offline-mover'] },
        ...(isConvertible(disk, target) ? [CONVERT] : []),
      ],
    },
  ];
}

function nearClusterLimit({ disk, target }: Situation): Finding[] {
  const limit = sizeLimit(disk, target);
  const toTheEnd = (endOf(disk.usableRelocated) - target.first) * disk.sectorSize;
  if (limit === null || limit.bytes >= toTheEnd) return [];
  const why =
    limit.by === 'sectors'
      ? `Its file system counts its sectors in 32 bits, whatever its clusters. A larger volume needs another file system.`
      : `Its file system counts clusters of ${formatSize(target.volume!.clusterSize)}, and there it runs out of numbers for them. Larger clusters need a new file system.`;
  return [
    note(
      limit.by === 'sectors' ? 'sector-limit' : 'cluster-limit',
      [target],
      `${nameInSentence(target)} can never pass ${formatSize(limit.bytes)}`,
      why,
    ),
  ];
}

/** Room that serves better by itself: the target needs none, or can't take any. */
export function findOwnVolume(situation: Situation): Finding[] {
  const { disk, target, gaps } = situation;
  const [largest] = [...gaps].sort((a, b) => b.sectors - a.sectors);
  if (!largest || bytesOf(disk, largest) < WORTH_A_VOLUME) return [];
  if (target.volume?.bootSectorDamaged) return [];
  const decrypted = canDecrypt(target);
  const grows = canExtend(WINDOWS, target, { decrypted }) || canExtend(OFFLINE_MOVER, target, { decrypted });
  if (grows && !isAmple(situation)) return [];
  const name = nameInSentence(target);
  return [
    {
      ...note(
        'room-own-volume',
        [],
        `${formatSize(bytesOf(disk, largest))} would serve better as a volume of its own`,
        grows
          ? `${name} does not need it. A new volume takes it as it is, and nothing has to be moved.`
          : `${name} cannot take it. A new volume can, as it is, and files can move over from ${name}.`,
      ),
      remedies: [{ title: 'Make a new volume there', tools: ['windows', 'live-mover', 'offline-mover'] }],
    },
  ];
}
