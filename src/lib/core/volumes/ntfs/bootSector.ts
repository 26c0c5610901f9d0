import { viewOf } from '../../bytes';
/** Facts of an NTFS boot sector (domain facts 4). Sizes in bytes unless the name says otherwise. */
export interface NtfsBoot {
  bytesPerSector: number;
  clusterSize: number;
  /** Sectors of the file system; the backup boot sector follows. */
  totalSectors: number;
  /** floor(total sectors / sectors per cluster). */
  clusters: number;
  mftCluster: number;
  recordSize: number;
  /** Start of the volume when it was formatted, in sectors. */
  hiddenSectors: number;
}

/** Reads the fields and holds them against each other; null where the sector can't be a boot sector of NTFS. */
export function parseNtfsBoot(bytes: Uint8Array): NtfsBoot | null {
  const view = viewOf(bytes);
  const bytesPerSector = view.getUint16(0x0b, true);
  const rawPerCluster = view.getUint8(0x0d);
  const sectorsPerCluster = rawPerCluster > 0x80 ? 2 ** (256 - rawPerCluster) : rawPerCluster;
  const clusterSize = bytesPerSector * sectorsPerCluster;
  const totalSectors = Number(view.getBigUint64(0x28, true));
  const mftCluster = Number(view.getBigUint64(0x30, true));
  const rawRecord = view.getInt8(0x40);
  const recordSize = rawRecord > 0 ? rawRecord * clusterSize : 2 ** -rawRecord;
  const clusters = Math.floor(totalSectors / sectorsPerCluster);

  const powerOfTwo = (value: number) => Number.isInteger(Math.log2(value));
  const plausible =
    [256, 512, 1024, 2048, 4096].includes(bytesPerSector) &&
    powerOfTwo(sectorsPerCluster) &&
    clusterSize <= 2 * 1024 * 1024 &&
    powerOfTwo(recordSize) &&
    recordSize >= 512 &&
    recordSize <= 65536 &&
    clusters > 0 &&
    clusters <= 2 ** 32 - 1 &&
    mftCluster < clusters;
  if (!plausible) return null;
  return {
    bytesPerSector,
    clusterSize,
    totalSectors,
    clusters,
    mftCluster,
    recordSize,
    hiddenSectors: view.getUint32(0x1c, true),
  };
}
