import { viewOf } from '../../../bytes';
import { NoRoom } from '../../noRoom';
import { countOf, runsOf, type Clusters } from './allocator';
import { makeNonResident, resident, roundUp, TYPE, type StandInAttribute } from './attribute';
import { FILE, fileName, putRef, roomIn, type Ref } from './fileRecord';
import { buildIndex } from './index';
import type { StandInFolder, StandInVolume } from './volume';

export const ROOT: Ref = { number: 5, sequence: 5 };
export const INDEX_BLOCK = 4096;

/** Enough for a folder's index, with so many names more than it has now. */
export function reserveIndexRoom(volume: StandInVolume, path: string, later: number): Clusters[] {
  const { entries } = volume.folders.get(path)!;
  const bytes = entries.reduce((sum, { key }) => sum + roundUp(0x10 + key.length, 8) + 8, 0) + later * 0x80;
  if (bytes < rootRoom(volume) - 64) return [];
  const blocks = Math.ceil(bytes / 2600) + 2;
  return volume.clustersFor(blocks * INDEX_BLOCK);
}

function rootRoom(volume: StandInVolume): number {
  return Math.min(600, roomIn(volume.recordSize) - 0x60 - 0x110);
}

/** Every folder with its index: all names are known by now. */
export function endFolders(volume: StandInVolume): void {
  for (const [path, { ref, entries }] of volume.folders) {
    if (path === '') {
      const key = fileName({
        parent: ROOT,
        name: '.',
        times: volume.times,
        allocated: 0,
        size: 0,
        flags: FILE.hidden | FILE.system | FILE.folder,
      });
      entries.push({ name: '.', ref: ROOT, key });
    }
    endFolder(volume, path, ref, entries);
  }
}

function endFolder(volume: StandInVolume, path: string, ref: Ref, entries: StandInFolder['entries']): void {
  const { clusterSize } = volume.spec;
  const sorted = [...entries].sort((a, b) => volume.order(a.name, b.name));
  const index = buildIndex(
    sorted.map(({ ref: to, key }) => ({ head: headOf(to), key })),
    { type: TYPE.name, collation: 1, blockSize: INDEX_BLOCK, clusterSize, room: rootRoom(volume) },
  );
  const cut = path.lastIndexOf('/');
  const key =
    path === ''
      ? entries.at(-1)!.key
      : volume.folders.get(path.slice(0, cut))!.entries.find((one) => one.ref.number === ref.number)!.key;
  const flags = path === '' || path === '/$Extend' ? FILE.hidden | FILE.system : 0;
  const attributes = [
    volume.standard(flags),
    resident(TYPE.name, key, '', true),
    resident(TYPE.root, index.root, '$I30'),
  ];
  const room = volume.indexRoom.get(path) ?? [];
  if (index.blocks.length > 0 || room.length > 0) attributes.push(...indexBlocks(volume, index.blocks, room));
  volume.record(ref, true, attributes);
}

function indexBlocks(
  volume: StandInVolume,
  blocks: readonly Uint8Array[],
  parts: readonly Clusters[],
): StandInAttribute[] {
  const { clusterSize } = volume.spec;
  const allocated = countOf(parts) * clusterSize;
  const count = Math.floor(allocated / INDEX_BLOCK);
  if (blocks.length > count) throw new NoRoom('clusters');
  const bytes = new Uint8Array(blocks.length * INDEX_BLOCK);
  const map = new Uint8Array(roundUp(Math.max(1, count / 8), 8));
  blocks.forEach((block, i) => {
    bytes.set(block, i * INDEX_BLOCK);
    map[i >> 3]! |= 1 << (i & 7);
  });
  volume.contents.push({ parts, bytes });
  const size = count * INDEX_BLOCK;
  return [
    makeNonResident(TYPE.blocks, runsOf(parts), { allocated, size, initialised: size }, { name: '$I30' }),
    resident(TYPE.bitmap, map, '$I30'),
  ];
}

function headOf(ref: Ref): Uint8Array {
  const head = new Uint8Array(8);
  putRef(viewOf(head), 0, ref);
  return head;
}
