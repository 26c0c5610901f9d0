import { describe, expect, it } from 'vitest';
import { clinic } from '../test/clinic';
import { GIB } from '../units';
import { breakPoints, criteriaOf, effortBySize, highlights, inOrder, planRoutes, type CriterionKey } from '.';

const survey = clinic();
const answer = planRoutes(
  { survey, disk: 0, goal: { partition: 3, size: 200 * GIB } },
  { milliseconds: 60_000, nodes: 300 },
);
if (!answer.ok) throw new Error('the clinic has routes');
const { routes } = answer.value;

describe('the few that matter', () => {
  it.each(['safe', 'quick', 'few-steps'] as const)('are true to their reasons (%s)', (prefer) => {
    const order = inOrder(routes, prefer);
    expect([...order].sort((a, b) => a - b)).toEqual(routes.map((_, i) => i));
    const few = highlights(routes, order, prefer);
    expect(few[0]!.index).toBe(order[0]);
    expect(new Set(few.map((pick) => pick.index)).size).toBe(few.length);
    const of = (reason: string) =>
      routes[few.find((pick) => pick.reasons.some(({ code }) => code === reason))!.index]!;
    const least = (key: CriterionKey) => Math.min(...routes.map((route) => criteriaOf(route)[key]));
    expect(of('bytesCopied').totals.bytesCopied).toBe(least('bytesCopied'));
    expect(of('steps').totals.steps).toBe(least('steps'));
    expect(of('unexposed').totals.exposedBytes).toBe(0);
  });
});

describe('size against effort', () => {
  it('breaks where what is needed changes, and never falls', () => {
    const sizes = [130, 160, 200, 250, 300, 400].map((size) => size * GIB);
    const points = effortBySize(
      { survey, disk: 0, goal: { partition: 3, max: true }, kits: ['live-mover'] },
      sizes,
    );
    const reached = points.filter((point) => point.bytes !== null);
    expect(points.at(-1)!.bytes).toBeNull();
    reached.slice(1).forEach((point, i) => expect(point.bytes).toBeGreaterThanOrEqual(reached[i]!.bytes!));
    for (const point of breakPoints(reached)) {
      const next = reached[reached.indexOf(point) + 1]!;
      expect(next.title).not.toBe(point.title);
    }
  });
});
