import { viewOf } from '../../../bytes';
import { randomFrom } from '../../../random';
import { countOf, runsOf, type Clusters } from './allocator';
import { makeNonResident, resident, roundUp, TYPE, units, type StandInAttribute } from './attribute';
import { FILE, makeFileRecord, type Ref } from './fileRecord';
import { INDEX_BLOCK } from './folders';
import { buildIndex, type IndexEntry } from './index';
import { makeAttributeDefinitions, security } from './system';
import type { StandInVolume } from './volume';

const LOG_BYTES = 2 * 2 ** 20;

/** Places of the file system's own files that others are found by. */
export interface Places {
  boot: Clusters;
  mirror: Clusters;
  mirrorBytes: number;
  mft: Clusters;
  mftMap: Clusters[];
  /** Records that the $MFT has room for. */
  most: number;
}

/** The file system's own files, but for the root folder, which is written when all its names are known. */
export function makeSystemFiles(volume: StandInVolume, places: Places): { bitmap: Clusters[] } {
  const { clusterSize, label } = volume.spec;
  const { boot, mirror, mirrorBytes, mft, mftMap, most } = places;
  const size = (clusters: readonly Clusters[], bytes: number) => ({
    allocated: countOf(clusters) * clusterSize,
    size: bytes,
    initialised: bytes,
  });
  const at = (clusters: readonly Clusters[], bytes: number, type: number = TYPE.data) =>
    makeNonResident(type, runsOf(clusters), size(clusters, bytes));
  own(
    volume,
    0,
    '$MFT',
    [at([mft], most * volume.recordSize), at(mftMap, roundUp(most / 8, 8), TYPE.bitmap)],
    most * volume.recordSize,
  );
  own(volume, 1, '$MFTMirr', [at([mirror], mirrorBytes)], mirrorBytes);
  const log = volume.clustersFor(LOG_BYTES);
  volume.contents.push({ parts: log, bytes: new Uint8Array(LOG_BYTES).fill(0xff) });
  own(volume, 2, '$LogFile', [at(log, LOG_BYTES)], LOG_BYTES);
  const version = Uint8Array.of(0, 0, 0, 0, 0, 0, 0, 0, 3, 1, 0, 0);
  own(volume, 3, '$Volume', [
    resident(TYPE.volumeName, units(label.slice(0, 32))),
    resident(TYPE.volumeInformation, version),
    resident(TYPE.data, new Uint8Array(0)),
  ]);
  const definitions = makeAttributeDefinitions();
  own(volume, 4, '$AttrDef', [volume.stream(TYPE.data, definitions)], definitions.length);
  const bitmapBytes = 8 * Math.ceil(volume.clusters / 64);
  const bitmap = volume.clustersFor(bitmapBytes);
  own(volume, 6, '$Bitmap', [at(bitmap, bitmapBytes)], bitmapBytes);
  own(volume, 7, '$Boot', [at([boot], 8192)], 8192);
  const all = volume.clusters * clusterSize;
  const bad = [{ vcn: 0, lcn: null, clusters: volume.clusters }];
  own(volume, 8, '$BadClus', [
    resident(TYPE.data, new Uint8Array(0)),
    makeNonResident(TYPE.data, bad, { allocated: all, size: all, initialised: 0 }, { name: '$Bad' }),
  ]);
  const { stream, byHash, byId } = security();
  const view = (entry: IndexEntry, collation: number) =>
    buildIndex([entry], { type: 0, collation, blockSize: INDEX_BLOCK, clusterSize, room: 512 }).root;
  own(volume, 9, '$Secure', [
    volume.stream(TYPE.data, stream, '$SDS'),
    resident(TYPE.root, view(byHash, 0x12), '$SDH'),
    resident(TYPE.root, view(byId, 0x10), '$SII'),
  ]);
  own(volume, 10, '$UpCase', [volume.stream(TYPE.data, volume.upcase)], volume.upcase.length);
  const extend: Ref = { number: 11, sequence: 11 };
  volume.folders.set('/$Extend', { ref: extend, entries: [] });
  volume.nameIn('', '$Extend', extend, {
    allocated: 0,
    size: 0,
    flags: FILE.hidden | FILE.system | FILE.folder,
  });
  return { bitmap };
}

function own(
  volume: StandInVolume,
  number: number,
  name: string,
  attributes: StandInAttribute[],
  size = 0,
): void {
  const ref = { number, sequence: Math.max(1, number) };
  const flags = FILE.hidden | FILE.system;
  const key = volume.nameIn('', name, ref, {
    allocated: roundUp(size, volume.spec.clusterSize),
    size,
    flags,
  });
  volume.record(ref, false, [volume.standard(flags), resident(TYPE.name, key, '', true), ...attributes]);
}

/** Records that are set apart: some in use without a name, as every formatter leaves them, some free. */
export function reserveRecord(volume: StandInVolume, number: number): void {
  const used = number < 16;
  const attributes = used
    ? [volume.standard(FILE.hidden | FILE.system), resident(TYPE.data, new Uint8Array(0))]
    : [];
  const facts = { number, sequence: number, links: 0, folder: false, used, attributes };
  volume.records.set(number, makeFileRecord(volume.recordSize, facts));
}

/** The first sector of the volume; its backup is the same. */
export function bootSector(volume: StandInVolume, mft: Clusters, mirror: Clusters): Uint8Array {
  const { sectorSize, clusterSize, totalSectors, hiddenSectors, seed } = volume.spec;
  const bytes = new Uint8Array(sectorSize);
  const view = viewOf(bytes);
  const small = (size: number) => (size >= clusterSize ? size / clusterSize : 256 - Math.log2(size));
  const perCluster = clusterSize / sectorSize;
  bytes.set([0xeb, 0x52, 0x90]);
  bytes.set(new TextEncoder().encode('NTFS    '), 3);
  view.setUint16(0x0b, sectorSize, true);
  bytes[0x0d] = perCluster <= 128 ? perCluster : 256 - Math.log2(perCluster);
  bytes[0x15] = 0xf8;
  view.setUint16(0x18, 63, true);
  view.setUint16(0x1a, 255, true);
  view.setUint32(0x1c, hiddenSectors % 2 ** 32, true);
  view.setUint32(0x24, 0x00800080, true);
  view.setBigUint64(0x28, BigInt(totalSectors), true);
  view.setBigUint64(0x30, BigInt(mft.first), true);
  view.setBigUint64(0x38, BigInt(mirror.first), true);
  bytes[0x40] = small(volume.recordSize);
  bytes[0x44] = small(INDEX_BLOCK);
  view.setUint32(0x48, Math.floor(randomFrom(seed)() * 2 ** 32), true);
  view.setUint32(0x4c, 0x47544944, true);
  view.setUint16(510, 0xaa55, true);
  return bytes;
}
