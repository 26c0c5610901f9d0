import { bucketOf, formatMonths } from './months';
import { formatDay } from './days';
import { MAX_DEPTH, type HeldFile, type HeldFolder, type HeldMonth } from './document';

/** Result of a walk through a volume, folder by folder: arrays by the folder's number, since there may be millions. */
export interface Walked {
  /** For each folder the one that it lies in; itself for the root; {@link NOWHERE} for what is no folder. */
  parents: Uint32Array;
  root: number;
  /** Bytes and files that lie in a folder itself, and the newest change of those (`days.ts`). */
  bytes: Float64Array;
  files: Uint32Array;
  newest: Uint16Array;
  months: { created: Float64Array; changed: Float64Array; files: Uint32Array };
  /** The largest files, with those that lie in the root whatever their size. */
  largest: { folder: number; bytes: number; number: number }[];
  /** A folder's own name, and a file's name with its days; `number` is what `largest` calls it. */
  nameOf: (folder: number) => Promise<string>;
  fileOf: (number: number) => Promise<Pick<HeldFile, 'name' | 'created' | 'changed' | 'opened'>>;
}

export const NOWHERE = 0xffffffff;
/** Folders are named from this size on, or from more where there are too many. */
const LEAST = 2 ** 20;

export interface GatherOptions {
  /** The most folders and files that are named. */
  most: { folders: number; files: number };
  /** Folders that are left out with all that is in them. */
  apart?: ReadonlySet<number>;
}

export interface Gathered {
  least: number;
  folders: HeldFolder[];
  files: HeldFile[];
  months: HeldMonth[];
}

/**
 * Sums up what every folder holds, and names those that are large, each behind the one that it lies in.
 */
export async function gathered(
  walked: Walked,
  { most, apart = new Set() }: GatherOptions,
): Promise<Gathered> {
  const { parents, root } = walked;
  const order = fromTheRoot(parents, root, apart);
  const bytes = walked.bytes.slice();
  const files = walked.files.slice();
  const newest = walked.newest.slice();
  for (let i = order.length - 1; i > 0; i--) {
    const folder = order[i]!;
    const parent = parents[folder]!;
    bytes[parent]! += bytes[folder]!;
    files[parent]! += files[folder]!;
    if (newest[folder]! > newest[parent]!) newest[parent] = newest[folder]!;
  }
  const least = leastFor(order, bytes, most.folders);
  const places = new Map<number, number>();
  const folders: HeldFolder[] = [];
  const depth: number[] = [];
  for (const folder of order) {
    const within = folder === root ? null : places.get(parents[folder]!);
    // A small folder has none but small ones; what lies too deep is in the last that is named.
    if (within === undefined || (within !== null && bytes[folder]! < least)) continue;
    const deep = within === null ? 0 : depth[within]! + 1;
    if (deep > MAX_DEPTH) continue;
    depth.push(deep);
    places.set(folder, folders.length);
    const name = folder === root ? '' : await walked.nameOf(folder);
    const told = { bytes: bytes[folder]!, files: files[folder]!, newest: formatDay(newest[folder]!) };
    folders.push({ in: within, name, ...told });
  }
  return {
    least,
    folders,
    files: await largestOf(walked, places, most.files),
    months: formatMonths(walked.months),
  };
}

/**
 * Every folder to which a way leads from the root, each behind the one that it lies in; what runs in a circle is not
 * among them.
 */
function fromTheRoot(parents: Uint32Array, root: number, apart: ReadonlySet<number>): Uint32Array {
  const first = new Uint32Array(parents.length).fill(NOWHERE);
  const next = new Uint32Array(parents.length).fill(NOWHERE);
  for (let folder = parents.length - 1; folder >= 0; folder--) {
    const parent = parents[folder]!;
    if (parent === NOWHERE || folder === root || parent >= parents.length || apart.has(folder)) continue;
    next[folder] = first[parent]!;
    first[parent] = folder;
  }
  const order = new Uint32Array(parents.length);
  let known = 0;
  order[known++] = root;
  for (let i = 0; i < known; i++) {
    for (let child = first[order[i]!]!; child !== NOWHERE; child = next[child]!) order[known++] = child;
  }
  return order.subarray(0, known);
}

function leastFor(order: Uint32Array, bytes: Float64Array, most: number): number {
  for (let least = LEAST; ; least *= 2) {
    let count = 1;
    for (const folder of order) if (bytes[folder]! >= least) count++;
    if (count <= most) return least;
  }
}

async function largestOf(
  walked: Walked,
  places: ReadonlyMap<number, number>,
  most: number,
): Promise<HeldFile[]> {
  // A large file makes its folder large, so the folder is named, but where so many are that `least` had to rise.
  const named = walked.largest.filter(({ folder, bytes }) => places.has(folder) && bytes > 0);
  named.sort((a, b) => b.bytes - a.bytes || a.number - b.number);
  const inRoot = named.filter(({ folder }, i) => i >= most && folder === walked.root).slice(0, 100);
  const kept = [...named.slice(0, most - inRoot.length), ...inRoot];
  const files: HeldFile[] = [];
  for (const { folder, bytes, number } of kept) {
    const told = await walked.fileOf(number);
    files.push({ in: places.get(folder)!, bytes, ...told });
  }
  return files;
}

/** A sum by month of what was created and changed. */
export const makeNoMonths = (): Walked['months'] => ({
  created: new Float64Array(bucketOf(65_535) + 1),
  changed: new Float64Array(bucketOf(65_535) + 1),
  files: new Uint32Array(bucketOf(65_535) + 1),
});
