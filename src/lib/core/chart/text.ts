import { formatSize } from '../units';
import { findPartition, computeLayouts, moduleOf, type Step } from '../steps';
import type { Disk } from '../disk';
import { stripsOf, type Strip } from './tide';

/** Characters of a strip. */
const WIDTH = 76;
const LEAST = 9;

/**
 * The tide chart for a terminal: a strip for the disk as found and after each step, all on one axis; between bars a
 * partition by its name and size, dots for room that nobody has.
 *
 * @returns lines; null where a step is not possible on the disk
 */
export function textChart(disk: Disk, steps: readonly Step[]): string[] | null {
  const layouts = computeLayouts(disk, steps);
  if (!layouts.ok) return null;
  const options = {
    width: WIDTH,
    scale: 'legible',
    gap: 0,
    leastWidth: LEAST,
    stripHeight: 1,
    flow: 0,
  } as const;
  const strips = stripsOf(disk, layouts.value, options);
  return strips.flatMap((strip) => {
    const step = strip.index === 0 ? null : steps[strip.index - 1]!;
    const title = step ? `${strip.index}  ${lineOf(disk, step)}` : 'As found';
    return [title, lineOfStrip(strip)];
  });
}

function lineOf(disk: Disk, step: Step): string {
  const partition = step.partition === null ? null : findPartition(disk, step.partition);
  const name = partition
    ? ` ${partition.letter ? `${partition.letter}:` : `partition ${partition.number}`}`
    : '';
  const size = 'to' in step && step.to ? `, ${formatSize(step.to.sectors * disk.sectorSize)}` : '';
  return `${moduleOf(step.verb).name}${name}${size}`;
}

function lineOfStrip({ basins }: Strip): string {
  const line = Array.from({ length: WIDTH + 1 }, () => ' ');
  for (const { partition, x, width, name, size } of basins) {
    const [from, to] = [Math.round(x), Math.min(WIDTH, Math.round(x + width))];
    const room = Math.max(0, to - from - 1);
    const text = partition ? `${name} ${formatSize(size)}` : formatSize(size);
    const fits = text.length <= room ? text : name.length <= room && partition ? name : text.slice(0, room);
    const padded = partition
      ? fits.padEnd(room)
      : fits.padStart(Math.floor((room + fits.length) / 2), '.').padEnd(room, '.');
    line[from] = '|';
    for (let i = 0; i < room; i++) line[from + 1 + i] = padded[i]!;
    line[to] = '|';
  }
  return line.join('').trimEnd();
}
