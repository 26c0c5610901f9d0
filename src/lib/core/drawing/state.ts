import type { Disk } from '../disk';
import { layoutOf, type Layout } from '../planning';

/** A disk somewhere in a drawing: its layout, and what the steps so far did that a layout does not show. */
export interface State {
  layout: Layout;
  /** The smallest size in bytes that a partition had so far, by its number. */
  smallest: ReadonlyMap<number, number>;
  /** Partitions that hold the files of another by now, by the number of that other. */
  holds: ReadonlyMap<number, number>;
  /** Bytes that outside places still take, by name. */
  outside: ReadonlyMap<string, number>;
  /** Numbers that partitions of the drawing had, gone or not. */
  made: ReadonlySet<number>;
}

export const startOf = (disk: Disk, outside: readonly { name: string; bytes: number }[]): State => ({
  layout: layoutOf(disk),
  smallest: new Map(),
  holds: new Map(),
  outside: new Map(outside.map(({ name, bytes }) => [name, bytes])),
  made: new Set(),
});

/** The next number that no partition of the disk or the drawing has. */
export const nextNumber = (disk: Disk, state: State): number =>
  Math.max(0, ...disk.partitions.map((one) => one.number), ...state.made) + 1;
