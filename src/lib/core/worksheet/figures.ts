import { bytesOf, endOf, type Disk, type Extent } from '../disk';
import type { Layout, Step } from '../planning';
import { roomAround } from './pieces';
import type { Figure } from './sheet';

/**
 * Every figure that a tool may ask for in a step. An end is the place directly behind the last byte; its sector is
 * the last one that belongs to the partition.
 */
export function figuresOf(disk: Disk, after: Layout, step: Step): Figure[] {
  const size = (label: string, extent: Extent): Figure => ({ label, bytes: bytesOf(disk, extent) });
  const start = (label: string, { first }: Extent): Figure => ({
    label,
    bytes: first * disk.sectorSize,
    sector: first,
  });
  const end = (label: string, extent: Extent): Figure => ({
    label,
    bytes: endOf(extent) * disk.sectorSize,
    sector: endOf(extent) - 1,
  });
  const difference = (label: string, sectors: number): Figure => ({
    label,
    bytes: Math.abs(sectors) * disk.sectorSize,
  });
  switch (step.verb) {
    case 'shrink':
    case 'extend': {
      const { from, to } = step;
      const grows = step.verb === 'extend';
      return [
        size('Size now', from),
        difference(grows ? 'Amount to add' : 'Amount to give up', to.sectors - from.sectors),
        size('New size', to),
        start(to.first === from.first ? 'Start (stays)' : 'New start', to),
        end(endOf(to) === endOf(from) ? 'End (stays)' : 'New end', to),
      ];
    }
    case 'move': {
      const { from, to, partition } = step;
      const room = roomAround(after, to, partition);
      return [
        start('Start now', from),
        difference(to.first > from.first ? 'Shift to the right' : 'Shift to the left', to.first - from.first),
        start('New start', to),
        end('New end', to),
        size('Size (stays)', to),
        difference('Room left of it afterwards', room.left),
        difference('Room right of it afterwards', room.right),
      ];
    }
    case 'delete':
    case 'set-aside':
      return [size('Size', step.from), start('Start', step.from), end('End', step.from)];
    case 'create':
    case 'put-back':
      return [size('Size', step.to), start('Start', step.to), end('End', step.to)];
    case 'enlarge-disk':
      return [{ label: 'New total of the disk', bytes: step.diskSectors * disk.sectorSize }];
    case 'copy':
      return [{ label: 'Files to copy', bytes: step.bytesCopied }];
    case 'decrypt':
      return [{ label: 'To be decrypted', bytes: step.bytesCopied }];
    case 'relocate-table':
      return [
        {
          label: 'End of the disk',
          bytes: endOf(after.usable) * disk.sectorSize,
          sector: endOf(after.usable) - 1,
        },
      ];
  }
}
