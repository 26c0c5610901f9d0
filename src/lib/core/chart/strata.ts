import { accountsOf, type HoldingsTree } from '../holdings';
import type { Direction } from './walk';

/** Content of a layer in one place: a folder, a large file, or in the root what lies in none. */
export interface Stratum {
  key: string;
  /** Place of the folder in the document; null for what is no folder. */
  place: number | null;
  /** With a backslash in front; empty for what lies in no folder. */
  path: string;
  name: string;
  bytes: number;
  /** Shares of the whole width, 0 to 1. */
  x: number;
  width: number;
  layer: number;
  /** Key of the one above it; null for the top. */
  parent: string | null;
}

/** Layers below the one that is opened. */
const LAYERS = 4;
/** Least width: what is narrower could be neither seen nor pressed. */
const MIN_WIDTH = 0.004;

/**
 * What fills a volume as layers of sediment: the folder that is opened lies on top, below it what lies in it, side by
 * side, each as wide as its share; so the area of every folder and large file is in proportion to its size. What no
 * folder holds stands beside the folders of the root.
 */
export function stackStrata(tree: HoldingsTree, opened: number): Stratum[] {
  const { own, other } = accountsOf(tree.volume);
  const root = opened === 0;
  const beside = root
    ? [
        { key: 'own', name: 'The file system itself', bytes: own },
        { key: 'other', name: 'In no folder that was read', bytes: other },
      ].filter(({ bytes }) => bytes > 0)
    : [];
  const held = tree.folder(opened).bytes;
  const whole = held + beside.reduce((sum, { bytes }) => sum + bytes, 0);
  const top: Stratum = {
    key: `f${opened}`,
    place: opened,
    path: tree.pathOf(opened),
    name: root ? 'All that is in use' : tree.folder(opened).name,
    bytes: whole,
    x: 0,
    width: 1,
    layer: 0,
    parent: null,
  };
  const found = [top];
  if (whole === 0) return found;
  const lay = (parent: Stratum): void => {
    let x = parent.x;
    for (const { key, place, path, name, bytes } of within(tree, parent.place!)) {
      const width = bytes / whole;
      if (width < MIN_WIDTH) break; // the largest come first
      const layer = parent.layer + 1;
      const one = { key, place, path, name, bytes, x, width, layer, parent: parent.key };
      found.push(one);
      x += width;
      if (place !== null && layer < LAYERS) lay(one);
    }
  };
  lay(top);
  let x = held / whole;
  for (const { key, name, bytes } of beside) {
    const width = bytes / whole;
    if (width >= MIN_WIDTH)
      found.push({ key, place: null, path: '', name, bytes, x, width, layer: 1, parent: top.key });
    x += width;
  }
  return found;
}

/** Folders and large files that lie in a folder, the largest first. */
function within(
  tree: HoldingsTree,
  folder: number,
): Pick<Stratum, 'key' | 'place' | 'path' | 'name' | 'bytes'>[] {
  const folders = tree.foldersIn(folder).map((place) => {
    const { name, bytes } = tree.folder(place);
    return { key: `f${place}`, place, path: tree.pathOf(place), name, bytes };
  });
  const files = tree.filesOf(folder).map((at) => {
    const file = tree.volume.files[at]!;
    return { key: `d${at}`, place: null, path: tree.pathOfFile(file), name: file.name, bytes: file.bytes };
  });
  return [...folders, ...files].sort((a, b) => b.bytes - a.bytes);
}

/**
 * Where a key press leads: sideways in the same layer, up to what it lies in, down to the largest within; it stays at
 * the edges.
 */
export function walkStrata(all: readonly Stratum[], key: string, direction: Direction): string {
  const at = all.find((one) => one.key === key);
  if (!at) return all[0]?.key ?? key;
  if (direction === 'up') return at.parent ?? key;
  if (direction === 'down') return all.find((one) => one.parent === key)?.key ?? key;
  const layer = all.filter((one) => one.layer === at.layer).sort((a, b) => a.x - b.x);
  const place = layer.indexOf(at);
  const to = { left: place - 1, right: place + 1, start: 0, end: layer.length - 1 }[direction];
  return layer[Math.max(0, Math.min(layer.length - 1, to))]!.key;
}
