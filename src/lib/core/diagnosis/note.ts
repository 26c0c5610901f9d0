import type { Partition } from '../disk';
import type { Finding } from '../finding';

/** A finding that is good to know and asks for nothing by itself. */
export const note = (
  code: string,
  partitions: readonly Partition[],
  title: string,
  detail: string,
  remedies: Finding['remedies'] = [],
): Finding => ({
  code,
  severity: 'note',
  partitions: partitions.map((partition) => partition.number),
  title,
  detail,
  remedies,
});
