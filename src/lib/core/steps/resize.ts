import type { Figure, OnSheet } from './verb';
import { impossible, partitionAt, replaced, type Layout } from './layout';
import { bytesOf, contains, endOf, type Disk, type Extent } from '../disk';
import type { Outcome } from '../problem';
import { formatMib, formatSize } from '../units';
import { amount, endFigure, sizeFigure, startFigure } from './figures';
import { scriptConfirmation, scriptExpectation, guard, guardFree, stop } from './powershell/guard';
import { nameInScript } from './powershell/names';
import type { StepOf } from './step';

/** Base of shrinking and extending: one end goes elsewhere. */
type Resize = 'shrink' | 'extend';

export function applyResize(disk: Disk, layout: Layout, step: StepOf<Resize>): Outcome<Layout> {
  const found = partitionAt(layout, step.partition, step.from);
  if (!found.ok) return found;
  const { from, to } = step;
  if (to.sectors <= 0) return impossible('nothing would be left of it');
  const [smaller, larger] = step.verb === 'shrink' ? [to, from] : [from, to];
  // An extended partition is a frame: either end of it may change without what lies inside.
  const inPlace = found.value.kind === 'extended' ? contains(larger, smaller) : to.first === from.first;
  if (!inPlace || smaller.sectors >= larger.sectors) return impossible(`that is no ${step.verb}`);
  return replaced(disk, layout, found.value, to);
}

export const objectOfResize = ({ from, to }: StepOf<Resize>, disk: Disk, name: string): string =>
  `${name} by ${formatSize(Math.abs(bytesOf(disk, to) - bytesOf(disk, from)))}`;

export const lineOfResize = (verb: string, { to }: StepOf<Resize>, disk: Disk, name: string): string =>
  `${verb} ${name} to ${formatMib(bytesOf(disk, to), disk.sectorSize)}`;

export function figuresOfResize(disk: Disk, { from, to }: StepOf<Resize>, change: string): Figure[] {
  const kept = (same: boolean, what: string): string =>
    same ? `${what} (stays)` : `New ${what.toLowerCase()}`;
  return [
    sizeFigure(disk, 'Size now', from),
    amount(disk, change, to.sectors - from.sectors),
    sizeFigure(disk, 'New size', to),
    startFigure(disk, kept(to.first === from.first, 'Start'), to),
    endFigure(disk, kept(endOf(to) === endOf(from), 'End'), to),
  ];
}

export function scriptOfResize(told: OnSheet<Resize>): string[] {
  const { disk, step, diskBytes } = told;
  const name = nameInScript(told, step.partition);
  const bytes = bytesOf(disk, step.to);
  const place = (extent: Extent): number => endOf(extent) * disk.sectorSize;
  return [
    ...guard(disk, diskBytes, [scriptExpectation('part', name, disk, step.from)]),
    ...(step.verb === 'extend' ? guardFree(place(step.from), place(step.to), name) : []),
    '$room = Get-PartitionSupportedSize -DiskNumber $disk.Number -PartitionNumber $part.PartitionNumber',
    `if (${bytes} -lt $room.SizeMin -or ${bytes} -gt $room.SizeMax) { ${stop(`Windows offers no size of ${bytes} bytes for ${name}.`)} }`,
    `Resize-Partition -DiskNumber $disk.Number -PartitionNumber $part.PartitionNumber -Size ${bytes}`,
    ...scriptConfirmation(disk, name, step.to),
  ];
}
