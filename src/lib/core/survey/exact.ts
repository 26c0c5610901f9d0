import { bytesOf, endOf, type Disk, type Extent, type Partition, type Volume } from '../disk';
import { formatCount, formatMib } from '../units';

/** One exact figure of a partition or a dry bed: a word for it and the text to be typed or copied. */
export interface ExactFigure {
  label: string;
  text: string;
}

/** Start, end and size of an extent, in exact MiB and in sectors; with a partition its ids. */
export function listExactFigures(disk: Disk, extent: Extent, partition: Partition | null): ExactFigure[] {
  const at = (lba: number) => formatMib(lba * disk.sectorSize, disk.sectorSize);
  const figures = [
    { label: 'Start', text: `${at(extent.first)} · sector ${formatCount(extent.first)}` },
    { label: 'End', text: `${at(endOf(extent))} · sector ${formatCount(endOf(extent) - 1)}` },
    {
      label: 'Size',
      text: `${formatMib(bytesOf(disk, extent), disk.sectorSize)} · ${formatCount(extent.sectors)} sectors`,
    },
  ];
  const used = partition?.volume?.used;
  if (used != null) figures.push({ label: 'Used', text: `${formatCount(used)} bytes` });
  if (partition?.volume) figures.push(...floorFigures(partition.volume));
  if (partition) figures.push({ label: 'Type', text: partition.type });
  if (partition?.id) figures.push({ label: 'GUID', text: partition.id });
  return figures;
}

/**
 * Each of the sizes to which something brings a volume, or up to which it reaches, by its own name: they are easily
 * mixed up.
 */
function floorFigures(volume: Volume): ExactFigure[] {
  const { lastUsed, lastImmovable, immovableFile, clusterSize, smallestRunning, smallestOffline } = volume;
  const figures: [string, number | null][] = [
    ['Last used', lastUsed],
    ['Immovable while running', lastImmovable],
    ['Smallest by Windows', smallestRunning],
    ['Smallest offline', smallestOffline],
  ];
  const told = figures.flatMap(([label, bytes]) =>
    bytes === null ? [] : [{ label, text: `${formatCount(bytes)} bytes` }],
  );
  // The file at that floor, and its last cluster.
  const held = lastImmovable !== null && immovableFile !== null && clusterSize > 0;
  return held
    ? [
        ...told,
        {
          label: 'Held by',
          text: `${immovableFile}, cluster ${formatCount(lastImmovable / clusterSize - 1)}`,
        },
      ]
    : told;
}

/** The same as plain text, headed by disk and name so that it can't be taken for another machine's. */
export function exactTextOf(disk: Disk, name: string, figures: readonly ExactFigure[]): string {
  const serial = disk.serial ? `, serial ${disk.serial}` : '';
  return [
    `Disk ${disk.number}${serial}: ${name}`,
    ...figures.map(({ label, text }) => `${label}: ${text}`),
  ].join('\n');
}
