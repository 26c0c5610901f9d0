import { LIVE_MOVER, type Tool } from '../tools';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { drawingOf } from '../drawing';
import { taskFor } from '../drawing/test/sample';
import { planRoutes } from '../planning';
import { measureSheet, computeMeasuredRates } from '../proof';
import { clinic } from '../test/clinic';
import { GIB, MIB } from '../units';
import { itemsOf, makeSheet, progressOf, findBlockingItem, type Tick, type WorkSheet } from '.';

function sheetFor(kit: string, more: Parameters<typeof taskFor>[1] = {}): WorkSheet {
  const { task, kit: found, request } = taskFor(kit, more);
  const answer = planRoutes(request);
  const route =
    answer.ok && answer.value.routes.find(({ steps }) => steps.every((one) => one.tool !== 'windows'));
  if (!route) throw new Error('the clinic has a route that its mover does alone');
  const sheet = makeSheet(task, found, drawingOf(route));
  if (!sheet.ok) throw new Error(sheet.problems[0]!.message);
  return sheet.value;
}
const sheet = sheetFor('offline-mover');
const items = itemsOf(sheet);

const ticks = fc.uniqueArray(
  fc.record({
    id: fc.uuid(),
    item: fc.constantFrom(...items.map((item) => item.id)),
    outcome: fc.constantFrom('done', 'failed', 'undone'),
    at: fc.integer({ min: 0, max: 40 }).map((n) => new Date(n * 60_000).toISOString()),
    who: fc.constant('Ida'),
    note: fc.constant(''),
    seconds: fc.option(fc.nat(900)),
    answers: fc.constant({}),
  }) as fc.Arbitrary<Tick>,
  { selector: (tick) => tick.id, maxLength: 30 },
);

describe('the progress of a sheet', () => {
  it('is the same in whatever order ticks arrive, and however often each', () =>
    fc.assert(
      fc.property(ticks, fc.func(fc.integer()), (all, by) => {
        const shuffled = [...all, ...all].sort((a, b) => by(a.id) - by(b.id));
        const [one, other] = [progressOf(sheet, all), progressOf(sheet, shuffled)];
        expect(Object.fromEntries(other.ticks)).toEqual(Object.fromEntries(one.ticks));
        expect(other).toMatchObject({ done: one.done, remaining: one.remaining, measured: one.measured });
      }),
    ));

  it('never has a next item once one failed, and what remains shrinks with every item done', () =>
    fc.assert(
      fc.property(ticks, fc.constantFrom(...items), (all, item) => {
        const before = progressOf(sheet, all);
        expect(before.failed === null || before.next === null).toBe(true);
        const done: Tick = { ...tick(item.id), at: '2030-01-01T00:00:00.000Z' };
        const after = progressOf(sheet, [...all, done]);
        expect(after.remaining.waiting.high).toBeLessThanOrEqual(before.remaining.waiting.high);
        expect(after.done).toBeGreaterThanOrEqual(before.done);
      }),
    ));

  it('lets checks before be ticked in any order, and nothing of the work before all of them', () => {
    const at = (id: string) => items.find((item) => item.id === id)!;
    const none = progressOf(sheet, []);
    for (const item of items.filter((one) => one.kind === 'before'))
      expect(findBlockingItem(none, item)).toBeNull();
    expect(findBlockingItem(none, at('step-1'))?.id).toBe('before-image');
    const prepared = items
      .filter((one) => one.kind === 'before' || one.kind === 'open')
      .map((one) => tick(one.id));
    expect(findBlockingItem(progressOf(sheet, prepared), at('step-1'))).toBeNull();
    expect(findBlockingItem(progressOf(sheet, prepared), at('step-2'))?.id).toBe('step-1');
    expect(findBlockingItem(progressOf(sheet, prepared), at('after-files'))?.id).toBe('step-1');
  });
});

const tick = (item: string, seconds: number | null = null): Tick => ({
  id: `${item}-${seconds}`,
  item,
  outcome: 'done',
  who: 'Ida',
  at: '2026-11-20T10:00:00.000Z',
  note: '',
  seconds,
  answers: {},
});

describe('what a tool needs', () => {
  it('is counted as that tool counts, and its notes are on the sheet', () => {
    const own: Tool = {
      ...LIVE_MOVER,
      id: 'ours',
      name: 'Our mover',
      notes: 'Ask Jo for the stick.',
      countsFrom: 0,
    };
    const workshop = { tools: [own], kits: [{ id: 'ours', name: 'Ours', tools: ['windows', 'ours'] }] };
    const { runs } = sheetFor('ours', { workshop });
    const run = runs.find((one) => one.tool.id === 'ours')!;
    expect(run).toMatchObject({
      disk: 0,
      countsFrom: 0,
      staged: true,
      tool: { notes: 'Ask Jo for the stick.' },
    });
    expect(run.parts[0]!.commit!.title).toMatch(/^Commit step/);
  });

  it('is said before it starts: medium, battery, hibernation, encryption, recovery details with their values', () => {
    const survey = clinic();
    survey.machine = { ...survey.machine, hibernation: true, onBattery: true };
    survey.disks[0]!.partitions[4]!.volume!.dirty = true;
    survey.disks[0]!.partitions[2]!.volume!.encryption = { state: 'on', percent: 100 };
    const { task, kit, request } = taskFor('offline-mover', {}, survey);
    const answer = planRoutes(request);
    if (!answer.ok) throw new Error('it can be planned');
    const route = answer.value.routes.find((one) => one.steps.some((step) => step.tool === 'offline-mover'))!;
    const made = makeSheet(task, kit, drawingOf(route));
    if (!made.ok) throw new Error(made.problems[0]!.message);
    const text = JSON.stringify(made.value.before);
    for (const part of [
      'was on battery',
      'hibernate off',
      'Archive (D:) asked for a check',
      'Have each recovery key',
    ])
      expect(text).toContain(part);
    const recovery = made.value.before.find((one) => one.id === 'before-recovery')!;
    expect(recovery.values.map((value) => value.text)).toEqual(
      expect.arrayContaining(['0x8000000000000001 (required, no letter)', '990 MiB']),
    );
    const opened = made.value.runs.flatMap((run) => run.open.map((one) => one.title));
    expect(opened.join()).toContain('Make the medium of the offline mover');
    expect(made.value.after.map((one) => one.script?.text ?? '').join()).toContain('hibernate on');
  });
});

describe('measured times', () => {
  it('count where copying alone was waited for, and give median and middle half per medium', () => {
    const commit = items.find((item) => item.kind === 'commit')!;
    const runs = [100, 200, 300, 400].flatMap((seconds) =>
      measureSheet(1, sheet, [tick(commit.id, seconds), tick('before-image', 5), tick('run-1-start', 60)]),
    );
    expect(runs.map((run) => run.seconds)).toEqual([100, 200, 300, 400]);
    expect(runs[0]).toMatchObject({ media: sheet.disk.media, bytes: commit.bytes });
    const [rate] = computeMeasuredRates(runs);
    const mib = commit.bytes / MIB;
    expect(rate!.count).toBe(4);
    expect(rate!.median).toBeCloseTo((mib / 200 + mib / 300) / 2);
    expect(rate!.low).toBeCloseTo(mib / 400 + 0.75 * (mib / 300 - mib / 400));
    expect(computeMeasuredRates([])).toEqual([]);
  });

  it('do not count what failed, was not measured, or copied next to nothing', () => {
    const commit = items.find((item) => item.kind === 'commit')!;
    expect(commit.bytes).toBeGreaterThan(GIB);
    expect(measureSheet(1, sheet, [tick(commit.id)])).toEqual([]);
    expect(measureSheet(1, sheet, [{ ...tick(commit.id, 60), outcome: 'failed' }])).toEqual([]);
    expect(measureSheet(1, sheet, [tick('step-1', 60)])).toEqual([]);
  });
});
