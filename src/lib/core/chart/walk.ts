import type { Strip } from './tide';

/** A basin of a chart by where it is drawn. */
export interface Spot {
  strip: number;
  key: string;
}

export type Direction = 'left' | 'right' | 'up' | 'down' | 'start' | 'end';

/** The keys that lead through a chart. */
export const DIRECTIONS: Readonly<Record<string, Direction>> = {
  ArrowLeft: 'left',
  ArrowRight: 'right',
  ArrowUp: 'up',
  ArrowDown: 'down',
  Home: 'start',
  End: 'end',
};

/**
 * Where a key press leads from a basin: sideways to the neighbour, up and down to the same partition one
 * moment earlier or later (for a bed: to what lies at its middle). Stays where it is at the edges.
 */
export function walk(strips: readonly Strip[], from: Spot, direction: Direction): Spot {
  const strip = strips[from.strip];
  const at = strip?.basins.findIndex((basin) => basin.key === from.key) ?? -1;
  const basin = strip?.basins[at];
  if (!strip || !basin) return findFirstSpot(strips) ?? from;
  if (direction === 'up' || direction === 'down') {
    const next = strips[from.strip + (direction === 'up' ? -1 : 1)];
    if (!next) return from;
    const middle = basin.x + basin.width / 2;
    const same = next.basins.find((candidate) => candidate.key === from.key);
    const below =
      next.basins.find((candidate) => middle <= candidate.x + candidate.width) ?? next.basins.at(-1);
    return { strip: next.index, key: (same ?? below)?.key ?? from.key };
  }
  const last = strip.basins.length - 1;
  const to = { left: Math.max(0, at - 1), right: Math.min(last, at + 1), start: 0, end: last }[direction];
  return { strip: from.strip, key: strip.basins[to]!.key };
}

export function findFirstSpot(strips: readonly Strip[]): Spot | null {
  const first = strips[0]?.basins[0];
  return first ? { strip: 0, key: first.key } : null;
}
