import type { Device } from '../../devices/device';
import { applyEdits } from '../../ntfs/bitmapPlan';
import { NoRoom } from '../../noRoom';
import type { Clusters } from './allocator';
import { roundUp } from './attribute';
import { makeFileRecord } from './fileRecord';
import { endFolders, reserveIndexRoom, ROOT } from './folders';
import { make } from './madeFiles';
import { bootSector, reserveRecord, makeSystemFiles, type Places } from './ownFiles';
import { fillUp, MAX_RUNS } from './reels';
import { FIRST_OF_USERS, StandInVolume, type NtfsSpec } from './volume';

const MAP_PIECE = 2 ** 20;
/** Records that a file in many pieces goes on in, at most. */
const SCATTERED_RECORDS = 8;

/**
 * Writes an NTFS 3.1 volume (domain facts 4) with made-up files and large ones, so that it is in use as a survey saw
 * it. The device holds nothing there yet.
 *
 * @param base byte of the device where the volume begins
 * @returns how many files it holds
 * @throws NoRoom
 */
export async function formatNtfs(device: Device, base: number, spec: NtfsSpec): Promise<number> {
  const volume = new StandInVolume(device, base, spec);
  const { clusterSize, made } = volume.spec;
  const boot = volume.whole(8192);
  if (boot.first !== 0) throw new NoRoom('clusters');
  const mirrorBytes = Math.max(4, clusterSize / volume.recordSize) * volume.recordSize;
  const mirror = volume.whole(mirrorBytes);
  // A record for every file, some that continue one, and enough for the large ones at the end.
  const buckets = volume.spec.map ? volume.spec.map.used.length : 260;
  const large = 2 * Math.ceil((buckets + 480) / MAX_RUNS) + 24;
  const most = roundUp(FIRST_OF_USERS + made.most + large + SCATTERED_RECORDS + 2, 64);
  const empty = spec.used === 'nothing but itself';
  const mft = empty ? withRoomToGrow(volume, most) : volume.whole(most * volume.recordSize);
  const mftMap = volume.clustersFor(roundUp(most / 8, 8));
  volume.folders.set('', { ref: ROOT, entries: [] });
  const sizes = makeSystemFiles(volume, { boot, mirror, mirrorBytes, mft, mftMap, most });
  for (const one of made.files) {
    make(volume, one);
    await volume.settle();
  }
  if (empty)
    for (const path of volume.folders.keys()) volume.indexRoom.set(path, reserveIndexRoom(volume, path, 0));
  else fillUp(volume, large);
  endFolders(volume);
  if (volume.next > most) throw new Error('more records than the $MFT has room for');
  if (!empty && volume.space.remaining > 0) throw new Error('clusters are left over');
  // Something may have lain here before.
  if (empty)
    for (const { first, count } of volume.space.given)
      await device.zero(base + first * clusterSize, count * clusterSize);
  for (let number = 12; number < FIRST_OF_USERS; number++) reserveRecord(volume, number);
  await bitmap(volume, sizes.bitmap);
  await writeAll(volume, { boot, mirror, mirrorBytes, mft, mftMap, most });
  return volume.files;
}

/** The `$MFT` with an eighth of the volume behind it that nobody else takes: it grows as files come. */
function withRoomToGrow(volume: StandInVolume, records: number): Clusters {
  const needed = Math.ceil((records * volume.recordSize) / volume.spec.clusterSize);
  const given = volume.whole(Math.max(needed, Math.floor(volume.clusters / 8)) * volume.spec.clusterSize);
  given.count = needed;
  volume.space.given.at(-1)!.count = needed;
  return given;
}

/** The map of clusters, piece by piece: of a large volume most of it is zeros, which are there already. */
async function bitmap(volume: StandInVolume, parts: readonly Clusters[]): Promise<void> {
  const size = 8 * Math.ceil(volume.clusters / 64);
  const beyond = { first: volume.clusters, count: 8 * size - volume.clusters };
  const given = [...volume.space.given, beyond].sort((a, b) => a.first - b.first);
  let next = 0;
  for (let at = 0; at < size; at += MAP_PIECE) {
    const bytes = new Uint8Array(Math.min(MAP_PIECE, size - at));
    const [from, end] = [8 * at, 8 * (at + bytes.length)];
    while (next < given.length && given[next]!.first + given[next]!.count <= from) next++;
    let any = false;
    for (let i = next; i < given.length && given[i]!.first < end; i++) {
      const { first, count } = given[i]!;
      applyEdits(bytes, from, [{ first, count, bit: 1 }]);
      any ||= count > 0;
    }
    if (any) await volume.put({ parts, bytes, at });
  }
}

async function writeAll(
  volume: StandInVolume,
  { boot, mirror, mirrorBytes, mft, mftMap, most }: Places,
): Promise<void> {
  const { sectorSize, totalSectors } = volume.spec;
  const map = new Uint8Array(roundUp(most / 8, 8));
  const table = new Uint8Array(most * volume.recordSize);
  for (let number = 0; number < most; number++) {
    const record =
      volume.records.get(number) ??
      makeFileRecord(volume.recordSize, {
        number,
        sequence: 1,
        links: 0,
        folder: false,
        used: false,
        attributes: [],
      });
    table.set(record, number * volume.recordSize);
    const used = volume.records.has(number) && (number < 16 || number >= FIRST_OF_USERS);
    if (used) map[number >> 3]! |= 1 << (number & 7);
  }
  for (let number = most; number < 8 * map.length; number++) map[number >> 3]! |= 1 << (number & 7);
  volume.contents.push({ parts: [mft], bytes: table });
  volume.contents.push({ parts: [mirror], bytes: table.slice(0, mirrorBytes) });
  volume.contents.push({ parts: mftMap, bytes: map });
  const sector = bootSector(volume, mft, mirror);
  volume.contents.push({ parts: [boot], bytes: sector });
  await volume.settle();
  const backup = new Uint8Array(volume.device.sectorSize);
  backup.set(sector.subarray(0, sectorSize));
  await volume.device.write(volume.base + totalSectors * sectorSize, backup);
}
