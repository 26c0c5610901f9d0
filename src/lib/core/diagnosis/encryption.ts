import { copyTime, decryptBytes, isEncrypted } from '../tools';
import { nameInSentence, type Disk, type EncryptionState, type Partition } from '../disk';
import type { Finding, Remedy } from '../finding';
import { formatDuration, formatSize } from '../units';
import type { Situation } from './situation';

const MOVERS = ['live-mover', 'offline-mover'];

type Encrypted = Exclude<EncryptionState, 'off'>;

const STATE: Record<Encrypted, { title: (name: string, percent: number) => string; still: string }> = {
  on: {
    title: (name) => `${name} is encrypted`,
    still: 'Windows shrinks and extends it as it is, unlocked.',
  },
  suspended: {
    title: (name) => `${name} is encrypted, with its protection suspended`,
    still:
      'Suspended is still encrypted: only the key lies open. Windows shrinks and extends it as it is, unlocked.',
  },
  encrypting: {
    title: (name, percent) => `${name} is being encrypted (${percent} % so far)`,
    still: 'Let it finish, or turn it back, before its size is changed by anything, Windows included.',
  },
  decrypting: {
    title: (name, percent) => `${name} is still being decrypted (${percent} % left)`,
    still:
      'It counts as encrypted to the last percent: nothing changes its size before that, Windows included.',
  },
};

/** The target's own encryption, in whichever state; a locked target is among what blocks. */
export function findTargetEncryption({ disk, target }: Situation): Finding[] {
  const volume = target.volume;
  if (!volume || !isEncrypted(target) || volume.fileSystem === 'encrypted') return [];
  const { state, percent } = volume.encryption;
  const busy = state === 'encrypting' || state === 'decrypting';
  return [
    {
      code: `encryption-${state}`,
      severity: busy ? 'costs' : 'note',
      partitions: [target.number],
      title: STATE[state as Encrypted].title(nameInSentence(target), percent),
      detail: `${encryptionText(disk, target)} They can still shift what stands behind it.`,
      remedies: [
        ...(busy ? [] : [{ title: 'Let Windows do the last step', tools: ['windows'] }]),
        ...(state === 'encrypting' ? [{ title: 'Wait until it is encrypted', tools: ['windows'] }] : []),
        ...decryptRemedy(state as Encrypted, 'Decrypt it fully'),
      ],
    },
  ];
}

/** An encrypted partition between the target and room. */
export function describeEncryptedObstacle(disk: Disk, partition: Partition): Finding {
  const state = partition.volume!.encryption.state as Encrypted;
  return {
    code: 'obstacle-encrypted',
    severity: 'costs',
    partitions: [partition.number],
    title: `${STATE[state].title(nameInSentence(partition), partition.volume!.encryption.percent)}, and an obstacle`,
    detail: encryptionText(disk, partition),
    remedies: decryptRemedy(state, 'Decrypt it fully, then move it'),
  };
}

/** Abilities with it on, and the time of a full decryption (domain facts 5, 7 and 8). */
function encryptionText(disk: Disk, partition: Partition): string {
  const volume = partition.volume!;
  const { state } = volume.encryption;
  const bytes = decryptBytes(volume);
  const time = formatDuration(copyTime(bytes, disk.media));
  const left = state === 'decrypting' ? 'what is left' : 'a full decryption';
  const locked = volume.fileSystem === 'encrypted';
  const still = locked
    ? 'It is locked as surveyed, so nothing is known of what it holds; unlocked, Windows can resize it.'
    : STATE[state as Encrypted].still;
  return `${still} Movers leave it alone until it is fully decrypted; ${left} goes through ${formatSize(bytes)} and takes about ${time}.`;
}

function decryptRemedy(state: Encrypted, title: string): Remedy[] {
  if (state === 'decrypting') return [{ title: 'Wait until it is decrypted', tools: ['windows', ...MOVERS] }];
  return [{ title, tools: ['windows', ...MOVERS] }];
}
