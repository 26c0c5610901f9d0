import type { ByteSource } from '../images/source';
import type { SurveyVolume } from '../survey/document';
import { readExfat } from './exfat';
import { readFat } from './fat';
import { NtfsDamage } from './ntfs/volume';
import { readNtfs } from './ntfs/readNtfs';

export interface Recognition {
  volume: SurveyVolume;
  /** What could not be read, as a sentence without the partition's name. */
  gap: string | null;
  /** There is a folder \Windows in it. */
  holdsWindows: boolean;
  /** A hibernated system sleeps in it. */
  hibernated: boolean;
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
          clusterMap: facts.map,
        },
        gap: null,
        holdsWindows: facts.holdsWindows,
        hibernated: facts.hibernated,
      };
    } catch (error) {
      if (!(error instanceof NtfsDamage)) throw error;
      return only(bare('ntfs', whole), `its NTFS can't be read: ${error.message}`);
    }
  }
  if (kind === 'encrypted') {
    return only(
      { ...bare('encrypted', whole), encryption: { state: 'on', percent: 100, usedOnly: true } },
      'it is encrypted, so what it holds can’t be read from outside',
    );
  }
  if (kind === 'exfat') {
    const facts = await readExfat(source);
    if (!facts)
      return only(bare('exfat', whole), 'its exFAT can’t be read: the boot sector holds impossible values');
    return only(
      { fileSystem: 'exfat', ...facts },
      facts.used === null ? 'its used space was not counted' : null,
    );
  }
  if (kind === 'refs') return only(bare('refs', whole), 'its ReFS figures are not read');
  const fat = await readFat(source);
  if (fat) {
    const { used, ...rest } = fat;
    return only({ ...rest, used, dirty: false }, used === null ? 'its used space was not counted' : null);
  }
  return only(bare('unknown', whole), 'it holds no file system that is known here');
}

const bare = (fileSystem: SurveyVolume['fileSystem'], size: number): SurveyVolume => ({
  fileSystem,
  size,
  used: null,
});

const only = (volume: SurveyVolume, gap: string | null): Recognition => ({
  volume,
  gap,
  holdsWindows: false,
  hibernated: false,
});
