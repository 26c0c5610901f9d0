import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { endOf } from '../disk';
import { planRoutes, type Route } from '../planning';
import { EVERYDAY } from '../planning/test/everyday/everyday';
import { unwrap } from '../problem';
import { computeLayouts } from '../steps';
import { machineOf } from '../survey';
import { axisOf, computeBands, stripsOf, type ScaleKind } from '.';

const GAP = 3;
const optionsFor = (width: number, scale: ScaleKind) => ({
  width,
  scale,
  gap: scale === 'true' ? 0 : GAP,
  leastWidth: 20,
  stripHeight: 58,
  flow: 46,
});

/** Routes of everyday situations: obstacles pushed aside, donors, copies, enlarged disks, logical drives. */
const CHARTS = EVERYDAY.flatMap(({ id, survey, ask }) => {
  const disk = machineOf(survey).disks[0]!;
  const { routes } = unwrap(planRoutes({ survey, disk: 0, ...ask }, { nodes: 200 }));
  return routes.slice(0, 2).map((route: Route) => ({ id, disk, route }));
});

describe('the axis that all strips of a chart share', () => {
  it.each<ScaleKind>(['legible', 'true'])('lets what does not move stand still (%s)', (scale) => {
    let still = 0;
    for (const { id, disk, route } of CHARTS) {
      const strips = stripsOf(disk, unwrap(computeLayouts(disk, route.steps)), optionsFor(680, scale));
      strips.slice(1).forEach((below, i) => {
        for (const { from, to, path } of computeBands(strips[i]!, below, 58)) {
          if (from.extent.first !== to.extent.first) continue;
          expect(to.x, `${id}: ${from.name}`).toBe(from.x);
          if (from.extent.sectors !== to.extent.sectors) continue;
          expect(to.width).toBe(from.width);
          // A straight band: all its points stand at one of two places.
          const places = [...path.matchAll(/([\d.]+),[\d.]+/g)].map(([, x]) => x);
          expect(new Set(places).size).toBe(2);
          still++;
        }
      });
    }
    expect(still).toBeGreaterThan(300);
  });

  it('keeps the least width of every partition of every strip wherever all of them fit', () => {
    fc.assert(
      fc.property(fc.constantFrom(...CHARTS), fc.integer({ min: 400, max: 1600 }), (chart, width) => {
        const { disk, route } = chart;
        const options = optionsFor(width, 'legible');
        const strips = stripsOf(disk, unwrap(computeLayouts(disk, route.steps)), options);
        const all = strips.flatMap(({ basins }) => basins);
        const knots = new Set(all.flatMap(({ extent }) => [extent.first, endOf(extent)]));
        const fits = knots.size * (options.leastWidth + GAP) <= width;
        for (const basin of all) {
          if (fits && basin.partition) expect(basin.width).toBeGreaterThanOrEqual(options.leastWidth - 1e-6);
          expect(basin.x).toBeGreaterThanOrEqual(0);
          expect(basin.x + basin.width).toBeLessThanOrEqual(width + 1e-6);
        }
      }),
    );
  });

  it('never turns back, and leads from a pixel to the sector that lies there', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...CHARTS),
        fc.constantFrom<ScaleKind>('legible', 'true'),
        fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 2, maxLength: 20 }),
        ({ disk, route }, scale, shares) => {
          const layouts = unwrap(computeLayouts(disk, route.steps));
          const axis = axisOf(
            layouts.map((layout) => ({ disk, layout })),
            optionsFor(900, scale),
          );
          const pixels = shares.map((share) => share * 900).sort((a, b) => a - b);
          const sectors = pixels.map(axis.sectorAt);
          expect(sectors).toEqual([...sectors].sort((a, b) => a - b));
          pixels.forEach((pixel, i) => expect(axis.pixelAt(sectors[i]!)).toBeCloseTo(pixel, 1));
        },
      ),
    );
  });
});
