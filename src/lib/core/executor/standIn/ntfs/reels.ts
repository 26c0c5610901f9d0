import { countOf, runsOf, type Clusters } from './allocator';
import { makeNonResident, resident, TYPE } from './attribute';
import { FILE } from './fileRecord';
import { reserveIndexRoom } from './folders';
import type { StandInVolume } from './volume';

/** Runs that a record of a large file holds for sure. */
export const MAX_RUNS = 55;
const MAX_MARKERS = 400;
/** The folder of the large files. */
const REELS = '/Recordings';

/** All that is still to be in use goes to large files that hold nothing but a mark here and there. */
export function fillUp(volume: StandInVolume, most: number): void {
  const ref = volume.newRef();
  volume.folders.set(REELS, { ref, entries: [] });
  volume.nameIn('', REELS.slice(1), ref, { allocated: 0, size: 0, flags: FILE.folder });
  // The indexes of all folders need room before everything is given away.
  const reels = Math.ceil(most + volume.between.length / MAX_RUNS);
  for (const path of volume.folders.keys())
    volume.indexRoom.set(path, reserveIndexRoom(volume, path, path === REELS ? reels : 0));
  const parts = [
    ...volume.between.sort((a, b) => a.first - b.first),
    ...volume.space.takeLast(Math.floor(volume.space.remaining / 20)),
    ...volume.space.take(volume.space.remaining),
  ];
  const total = countOf(parts);
  // By size, as many as half of the records allow; the other half is for those that end because of their runs.
  const size = Math.max(1, Math.ceil((2 * total) / most));
  let file: Clusters[] = [];
  let number = 0;
  const end = () => {
    if (file.length > 0) large(volume, `reel ${String(++number).padStart(4, '0')}.rec`, file, total);
    file = [];
  };
  for (const part of parts) {
    for (let { first, count } = part; count > 0;) {
      const here = Math.min(count, Math.max(1, size - countOf(file)));
      file.push({ first, count: here });
      first += here;
      count -= here;
      if (countOf(file) >= size || file.length >= MAX_RUNS) end();
    }
  }
  end();
}

function large(volume: StandInVolume, name: string, parts: readonly Clusters[], total: number): void {
  const { clusterSize } = volume.spec;
  const ref = volume.newRef();
  const count = countOf(parts);
  const allocated = count * clusterSize;
  const size = allocated - Math.floor(volume.random() * (clusterSize - 64));
  volume.files++;
  const key = volume.nameIn(REELS, name, ref, { allocated, size, flags: FILE.archive });
  const data = makeNonResident(TYPE.data, runsOf(parts), { allocated, size, initialised: size });
  volume.record(ref, false, [volume.standard(FILE.archive), resident(TYPE.name, key, '', true), data]);
  const marks = Math.max(1, Math.round((MAX_MARKERS * count) / total));
  for (let i = 0; i < marks; i++) {
    const at = Math.floor((i * count) / marks);
    const text = `Saltmarsh Bench, ${REELS}/${name}, mark ${i + 1} of ${marks} at cluster ${at}.\n`;
    volume.contents.push({ parts, at: at * clusterSize, bytes: new TextEncoder().encode(text) });
  }
}
