import { gapsOf, type Layout } from '../steps';
import { alignment, nameBasin, unallocated, type Disk, type Extent, type Partition } from '../disk';
import type { LinePiece } from './sheet';

/** Pieces of a layout from left to right: partitions, and unallocated space of a whole MiB or more. */
export function piecesOf(disk: Disk, layout: Layout): LinePiece[] {
  const drives = layout.partitions.filter((one) => one.kind === 'logical');
  const inside = layout.partitions
    .filter((one) => one.kind === 'extended')
    .flatMap((frame) => unallocated(frame, drives))
    .filter((gap) => gap.sectors > alignment(disk));
  const gaps = gapsOf(layout).filter((gap) => gap.sectors >= alignment(disk));
  return [...layout.partitions.map(partitionPiece), ...[...gaps, ...inside].map(gapPiece)].sort(
    (a, b) => a.first - b.first || b.sectors - a.sectors,
  );
}

const partitionPiece = (partition: Partition): LinePiece => ({
  number: partition.number,
  name: nameBasin(partition),
  role: partition.role,
  letter: partition.letter,
  first: partition.first,
  sectors: partition.sectors,
  used: partition.volume?.used ?? null,
});

const gapPiece = ({ first, sectors }: Extent): LinePiece => ({
  number: null,
  name: 'Unallocated',
  role: null,
  letter: null,
  first,
  sectors,
  used: null,
});

const ORDINAL = ['th', 'st', 'nd', 'rd'];
const ordinal = (n: number): string =>
  `${n}${n % 100 >= 11 && n % 100 <= 13 ? 'th' : (ORDINAL[n % 10] ?? 'th')}`;

/** "3rd of 5 from the left": where a partition stands among the others, whatever their numbers are. */
export function placeOf(layout: Layout, number: number): string {
  const order = layout.partitions.filter((one) => one.kind !== 'extended');
  const at = order.findIndex((one) => one.number === number);
  return at < 0 ? 'the extended partition' : `${ordinal(at + 1)} of ${order.length} from the left`;
}
