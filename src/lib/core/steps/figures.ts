import type { Figure } from './verb';
import { bytesOf, endOf, type Disk, type Extent } from '../disk';

export const sizeFigure = (disk: Disk, label: string, extent: Extent): Figure => ({
  label,
  bytes: bytesOf(disk, extent),
});

export const startFigure = (disk: Disk, label: string, { first }: Extent): Figure => ({
  label,
  bytes: first * disk.sectorSize,
  sector: first,
});

/** An end is the place directly behind the last byte; its sector is the last one that belongs to it. */
export const endFigure = (disk: Disk, label: string, extent: Extent): Figure => ({
  label,
  bytes: endOf(extent) * disk.sectorSize,
  sector: endOf(extent) - 1,
});

export const amount = (disk: Disk, label: string, sectors: number): Figure => ({
  label,
  bytes: Math.abs(sectors) * disk.sectorSize,
});

/** Size, start and end of what is made or goes. */
export const placeFigures = (disk: Disk, extent: Extent): Figure[] => [
  sizeFigure(disk, 'Size', extent),
  startFigure(disk, 'Start', extent),
  endFigure(disk, 'End', extent),
];
