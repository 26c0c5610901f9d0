import { viewOf } from '../../bytes';
import { NoRoom } from '../noRoom';
import type { SectorEdits } from '../sectorEdits';
import type { Relocated } from '../plan';
import type { FreeSpace } from '../ntfs/freeSpace';
import type { FreeRun } from '../ntfs/bitmapPlan';
import { endFrom, FatDamage, isBad, type FatVolume } from './fatVolume';

const UNIT = 512;
/** Offsets of the first cluster in an entry of a folder: high half (FAT32 only) and low half. */
export const FIRST_AT = { high: 20, low: 26 } as const;

/** Clusters of chains in other places. */
export interface FatRelocation {
  /** Triples of from, to, length, in clusters as they are numbered. */
  moves: number[];
  /** New numbers of clusters that moved. */
  moved: Map<number, number>;
  relocated: Relocated;
}

/** The free clusters of a volume that pass a test, in order. */
export function* freeClusters({ boot, next }: FatVolume, from: number, end: number): Generator<FreeRun> {
  let first: number | null = null;
  for (let at = Math.max(2, from); at <= end; at++) {
    const free = at < end && (at >= boot.clusters + 2 || next[at] === 0);
    if (free) first ??= at;
    else if (first !== null) {
      yield { first, count: at - first };
      first = null;
    }
  }
}

/**
 * Finds places for all clusters that go; what follows each other in a file stays together where that can be. What
 * counts as in use and belongs to no file, and bad clusters that go, are not given up lightly.
 *
 * @param goes whether a cluster has to go
 * @throws FatDamage, NoRoom
 */
export function relocate(
  volume: FatVolume,
  goes: (cluster: number) => boolean,
  space: FreeSpace,
): FatRelocation {
  const { boot, next, named, starts } = volume;
  for (let at = 2; at < boot.clusters + 2; at++)
    if (goes(at) && next[at] !== 0 && !named[at] && !isBad(boot, next[at]!))
      throw new FatDamage(`cluster ${at} counts as in use and belongs to no file`);
  const moves: number[] = [];
  const moved = new Map<number, number>();
  const relocated = { files: 0, bytes: 0, piecesBefore: 0, piecesAfter: 0 };
  for (const start of starts) {
    let any = false;
    let pending: number[] = [];
    let [lastOld, lastNew] = [-2, -2];
    let [before, after] = [0, 0];
    const step = (old: number, now: number) => {
      if (old !== lastOld + 1) before++;
      if (now !== lastNew + 1) after++;
      [lastOld, lastNew] = [old, now];
    };
    const settle = () => {
      if (pending.length === 0) return;
      any = true;
      const found = space.take(pending.length, lastNew >= 2 ? lastNew + 1 : null);
      if (!found) throw new NoRoom('clusters');
      let i = 0;
      for (const { first, count } of found)
        for (let done = 0; done < count; done++, i++) {
          const [old, now] = [pending[i]!, first + done];
          moved.set(old, now);
          add(moves, old, now);
          step(old, now);
        }
      relocated.bytes += pending.length * boot.clusterSize;
      pending = [];
    };
    for (let at = start; at < endFrom(boot); at = next[at]!) {
      if (goes(at)) pending.push(at);
      else {
        settle();
        step(at, at);
      }
    }
    settle();
    if (!any) continue;
    relocated.files++;
    relocated.piecesBefore += before;
    relocated.piecesAfter += after;
  }
  return { moves, moved, relocated };
}

function add(moves: number[], from: number, to: number): void {
  const last = moves.length - 3;
  const follows =
    last >= 0 && moves[last]! + moves[last + 2]! === from && moves[last + 1]! + moves[last + 2]! === to;
  if (follows) moves[last + 2]!++;
  else moves.push(from, to, 1);
}

/** Writes entries of all tables of a volume, as pairs of cluster and value. */
export async function writeEntries(
  edits: SectorEdits,
  base: number,
  { boot, tables, tableBytes }: FatVolume,
  entries: readonly [number, number][],
): Promise<void> {
  const perUnit = UNIT / boot.entryBytes;
  const byUnit = new Map<number, [number, number][]>();
  for (const entry of entries) {
    const unit = Math.floor(entry[0] / perUnit);
    const known = byUnit.get(unit);
    if (known) known.push(entry);
    else byUnit.set(unit, [entry]);
  }
  for (let table = 0; table < tables; table++)
    for (const [unit, mine] of byUnit) {
      const at = base + boot.fatAt + table * tableBytes + unit * UNIT;
      const bytes = await edits.read(at, UNIT);
      const view = viewOf(bytes);
      for (const [cluster, value] of mine) putEntry(view, boot.entryBytes, cluster % perUnit, value);
      await edits.write(at, bytes);
    }
}

/** One entry; the upper four bits of one of FAT32 stay what they are. */
export function putEntry(view: DataView, entryBytes: 2 | 4, index: number, value: number): void {
  if (entryBytes === 2) view.setUint16(2 * index, value, true);
  else {
    const kept = view.getUint32(4 * index, true) & 0xf0000000;
    view.setUint32(4 * index, (kept | value) >>> 0, true);
  }
}

/** The first cluster that an entry of a folder names. */
export function putFirst(view: DataView, at: number, entryBytes: 2 | 4, cluster: number): void {
  if (entryBytes === 4) view.setUint16(at + FIRST_AT.high, cluster >>> 16, true);
  view.setUint16(at + FIRST_AT.low, cluster & 0xffff, true);
}
