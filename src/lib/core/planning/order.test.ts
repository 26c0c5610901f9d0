import { describe, expect, it } from 'vitest';
import { clinic } from '../test/clinic';
import { GIB } from '../units';
import { breakPoints, computeEffortBySize, chooseHighlights, inOrder, others, planRoutes } from '.';

const survey = clinic();
const answer = planRoutes(
  { survey, disk: 0, goal: { partition: 3, size: 200 * GIB } },
  { milliseconds: 60_000, nodes: 300 },
);
if (!answer.ok) throw new Error('the clinic has routes');
const { routes } = answer.value;

describe('the few that matter', () => {
  it.each(['usual', 'safe', 'quick', 'few-steps'] as const)('are true to their reasons (%s)', (prefer) => {
    const order = inOrder(routes, prefer);
    expect([...order].sort((a, b) => a - b)).toEqual(routes.map((_, i) => i));
    const few = chooseHighlights(routes, order, prefer);
    expect(few[0]!.index).toBe(order[0]);
    expect(new Set(few.map((pick) => pick.index)).size).toBe(few.length);
    const of = (reason: string) => {
      const pick = few.find(({ reasons }) => reasons.some(({ code }) => code === reason));
      return pick && routes[pick.index]!;
    };
    expect(of('unexposed')!.totals.exposedBytes).toBe(0);
    expect(of('windows-alone')!.steps.every(({ tool }) => tool === 'windows')).toBe(true);
    const quickest = of('quickest');
    if (quickest) {
      const middle = ({ totals: { seconds } }: typeof quickest) => seconds.low + seconds.high;
      const thrifty = routes.filter(({ usual }) => usual!.waste === 0);
      expect(middle(quickest)).toBe(Math.min(...thrifty.map(middle)));
      expect(middle(quickest)).toBeLessThanOrEqual(0.9 * middle(of('best')!));
    }
    const rest = others(routes, order, few);
    expect([...rest, ...few.map(({ index }) => index)].sort((a, b) => a - b)).toEqual(
      routes.map((_, i) => i),
    );
    const wasteful = rest.map((index) => routes[index]!.usual!.waste > 0);
    expect(wasteful).toEqual([...wasteful].sort());
  });

  it('begin with the usual way: nothing made anew, Windows stays, and so does the order', () => {
    const [first] = routes;
    expect(first!.usual).toMatchObject({ madeAnew: 0, bootStarts: 0, orderChanges: 0, waste: 0 });
    expect(first!.because).toMatch(/^Nothing is deleted and the order stays; .+[.]$/);
  });

  it('say which Recovery stays in place where the first moves it away', () => {
    const [a] = routes;
    const given = { ...a!, keepsRecoveryBehind: false };
    const few = chooseHighlights([given, a!], [0, 1], 'usual');
    expect(few[1]).toMatchObject({ index: 1, reasons: [{ code: 'keeps-recovery' }] });
  });

  it('are none where nothing is listed, and an answer kept without the figures is put in order too', () => {
    expect(chooseHighlights(routes, [], 'usual')).toEqual([]);
    const old = routes.map((route) => ({ ...route, usual: undefined }));
    expect(inOrder(old, 'usual')).toHaveLength(routes.length);
  });
});

describe('size against effort', () => {
  it('breaks where what is needed changes, and never falls', () => {
    const sizes = [130, 160, 200, 250, 300, 400].map((size) => size * GIB);
    const points = computeEffortBySize(
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
