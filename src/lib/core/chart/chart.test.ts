import { layoutOf, computeLayouts } from '../steps';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { planRoutes } from '../planning';
import { unwrap } from '../problem';
import { machineOf } from '../survey';
import { diskSpec, surveyWith } from '../survey/sketch';
import { clinic } from '../test/clinic';
import { GIB } from '../units';
import { shareWidth } from './scale';
import {
  computeBands,
  drawDensity,
  findFirstSpot,
  heightOf,
  stripOf,
  stripsOf,
  walk,
  drawWater,
  type Direction,
  type ScaleKind,
  type TideOptions,
} from '.';

const survey = clinic();
const disk = machineOf(survey).disks[0]!;
const answer = planRoutes({
  prefer: 'quick',
  survey,
  disk: 0,
  goal: { partition: 3, size: 200 * GIB },
  kits: ['offline-mover'],
});
if (!answer.ok) throw new Error('the clinic has a route');
const { steps } = answer.value.routes[0]!;
const optionsFor = (scale: ScaleKind): TideOptions => ({
  width: 670,
  scale,
  gap: scale === 'true' ? 0 : 3,
  leastWidth: 30,
  stripHeight: 58,
  flow: 46,
});
const draw = (scale: ScaleKind) => stripsOf(disk, unwrap(computeLayouts(disk, steps)), optionsFor(scale));

describe('sharing the width', () => {
  const items = fc.array(
    fc.record({ sectors: fc.integer({ min: 1, max: 2 ** 40 }), least: fc.integer({ min: 1, max: 60 }) }),
    { minLength: 1, maxLength: 130 },
  );

  it('fills it exactly, keeps the order of sizes, and gives everybody the least where that fits', () => {
    fc.assert(
      fc.property(items, fc.integer({ min: 200, max: 4000 }), (list, width) => {
        const widths = shareWidth(list, width, 'legible');
        expect(widths.reduce((sum, one) => sum + one, 0)).toBeCloseTo(width, 6);
        const fits = list.reduce((sum, item) => sum + item.least, 0) < width;
        list.forEach((item, i) => {
          expect(widths[i]).toBeGreaterThan(0);
          if (fits) expect(widths[i]).toBeGreaterThanOrEqual(item.least - 1e-9);
        });
        const same = list.map((item) => ({ ...item, least: 20 }));
        const ordered = shareWidth(same, width, 'legible');
        same.forEach((a, i) =>
          same.forEach((b, j) => {
            if (a.sectors <= b.sectors) expect(ordered[i]).toBeLessThanOrEqual(ordered[j]! + 1e-9);
          }),
        );
      }),
      { numRuns: 60 },
    );
  });

  it('is proportional in true scale', () => {
    expect(
      shareWidth(
        [
          { sectors: 1, least: 50 },
          { sectors: 3, least: 50 },
        ],
        100,
        'true',
      ),
    ).toEqual([25, 75]);
  });
});

describe('the tide chart', () => {
  it.each<ScaleKind>(['legible', 'true'])(
    'has a strip for every moment, each as wide as the chart (%s)',
    (scale) => {
      const strips = draw(scale);
      expect(strips.map((strip) => strip.index)).toEqual([0, 1, 2, 3, 4]);
      for (const { basins } of strips) {
        const last = basins.at(-1)!;
        // Less than a MiB at an end of some strip is no basin.
        expect(last.x + last.width).toBeGreaterThan(670 - 4);
        expect(last.x + last.width).toBeLessThanOrEqual(670);
        basins.slice(1).forEach((basin, i) =>
          // What is narrower than a pixel is drawn as wide as one.
          expect(basin.x).toBeGreaterThanOrEqual(basins[i]!.x + basins[i]!.width - 1),
        );
      }
      expect(heightOf(strips, optionsFor(scale))).toBe(4 * (58 + 46) + 58);
    },
  );

  it('keeps the area of water in true scale from the first strip to the last', () => {
    const areas = draw('true').map(({ basins }) =>
      basins.reduce((sum, basin) => sum + basin.width * (basin.level ?? 0), 0),
    );
    // Alignment leaves slivers below 1 MiB without a basin, so widths differ by less than a thousandth.
    for (const area of areas) expect(Math.abs(area / areas[0]! - 1)).toBeLessThan(0.001);
  });

  it('lets the level of a growing volume fall, and never changes what it holds', () => {
    const levels = draw('legible').map(({ basins }) => basins.find((basin) => basin.key === 'p3')!);
    expect(levels[0]!.level).toBeGreaterThan(0.94);
    expect(levels.at(-1)!.level).toBeLessThan(0.57);
    expect(new Set(levels.map((basin) => basin.used)).size).toBe(1);
  });

  it('draws a band for every partition between all strips, and bends those that change place or width', () => {
    const strips = draw('true');
    const bands = strips.slice(1).map((below, i) => computeBands(strips[i]!, below, 58));
    for (const between of bands) expect(between).toHaveLength(disk.partitions.length);
    const bent = bands.map((between) =>
      between
        .filter(({ from, to }) => Math.abs(from.x - to.x) > 0.1 || Math.abs(from.width - to.width) > 0.1)
        .map(({ key }) => key),
    );
    expect(bent).toEqual([['p5'], ['p5'], ['p4'], ['p3']]);
    for (const { path } of bands.flat()) expect(path).not.toContain('NaN');
  });

  it('shows the dry bed wandering from behind Archive to behind C:', () => {
    const dry = draw('legible').map(({ basins }) => basins.findIndex((basin) => !basin.partition));
    expect(dry).toEqual([-1, 5, 4, 3, -1]);
  });
});

describe('an extended partition', () => {
  it('is shown as what lies inside it, with the room between its logical drives', () => {
    const mbr = surveyWith({
      ...diskSpec({ size: 1000, table: 'mbr' }, [{ role: 'windows', size: 200, used: 190 }]),
    });
    const at = (mib: number) => mib * 2048;
    mbr.disks[0]!.partitions.push(
      { number: 2, first: at(300), sectors: at(500), type: '0x0F', kind: 'extended' },
      { number: 5, first: at(301), sectors: at(100), type: '0x07', kind: 'logical' },
      { number: 6, first: at(600), sectors: at(200), type: '0x07', kind: 'logical' },
    );
    const [framed] = machineOf(mbr).disks;
    const basins = stripOf(framed!, layoutOf(framed!), { width: 900, scale: 'true', gap: 0, leastWidth: 1 });
    expect(
      basins.map((basin) => [
        basin.partition?.number ?? null,
        basin.extent.first / 2048,
        basin.extent.sectors / 2048,
      ]),
    ).toEqual([
      [1, 1, 200],
      [null, 201, 99],
      [null, 300, 1],
      [5, 301, 100],
      [null, 401, 199],
      [6, 600, 200],
      [null, 800, 200],
    ]);
  });

  it('gives every piece a key of its own and no piece a width below nothing, wherever it lies and however narrow the chart', () => {
    const at = (count: number) => count * 2048;
    const mib = fc.integer({ min: 0, max: 40 });
    const lengths = fc.tuple(mib, mib, mib, mib, mib, mib);
    fc.assert(
      fc.property(
        lengths,
        fc.integer({ min: 0, max: 1400 }),
        fc.integer({ min: 0, max: 8 }),
        (gaps, width, gap) => {
          const mbr = surveyWith({
            ...diskSpec({ size: 2000, table: 'mbr' }, [{ role: 'windows', size: 200, used: 190 }]),
          });
          const [before, inside, between, logicals, beyond, data] = gaps;
          const start = 201 + before;
          let next = start + inside;
          const drives = Array.from({ length: logicals % 4 }, (_, i) => {
            const first = next + 1;
            next = first + 50 + between;
            return {
              number: 5 + i,
              first: at(first),
              sectors: at(50),
              type: '0x07',
              kind: 'logical' as const,
            };
          });
          const end = Math.max(next, start + 1) + beyond;
          mbr.disks[0]!.partitions.push(
            { number: 2, first: at(start), sectors: at(end - start), type: '0x0F', kind: 'extended' },
            ...drives,
            ...(data > 20 ? [{ number: 3, first: at(end + data), sectors: at(100), type: '0x07' }] : []),
          );
          const [disk] = machineOf(mbr).disks;
          for (const scale of ['true', 'legible'] as const) {
            const basins = stripOf(disk!, layoutOf(disk!), { width, scale, gap, leastWidth: 60 });
            expect(new Set(basins.map(({ key }) => key)).size).toBe(basins.length);
            for (const basin of basins) expect(basin.width).toBeGreaterThanOrEqual(0);
          }
        },
      ),
    );
  });
});

describe('walking through the chart by keyboard', () => {
  const strips = draw('legible');

  it('always lands on a basin that is there', () => {
    const keys = fc.array(fc.constantFrom<Direction>('left', 'right', 'up', 'down', 'start', 'end'), {
      maxLength: 40,
    });
    fc.assert(
      fc.property(keys, (presses) => {
        const spot = presses.reduce((from, press) => walk(strips, from, press), findFirstSpot(strips)!);
        expect(strips[spot.strip]!.basins.map((basin) => basin.key)).toContain(spot.key);
      }),
    );
  });

  it('follows a partition through time and stops at the edges', () => {
    const down = (['down', 'down', 'down', 'down', 'down'] as const).reduce((s, d) => walk(strips, s, d), {
      strip: 0,
      key: 'p5',
    });
    expect(down).toEqual({ strip: 4, key: 'p5' });
    expect(walk(strips, { strip: 0, key: 'p1' }, 'left')).toEqual({ strip: 0, key: 'p1' });
  });
});

describe('a cluster map', () => {
  const heights = (path: string, box: { y: number; height: number }) =>
    [...path.matchAll(/V([\d.]+) H/g)].map(([, y]) => box.y + box.height - Number(y));

  it('draws as much as is used, where it is used', () => {
    const box = { x: 0, y: 0, width: 8, height: 10 };
    const path = drawDensity({ clustersPerBucket: 100, used: [100, 0, 50, 1] }, 400, box);
    expect(heights(path, box)).toEqual([10, 5, 1]);
    expect(path).toMatch(/^M0,10 .* M4,10 .* M6,10 /);
  });

  it('never leaves its box, and shows every used cluster', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 64 }), { minLength: 1, maxLength: 2048 }),
        fc.integer({ min: 1, max: 900 }),
        (used, width) => {
          const box = { x: 3, y: 5, width, height: 14 };
          const path = drawDensity({ clustersPerBucket: 64, used }, used.length * 64, box);
          for (const height of heights(path, box)) {
            expect(height).toBeGreaterThanOrEqual(1 - 0.01);
            expect(height).toBeLessThanOrEqual(14 + 0.01);
          }
          expect(path === '').toBe(used.every((one) => one === 0));
        },
      ),
    );
  });
});

describe('water', () => {
  it('stays inside its basin, whatever the level', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.integer({ min: 4, max: 900 }),
        (level, width) => {
          const path = drawWater({ x: 10, y: 20, width, height: 58 }, level);
          // The control points of a quadratic curve lie at twice its height; the curve itself at half of that.
          const surface = 78 - level * 58;
          for (const [, , y] of path.matchAll(/([\d.]+),([\d.]+)/g)) {
            const reach = surface + (Number(y) - surface) / 2;
            expect(reach).toBeGreaterThanOrEqual(20 - 0.02);
            expect(reach).toBeLessThanOrEqual(78 + 0.02);
          }
        },
      ),
    );
    expect(drawWater({ x: 0, y: 0, width: 10, height: 10 }, 0)).toBe('');
  });
});
