import type { Disk } from '../disk';
import type { Layout } from './layout';

/**
 * The disk as found, with the table that it has by now: what a step may do, and how it is written down, hangs on that.
 * A new table gives the disk a GUID that nobody knows beforehand.
 */
export const diskNow = (disk: Disk, { table, usable, relocated }: Layout): Disk =>
  table === disk.table ? disk : { ...disk, table, id: '', usable, usableRelocated: relocated };
