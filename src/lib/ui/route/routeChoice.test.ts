import { describe, expect, it } from 'vitest';
import { planRoutes } from '$core/planning';
import { unwrap } from '$core/problem';
import { machineOf } from '$core/survey';
import { clinic } from '$core/test/clinic';
import { GIB } from '$core/units';
import { summarizeRoute, RouteChoice } from './routeChoice.svelte';

const survey = clinic();
const { routes } = unwrap(planRoutes({ survey, disk: 0, goal: { partition: 3, size: 200 * GIB } }));
const disk = machineOf(survey).disks[0]!;
const target = disk.partitions.find(({ number }) => number === 3)!;
const begin = (chosen: number | null = null, found = routes) => new RouteChoice(() => found, 'safe', chosen);

describe('the list of routes', () => {
  it('has every route once, those to look at first before the others', () => {
    const choice = begin();
    for (const prefer of ['usual', 'safe', 'quick', 'few-steps'] as const) {
      choice.prefer = prefer;
      const listed = [...choice.few.map(({ index }) => index), ...choice.rest];
      expect([...listed].sort((a, b) => a - b)).toEqual(routes.map((_, i) => i));
      expect(choice.order[0]).toBe(choice.few[0]!.index);
    }
  });

  it('begins by the preference with what is least in it', () => {
    const choice = begin();
    const first = () => routes[choice.order[0]!]!.totals;
    expect(first().exposedBytes).toBe(Math.min(...routes.map(({ totals }) => totals.exposedBytes)));
    choice.prefer = 'quick';
    expect(first().bytesCopied).toBe(Math.min(...routes.map(({ totals }) => totals.bytesCopied)));
    choice.prefer = 'few-steps';
    expect(first().steps).toBe(Math.min(...routes.map(({ totals }) => totals.steps)));
  });

  it('is of one kit where that is asked, and what is shown stays shown', () => {
    const choice = begin();
    expect([...choice.kits].sort()).toEqual(['live-mover', 'offline-mover', 'windows-only']);
    const other = choice.order.find((index) => routes[index]!.kit !== 'windows-only')!;
    choice.show(other);
    choice.kit = 'windows-only';
    expect(choice.order.length).toBeGreaterThan(0);
    for (const index of choice.order) expect(routes[index]!.kit).toBe('windows-only');
    expect(choice.shown).toBe(other);
  });
});

describe('what is shown', () => {
  it('is the chosen route, else the first of the few; one that is gone is not', () => {
    expect(begin(2).shown).toBe(2);
    const choice = begin();
    expect(choice.shown).toBe(choice.few[0]!.index);
    expect(begin(routes.length + 5).shown).toBe(choice.shown);
  });

  it('puts another beside it, and takes it away again; never the same twice', () => {
    const choice = begin(0);
    choice.view = 'compare';
    choice.toggleBeside(1);
    expect([choice.second, choice.view]).toEqual([routes[1], 'chart']);
    choice.show(1);
    expect(choice.second).toBeNull();
    choice.show(0);
    choice.toggleBeside(1);
    expect(choice.second).toBeNull();
  });

  it('is deselected with the route', () => {
    const choice = begin(0);
    choice.selected = { spot: { strip: 1, key: 'p3' }, basin: null as never };
    choice.show(1);
    expect(choice.selected).toBeNull();
  });
});

describe('in words', () => {
  it('says what a technician without a mover has', () => {
    const choice = begin();
    const alone = routes.filter(({ steps }) => steps.every(({ tool }) => tool === 'windows'));
    expect(alone.length).toBeGreaterThan(0);
    expect(choice.windowsAlone).toMatch(/^Windows alone (copies .+ in .+ steps?|does it)/);
    const none = routes.filter((route) => !alone.includes(route));
    expect(begin(null, none).windowsAlone).toBe('Windows alone has no way to this size.');
  });

  it('says where the room comes from, and whether recovery stays behind the target', () => {
    for (const route of routes) {
      const text = summarizeRoute(disk, target, route);
      const shrunk = route.steps.some(({ verb }) => verb === 'shrink');
      expect(text.startsWith(shrunk ? 'Room comes from Archive (D:).' : 'Room comes from unallocated')).toBe(
        true,
      );
      expect(text.includes('no longer stands behind C:')).toBe(!route.keepsRecoveryBehind);
    }
  });
});
