import type { ByteSource } from '../images/source';
import type { SurveyVolume } from '../survey/types';
import { readFat } from './fat';
import { NtfsDamage } from './ntfs/volume';
import { readNtfs } from './ntfs/readNtfs';

export interface Recognition {
  volume: SurveyVolume;
  /** What could not be read, as a sentence without the partition's name. */
  gap: string | null;
}

/** OEM names at byte 3 of a boot sector (domain facts 4 and 5). */
const OEM: Record<string, 'ntfs' | 'exfat' | 'refs' | 'encrypted'> = {
  'NTFS    ': 'ntfs',
  'EXFAT   ': 'exfat',
  'ReFS\0\0\0\0': 'refs',
  '-FVE-FS-': 'encrypted',
};

/**
 * Says what a partition holds from its own first bytes. What can't be read is named, not guessed: a volume
 * that is recognised but damaged keeps its kind and loses its figures.
 *
 * @param source the partition's bytes
 * @param sectorSize the disk's, to which sizes are rounded down
 */
export async function recogniseVolume(
  source: ByteSource,
  sectorSize: number,
  progress: (share: number) => void,
): Promise<Recognition> {
  const whole = Math.floor(source.size / sectorSize) * sectorSize;
  const boot = await source.read(0, Math.min(512, source.size));
  const kind = OEM[new TextDecoder('latin1').decode(boot.subarray(3, 11))];
  if (kind === 'ntfs') {
    try {
      const facts = await readNtfs(source, progress);
      return {
        volume: {
          fileSystem: 'ntfs',
          label: facts.label,
          clusterSize: facts.clusterSize,
          size: facts.size,
          used: facts.usedClusters * facts.clusterSize,
          lastUsed: (facts.lastUsedCluster + 1) * facts.clusterSize,
          dirty: facts.dirty,
          encryption: { state: 'off', percent: 0, usedOnly: true },
        },
        gap: null,
      };
    } catch (error) {
      if (!(error instanceof NtfsDamage)) throw error;
      return { volume: bare('ntfs', whole), gap: `its NTFS can't be read: ${error.message}` };
    }
  }
  if (kind === 'encrypted') {
    return {
      volume: { ...bare('encrypted', whole), encryption: { state: 'on', percent: 100, usedOnly: true } },
      gap: 'it is encrypted, so what it holds can’t be read from outside',
    };
  }
  if (kind) return { volume: bare(kind, whole), gap: `its ${kind} figures are not read` };
  const fat = await readFat(source);
  if (fat) {
    const { used, ...rest } = fat;
    return {
      volume: { ...rest, used, dirty: false },
      gap: used === null ? 'its used space was not counted' : null,
    };
  }
  return { volume: bare('unknown', whole), gap: 'it holds no file system that is known here' };
}

const bare = (fileSystem: SurveyVolume['fileSystem'], size: number): SurveyVolume => ({
  fileSystem,
  size,
  used: null,
});
