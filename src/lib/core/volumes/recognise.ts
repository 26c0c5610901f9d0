import { latin1 } from '../bytes';
import { FILE_SYSTEM_NAME } from '../disk';
import { ReadBeyondEnd, type ByteSource } from '../images/source';
import type { SurveyVolume } from '../survey/document';
import { findExfatBackup, findFatBackup, findNtfsBackup } from './backupSector';
import { isEncryptedVolume } from './encrypted';
import { readExfat, findSoundExfatBoot } from './exfat';
import { readFat } from './fat';
import { recogniseForeign } from './foreign';
import { parseNtfsBoot } from './ntfs/bootSector';
import { NtfsDamage } from './ntfs/volume';
import { readNtfs } from './ntfs/readNtfs';
import { takeFirstCharacters, mendText } from '../wellFormed';

/** Characters of a path that a survey keeps. */
const MAX_PATH = 300;

export interface Recognition {
  volume: SurveyVolume;
  /** Sentences on what could not be read or is odd, without the partition's name and without their full stop. */
  gaps: string[];
  /** Presence of a folder \Windows; null: that could not be read. */
  holdsWindows: boolean | null;
  /** A hibernated system sleeps in it; null: that could not be read. */
  hibernated: boolean | null;
}

/** OEM names at byte 3 of a boot sector (domain facts 4 and 5). */
const OEM: Record<string, 'ntfs' | 'exfat' | 'refs'> = {
  'NTFS    ': 'ntfs',
  'EXFAT   ': 'exfat',
  'ReFS\0\0\0\0': 'refs',
};

/**
 * Says what a partition holds from its own first bytes, or where those are damaged from the backup of its boot sector.
 * What can't be read is named, not guessed: a volume that is recognised but damaged keeps its kind and loses its
 * figures. Whatever it holds, the disk around it is not refused for it.
 *
 * @param source the partition's bytes
 * @param sectorSize the disk's, to which sizes are rounded down
 */
export async function recogniseVolume(
  source: ByteSource,
  sectorSize: number,
  progress: (share: number) => void,
): Promise<Recognition> {
  const place: Place = {
    source,
    sectorSize,
    whole: Math.floor(source.size / sectorSize) * sectorSize,
    progress,
  };
  try {
    const found = await recognise(place);
    return fitted(found, place);
  } catch (error) {
    if (!(error instanceof ReadBeyondEnd)) throw error;
    return only(
      bare('unknown', place.whole),
      'its structures point outside of it, so nothing in it is believed',
    );
  }
}

interface Place {
  source: ByteSource;
  sectorSize: number;
  /** Bytes, a whole number of the disk's sectors. */
  whole: number;
  progress: (share: number) => void;
}

/** Volume that was found, and the bytes that its file system takes for a sector. */
interface Found extends Recognition {
  bytesPerSector?: number;
}

async function recognise(place: Place): Promise<Found> {
  const { source, whole } = place;
  const boot = await source.read(0, Math.min(512, source.size));
  if (boot.length < 512) return only(bare('unknown', whole), 'it is smaller than any file system');
  if (await isEncryptedVolume(source, boot)) {
    return blind(
      { ...bare('encrypted', whole), encryption: { state: 'on', percent: 100, usedOnly: true } },
      'it is encrypted, so what it holds can’t be read from outside',
    );
  }
  switch (OEM[latin1(boot.subarray(3, 11))]) {
    case 'ntfs':
      return ntfs(place, boot);
    case 'exfat':
      return exfat(place);
    case 'refs':
      return only(bare('refs', whole), 'its ReFS figures are not read');
  }
  const fat = await fatOf(place, boot, null);
  if (fat) return fat;
  const foreign = await recogniseForeign(source);
  if (foreign) return only(bare('unknown', whole), `it holds ${foreign}, which is not read here`);
  return (
    (await byBackup(place, boot)) ??
    only(bare('unknown', whole), 'it holds no file system that is known here')
  );
}

async function ntfs(place: Place, boot: Uint8Array): Promise<Found> {
  try {
    return await ntfsOf(place, boot, null);
  } catch (error) {
    if (!isDamage(error)) throw error;
    // One that passes the end of its partition is no damage of the sector: an old backup within would only hide it.
    const told = parseNtfsBoot(boot);
    const tooLarge = told !== null && told.totalSectors * told.bytesPerSector > place.source.size;
    const backup = tooLarge ? null : await findNtfsBackup(place.source, place.sectorSize, boot);
    const found = backup && (await tried(() => ntfsOf(place, backup.sector, backup.at)));
    const reason = error instanceof NtfsDamage ? error.message : 'its structures point outside of it';
    return found ?? blind(bare('ntfs', place.whole), `its NTFS can't be read: ${reason}`);
  }
}

async function exfat(place: Place): Promise<Found> {
  const { source, whole } = place;
  const boot = await findSoundExfatBoot(source);
  const facts = boot && (await readExfat(source, boot.sector));
  if (!boot || !facts)
    return only(bare('exfat', whole), 'its exFAT can’t be read: the boot sector holds impossible values');
  return exfatOf(facts, boot.backupAt);
}

function exfatOf(
  { bytesPerSector, ...facts }: NonNullable<Awaited<ReturnType<typeof readExfat>>>,
  backupAt: number | null,
): Found {
  const gap = facts.used === null ? 'its used space was not counted' : null;
  return { ...byWay({ fileSystem: 'exfat', ...facts }, backupAt, gap), bytesPerSector };
}

async function fatOf({ source }: Place, boot: Uint8Array, backupAt: number | null): Promise<Found | null> {
  const fat = await readFat(source, boot);
  if (!fat) return null;
  const { bytesPerSector, ...facts } = fat;
  return {
    ...byWay(facts, backupAt, facts.used === null ? 'its used space was not counted' : null),
    bytesPerSector,
  };
}

async function ntfsOf(
  { source, progress }: Place,
  boot: Uint8Array,
  backupAt: number | null,
): Promise<Found> {
  const facts = await readNtfs(source, boot, progress);
  const { clusterSize, immovable } = facts;
  const volume: SurveyVolume = {
    fileSystem: 'ntfs',
    label: facts.label,
    clusterSize,
    size: facts.size,
    used: facts.usedClusters * clusterSize,
    lastUsed: (facts.lastUsedCluster + 1) * clusterSize,
    ...(immovable === null
      ? {}
      : {
          lastImmovable: immovable.end * clusterSize,
          immovableFile: takeFirstCharacters(mendText(immovable.file), MAX_PATH),
        }),
    dirty: facts.dirty,
    encryption: { state: 'off', percent: 0, usedOnly: true },
    clusterMap: facts.map,
  };
  const found = byWay(volume, backupAt, null);
  const { bytesPerSector, holdsWindows, hibernated } = facts;
  return { ...found, gaps: [...found.gaps, ...facts.unread], bytesPerSector, holdsWindows, hibernated };
}

/** A volume whose first sectors tell nothing: a backup of its boot sector may, where what it names is really there. */
async function byBackup(place: Place, boot: Uint8Array): Promise<Found | null> {
  const { source, sectorSize } = place;
  const ofExfat = await findExfatBackup(source);
  const facts = ofExfat && (await readExfat(source, ofExfat.sector));
  if (facts) return exfatOf(facts, ofExfat.at);
  const ofFat = await findFatBackup(source);
  const fat = ofFat && (await fatOf(place, ofFat.sector, ofFat.at));
  if (fat) return fat;
  const ofNtfs = await findNtfsBackup(source, sectorSize, boot);
  return ofNtfs && tried(() => ntfsOf(place, ofNtfs.sector, ofNtfs.at));
}

async function tried(read: () => Promise<Found>): Promise<Found | null> {
  try {
    return await read();
  } catch (error) {
    if (isDamage(error)) return null;
    throw error;
  }
}

/**
 * A file system whose sectors or clusters are no whole number of the disk's can't be what Windows opens on this disk,
 * and its size would be no whole number of sectors: it stays unknown (domain facts 4 and 5).
 */
function fitted(found: Found, { sectorSize, whole }: Place): Recognition {
  const { bytesPerSector, volume, ...rest } = found;
  if (bytesPerSector === undefined || bytesPerSector === sectorSize) return { volume, ...rest };
  const clusterSize = volume.clusterSize ?? 0;
  const fits =
    bytesPerSector > sectorSize && clusterSize % sectorSize === 0 && volume.size % sectorSize === 0;
  if (fits) {
    const gap = `its file system has sectors of ${bytesPerSector} bytes, the disk has ${sectorSize}; Windows may not open it here`;
    return { volume, ...rest, gaps: [gap, ...rest.gaps] };
  }
  return only(
    bare('unknown', whole),
    `it holds a file system (${FILE_SYSTEM_NAME[volume.fileSystem]}) with sectors of ${bytesPerSector} bytes and clusters of ${clusterSize}, which do not fit the disk’s sectors of ${sectorSize}; it is taken for unknown`,
  );
}

const bare = (fileSystem: SurveyVolume['fileSystem'], size: number): SurveyVolume => ({
  fileSystem,
  size,
  used: null,
});

const only = (volume: SurveyVolume, gap: string | null): Found => ({
  volume,
  gaps: gap === null ? [] : [gap],
  holdsWindows: false,
  hibernated: false,
});

/** A volume that was not looked into: whether it holds a system is not known. */
const blind = (volume: SurveyVolume, gap: string): Found => ({
  ...only(volume, gap),
  holdsWindows: null,
  hibernated: null,
});

const isDamage = (error: unknown): boolean => error instanceof NtfsDamage || error instanceof ReadBeyondEnd;

/** The same, and that its figures come by way of the backup boot sector, where they do. */
function byWay(volume: SurveyVolume, backupAt: number | null, gap: string | null): Found {
  const found = only(backupAt === null ? volume : { ...volume, bootSector: 'backup' }, gap);
  if (backupAt === null) return found;
  const way = `its boot sector is damaged; the backup boot sector (sector ${backupAt} of the partition) is sound and was used`;
  return { ...found, gaps: [way, ...found.gaps] };
}
