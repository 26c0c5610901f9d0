import type { FileSystem } from '../disk';
import { GIB } from '../units';
import type { HeldFile, HeldFolder, HeldMonth, VolumeHoldings } from './document';

/** A folder or a file of a made-up volume: its path from the root, apart by backslashes, and what it takes. */
export interface SketchEntry {
  path: string;
  /** GiB; of a folder what lies in it beside what is named below it. */
  gib: number;
  /** Last change, YYYY-MM-DD; of a file also its last opening. */
  changed?: string;
  files?: number;
}

export interface VolumeSketch {
  disk?: number;
  partition: number;
  letter?: string;
  fileSystem?: FileSystem;
  /** Bytes. */
  size: number;
  used: number;
  folders: readonly SketchEntry[];
  files?: readonly SketchEntry[];
  /** Growth of each month, GiB; the rest of the volume came in the first of them. */
  months?: readonly (readonly [month: string, gib: number])[];
  restorePoints?: number;
}

const NEWEST = '2026-11-19';

/**
 * Holdings of a made-up volume: folders in between are added, and what is in use beyond what is named is the file
 * system's.
 */
export function sketchedHoldings(sketch: VolumeSketch): VolumeHoldings {
  const bytes = (gib: number) => Math.round(gib * GIB);
  const root: HeldFolder = { in: null, name: '', bytes: 0, files: 0, newest: NEWEST };
  const folders = [root];
  const places = new Map([['', 0]]);
  const placeOf = (path: string): number => {
    const known = places.get(path);
    if (known !== undefined) return known;
    const [parent, name] = split(path);
    const within = placeOf(parent);
    places.set(path, folders.length);
    folders.push({ in: within, name, bytes: 0, files: 0, newest: NEWEST });
    return folders.length - 1;
  };
  const add = (place: number, taken: number, count: number): void => {
    for (let at: number | null = place; at !== null; at = folders[at]!.in) {
      folders[at]!.bytes += taken;
      folders[at]!.files += count;
    }
  };
  for (const { path, gib, changed = NEWEST, files = Math.ceil(gib * 900) } of sketch.folders) {
    const place = placeOf(path);
    folders[place]!.newest = changed;
    add(place, bytes(gib), files);
  }
  const files = (sketch.files ?? []).map(({ path, gib, changed = NEWEST }): HeldFile => {
    const [parent, name] = split(path);
    const place = placeOf(parent);
    add(place, bytes(gib), 1);
    return { in: place, name, bytes: bytes(gib), created: changed, changed, opened: changed };
  });
  files.sort((a, b) => b.bytes - a.bytes);
  const { disk = 0, partition, letter, fileSystem = 'ntfs', size, used, restorePoints } = sketch;
  return {
    disk,
    partition,
    ...(letter ? { letter } : {}),
    fileSystem,
    size,
    used,
    measure: 'clusters',
    own: Math.max(0, used - root.bytes - (restorePoints ?? 0)),
    ...(restorePoints ? { restorePoints } : {}),
    least: 16 * 2 ** 20,
    folders,
    files,
    months: monthsOf(sketch.months ?? [], root),
    unread: 0,
  };
}

function split(path: string): [parent: string, name: string] {
  const at = path.lastIndexOf('\\');
  return at < 0 ? ['', path] : [path.slice(0, at), path.slice(at + 1)];
}

/** Growth by month, so that all of it comes to what there is. */
function monthsOf(told: NonNullable<VolumeSketch['months']>, root: HeldFolder): HeldMonth[] {
  const months = told.map(([month, gib]) => {
    const created = Math.round(gib * GIB);
    return { month, created, changed: created, files: Math.ceil(gib * 900) };
  });
  const [first] = months;
  if (!first) return [];
  const rest = root.bytes - months.reduce((sum, { created }) => sum + created, 0);
  if (rest < 0) throw new Error('more came in the months than there is');
  first.created += rest;
  first.changed += rest;
  first.files = Math.max(0, root.files - months.slice(1).reduce((sum, { files }) => sum + files, 0));
  return months;
}
