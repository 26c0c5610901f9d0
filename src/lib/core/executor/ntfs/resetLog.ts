import { ATTRIBUTE } from '../../volumes/ntfs/record';
import type { NtfsVolume } from '../../volumes/ntfs/volume';
import { isAll, type Device } from '../devices/device';
import type { Operation, DiskPlace } from '../plan';
import { RECORD } from './ownershipScan';

const PIECE = 2 ** 20;

/** Fills `$LogFile` with 0xFF, unless that is what it holds: an empty log asks for nothing to be done again. */
export async function resetLog(
  on: DiskPlace,
  disk: Device,
  volume: NtfsVolume,
  base: number,
): Promise<Operation[]> {
  const log = await volume.stream(RECORD.log, ATTRIBUTE.data);
  if (!('runs' in log.content)) return [];
  const { clusterSize } = volume.boot;
  const places = log.content.runs.flatMap(({ lcn, clusters }) =>
    lcn === null ? [] : [{ offset: base + lcn * clusterSize, length: clusters * clusterSize }],
  );
  for (const { offset, length } of places) {
    for (let at = 0; at < length; at += PIECE) {
      const bytes = await disk.read(offset + at, Math.min(PIECE, length - at));
      if (!isAll(bytes, 0xff))
        return places.map((one): Operation => ({ op: 'fill', on, ...one, byte: 0xff }));
    }
  }
  return [];
}
