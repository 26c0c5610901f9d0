import fc from 'fast-check';
import { describe, expect, it, vi } from 'vitest';
import { planRoutes, type RoutesRequest } from '$core/planning';
import { cleanupReportsOf } from '$core/holdings';
import { clinic } from '$core/test/clinic';
import { clinicHoldings } from '$core/test/clinicHoldings';
import { GIB, MIB } from '$core/units';
import { savingServer } from '../test/savingServer';
import { GoalForm, type GoalData, type GoalPorts } from './goalForm.svelte';

const data: GoalData = {
  job: {
    number: 2614,
    version: 3,
    survey: { document: clinic() },
    target: { disk: 0, partition: 3 },
    goal: null,
    holdings: null,
  },
  workshop: {},
  fillings: [],
};

function begin(plan: GoalPorts['plan'] = () => Promise.resolve(null), given = data) {
  const shown: boolean[] = [];
  const form = new GoalForm(() => given, {
    plan,
    show: (reached) => Promise.resolve(void shown.push(reached)),
  });
  const type = (text: string, field: 'total' | 'added' = 'total') => (form.typed = { field, text });
  return { form, shown, type };
}

const server = savingServer();

describe('what can be asked for', () => {
  it('goes from one MiB more to the most that any kit gets', () => {
    const { form } = begin();
    expect(form.least).toBe(form.now + MIB);
    expect(form.most).toBe(Math.max(...Object.values(form.mostByKit)));
    expect(Object.keys(form.mostByKit)).toEqual(['windows-only', 'live-mover', 'offline-mover']);
    expect(form.nothing).toEqual([]);
  });

  it('hangs on the kits that are asked, and one of them always is', () => {
    const { form } = begin();
    for (const kit of ['windows-only', 'live-mover', 'offline-mover']) form.toggleKit(kit);
    expect(form.kits).toEqual(['offline-mover']);
    expect(Object.keys(form.mostByKit)).toEqual(['offline-mover']);
    form.toggleKit('windows-only');
    expect(form.kits).toEqual(['windows-only', 'offline-mover']);
  });

  it('falls as more is to stay free in the donors', () => {
    const { form } = begin();
    let before = Infinity;
    for (const percent of ['0', '10', '40,5', '60 %', '95']) {
      form.keepText = percent;
      expect(form.keepGood).toBe(true);
      expect(form.most).toBeLessThanOrEqual(before);
      before = form.most;
    }
    for (const odd of ['', ' ', '-1', '96', 'ten', '1e9', 'NaN']) {
      form.keepText = odd;
      expect([odd, form.keepGood, form.canAsk]).toEqual([odd, false, false]);
    }
  });
});

describe('how long it lasts', () => {
  const at = Date.parse(clinic().takenAt);
  const months = (...used: number[]) =>
    used.map((gib, i) => ({
      partition: 3,
      takenAt: new Date(at - (used.length - 1 - i) * 61 * 86_400_000).toISOString(),
      used: gib * GIB,
    }));
  const fillings = months(88.6, 93.1, 97.5, 102.8, 107.4, 112.6);
  const [windows, archive] = [3, 5].map((number) =>
    clinic().disks[0]!.partitions.find((one) => one.number === number)!,
  );

  it('is not said where nothing tells how it fills', () => {
    expect(begin().form.proposals).toBeNull();
    expect(begin(undefined, { ...data, fillings: fillings.slice(-1) }).form.proposals).toBeNull();
  });

  it('proposes what is enough for the years that the workshop sets, and a fair share with the donor', () => {
    const { form } = begin(undefined, { ...data, fillings });
    const { growth, enough, fair } = form.proposals!;
    expect(growth.middle / GIB).toBeCloseTo(28.7, 0);
    expect(enough).toEqual({ size: Math.ceil(112.6 + 2 * (growth.middle / GIB) + 20) * GIB, short: false });
    const five = begin(undefined, { ...data, fillings, workshop: { years: 5 } }).form.proposals!;
    expect(five.enough.size).toBeGreaterThan(enough.size + 80 * GIB);
    // Nothing is known of how D: fills, so it keeps as much for itself as C: gets, and both are full together.
    form.takeFair(fair!);
    expect(form.total).toBe(fair!.size);
    const left = archive!.volume!.size - (fair!.size - windows!.volume!.size);
    const years = (size: number, used: number) => (size - used) / growth.middle;
    expect(years(fair!.size, windows!.volume!.used!)).toBeCloseTo(years(left, archive!.volume!.used!), 0);
    expect(form.options.gives).toEqual({});
  });

  it('counts from what stays once what is ticked has gone', () => {
    const found = cleanupReportsOf(clinicHoldings());
    const choices = [{ disk: 0, partition: 3, goes: ['earlier-windows'], moves: [] }];
    const given = { ...data, fillings, job: { ...data.job, holdings: { found, choices } } };
    const [without, with20] = [begin(undefined, { ...data, fillings }).form, begin(undefined, given).form];
    expect([without.used! - with20.used!, with20.usedNow]).toEqual([20 * GIB, without.used]);
    expect(without.proposals!.enough.size - with20.proposals!.enough.size).toBe(20 * GIB);
    expect(with20.proposals!.asItIs.likely!).toBeGreaterThan(without.proposals!.asItIs.likely!);
    expect(with20.forWanted!).toBeLessThan(without.forWanted!);
  });

  it('counts what moves to a donor where it arrives: then that lasts less long, and the target more', () => {
    const found = cleanupReportsOf(clinicHoldings());
    const to = { disk: 0, partition: archive!.number };
    const moves = [{ path: '\\Users\\ida\\Pictures', to }];
    const choices = [{ disk: 0, partition: 3, goes: [], moves }];
    const given = { ...data, fillings, job: { ...data.job, holdings: { found, choices } } };
    const { growth, fair } = begin(undefined, given).form.proposals!;
    const years = (size: number, used: number) => (size - used) / growth.middle;
    const left = archive!.volume!.size - (fair!.size - windows!.volume!.size);
    const target = years(fair!.size, windows!.volume!.used! - 9 * GIB);
    const donor = years(left, archive!.volume!.used! + 9 * GIB);
    // A whole GiB is two weeks here.
    expect(Math.abs(target - donor)).toBeLessThan(0.1);
  });
});

describe('what is typed', () => {
  it.each([
    ['200 GiB', 'total', 200 * GIB],
    ['+81 GiB', 'total', 200 * GIB],
    ['81 GiB', 'added', 200 * GIB],
    ['', 'total', null],
    ['much', 'total', null],
    ['90 GiB', 'total', null],
  ] as const)('“%s” as %s comes to %s', (text, field, bytes) => {
    const { form, type } = begin();
    type(text, field);
    expect(form.total).toBe(bytes);
    expect(form.message === '').toBe(bytes !== null || text === '');
    expect(form.canAsk).toBe(bytes !== null);
  });

  it('is read back as the same size, exactly, wherever the slider stands', () => {
    const { form } = begin();
    fc.assert(
      fc.property(fc.integer({ min: form.least / MIB, max: Math.floor(form.most / MIB) }), (mib) => {
        form.take(mib * MIB);
        expect(form.total).toBe(mib * MIB);
        expect(form.tooMuch).toBe(false);
      }),
      { numRuns: 8 },
    );
    form.take(form.most);
    expect(form.total).toBe(form.most);
  });

  it('may be more than the most: it is said, and can be asked all the same', () => {
    const { form, type } = begin();
    type('1 TiB');
    expect([form.tooMuch, form.canAsk]).toEqual([true, true]);
  });

  it('may be a share that is to be free: used is then that much of the size', () => {
    const { form } = begin();
    form.wantedText = '20';
    expect(form.used! / form.forWanted!).toBeCloseTo(0.8, 4);
    for (const odd of ['0', '95', '', 'x', '-5']) {
      form.wantedText = odd;
      expect([odd, form.forWanted]).toEqual([odd, null]);
    }
  });
});

describe('asking', () => {
  const planned: GoalPorts['plan'] = (request) => Promise.resolve(planRoutes(request));

  it('sends what was asked together with what was found, and shows it', async () => {
    const requests: RoutesRequest[] = [];
    const { form, shown, type } = begin((request, onprogress) => {
      requests.push(request);
      onprogress(0.25);
      expect(form.planning).toBe(0.25);
      return Promise.resolve(planRoutes(request));
    });
    form.toggleKit('live-mover');
    type('200 GiB');
    await form.ask();
    expect(requests[0]).toMatchObject({
      disk: 0,
      goal: { partition: 3, size: 200 * GIB },
      keepFree: { percent: 10, bytes: 0 },
      kits: ['windows-only', 'offline-mover'],
    });
    expect(server.sent).toHaveLength(1);
    expect(server.sent[0]).toMatchObject({
      method: 'PUT',
      path: '/api/v1/jobs/2614/goal',
      body: {
        version: 3,
        size: 200 * GIB,
        keepFreePercent: 10,
        options: { kits: ['windows-only', 'offline-mover'] },
      },
    });
    expect([shown, form.planning, form.refusal]).toEqual([[true], null, null]);
  });

  it('saves nothing where it was stopped, or where there is no size', async () => {
    const { form, shown, type } = begin();
    await form.ask();
    type('200 GiB');
    await form.ask();
    expect([form.stopped, server.sent, shown]).toEqual([true, [], []]);
  });

  it('says what cannot be reached, and stays', async () => {
    const { form, shown, type } = begin(planned);
    type('2 TiB');
    await form.ask();
    expect(shown).toEqual([false]);
  });

  it('keeps what was asked until it is saved: another size typed meanwhile is not mixed with it', async () => {
    const refusal = { status: 409, detail: 'Somebody else saved.', current: 8 };
    vi.stubGlobal('fetch', () => Promise.resolve(Response.json(refusal, { status: 409 })));
    const { form, shown, type } = begin(planned);
    type('200 GiB');
    await form.ask();
    expect(form.refusal).toMatchObject({ status: 409, current: 8 });
    expect(shown).toEqual([]);
    type('150 GiB');
    server.answer();
    await form.save(8);
    expect(server.sent[0]!.body).toMatchObject({ version: 8, size: 200 * GIB });
    expect([form.refusal, shown]).toEqual([null, [true]]);
  });
});

describe('a goal that is there', () => {
  const goal = { size: 180 * GIB, keepFreePercent: 25, options: { kits: ['windows-only'] }, stale: false };

  it('is what the form begins with; one that went stale leaves its size to be typed anew', () => {
    const { form } = begin(undefined, { ...data, job: { ...data.job, goal } });
    expect([form.total, form.keep, form.kits]).toEqual([180 * GIB, 25, ['windows-only']]);
    const stale = begin(undefined, { ...data, job: { ...data.job, goal: { ...goal, stale: true } } });
    expect([stale.form.total, stale.form.keep]).toEqual([null, 25]);
  });
});
