import { layoutOf } from '../steps';
import { describe, expect, it } from 'vitest';
import { endOf } from '../disk';
import { machineOf } from '../survey';
import { clinic } from '../test/clinic';
import { axisOf, keepStrips, drawOneStrip, stripsOf } from '.';

const disk = machineOf(clinic()).disks[0]!;
const options = { width: 700, gap: 3, leastWidth: 20, stripHeight: 58, flow: 46 };

describe('pixels and sectors', () => {
  it.each(['legible', 'true'] as const)('lead to one another, %s scale', (scale) => {
    const strip = stripsOf(disk, [layoutOf(disk)], { ...options, scale })[0]!;
    for (const { extent, x, width } of strip.basins) {
      for (const share of [0, 0.25, 0.5, 1]) {
        const sector = strip.axis.sectorAt(x + width * share);
        const middle = extent.first + extent.sectors * share;
        // Half of the space between two basins belongs to either, on the axis.
        const away = Math.abs(strip.axis.pixelAt(sector) - strip.axis.pixelAt(Math.round(middle)));
        expect(away).toBeLessThanOrEqual(options.gap);
        expect(Math.abs(strip.axis.pixelAt(Math.round(middle)) - (x + width * share))).toBeLessThanOrEqual(
          3.5,
        );
      }
    }
    expect(strip.axis.sectorAt(-50)).toBe(strip.basins[0]!.extent.first);
    expect(strip.axis.sectorAt(5000)).toBe(endOf(strip.basins.at(-1)!.extent));
  });

  it('keep what did not change, and nothing else', () => {
    const draw = (last: number) => {
      const layout = layoutOf(disk);
      const moved = {
        ...layout,
        partitions: layout.partitions.map((one) => (one.number === 5 ? { ...one, sectors: last } : one)),
      };
      // While something is dragged the axis stands still.
      return [layout, moved].map((one, index) => drawOneStrip(disk, one, index, still, options));
    };
    const still = axisOf([{ disk, layout: layoutOf(disk) }], { ...options, scale: 'legible' });
    const before = draw(disk.partitions[4]!.sectors - 2048 * 1024);
    expect(keepStrips(before, draw(disk.partitions[4]!.sectors - 2048 * 1024))).toEqual(before);
    const after = keepStrips(before, draw(disk.partitions[4]!.sectors - 4096 * 1024));
    expect(after[0]).toBe(before[0]);
    expect(after[1]).not.toBe(before[1]);
    expect(after[1]!.basins[0]).toBe(before[1]!.basins[0]);
    expect(after[1]!.basins[4]).not.toBe(before[1]!.basins[4]);
  });
});
