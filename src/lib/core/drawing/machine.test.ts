import { unwrap } from '../problem';
import { share } from '../test/evidence';
import { findFloor, computeLayouts, nextNumber, type Intent } from '../steps';
import { SHIPPED_KITS, type Kit } from '../tools';
import type { Task } from '../planning';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { bytesOf, contains, overlaps } from '../disk';
import { begin, record, redo, undo, type History } from '../history';
import { diskSpec, surveyWith } from '../survey/sketch';
import { applyEdit, follow, HANDLES, makeIntents, reachOf, findRest, type Drawing, type Edit } from '.';
import { taskFor } from './test/sample';

/** Small and full of cases: a recovery partition in the way, an encrypted volume, room behind. */
const SURVEY = surveyWith(
  diskSpec({ size: 900 }, [
    { role: 'efi', size: 20, used: 5, fileSystem: 'fat32' },
    { role: 'reserved', size: 16 },
    { role: 'windows', size: 200, used: 120, letter: 'C' },
    { role: 'recovery', size: 30, used: 12 },
    { role: 'data', size: 160, used: 60, letter: 'D', smallestRunning: 100, smallestOffline: 70 },
    { role: 'data', size: 90, used: 30, letter: 'E', encrypted: true },
    { role: 'data', size: 60, used: 10, letter: 'F', fileSystem: 'exfat', gap: 25 },
  ]),
);
const kits = SHIPPED_KITS.map((kit) => kit.id);
const tasks = new Map(
  kits.map((id) => [
    id,
    taskFor(
      id,
      {
        goal: { partition: 3, size: 300 * 2 ** 20 },
        outside: [{ name: 'bench disk', bytes: 10 ** 9 }],
        mayDelete: [7],
      },
      SURVEY,
    ),
  ]),
);
const at = (drawing: Drawing): { task: Task; kit: Kit } => tasks.get(drawing.kit)!;

/** What the screen holds: the drawing with all that can be taken back. */
interface Real {
  history: History<Drawing>;
}
/** What it is held against: every layout that it was in, and which one it is in. */
interface Model {
  states: string[];
  now: number;
}
const said = (drawing: Drawing): string => JSON.stringify(drawing);

/** Every step is done on the layout before it and within its tool, or is marked with a reason. */
function check({ history }: Real): void {
  const drawing = history.now;
  const { task, kit } = at(drawing);
  const { disk } = task;
  const followed = follow(task, kit, drawing);
  expect(followed.results.map((result) => result.drawn)).toEqual(drawing.steps);
  let before = followed.start;
  for (const { kind, reason, step, tools, drawn, after } of followed.results) {
    if (kind === 'done') {
      expect(step).not.toBeNull();
      expect(tools).toContain(step!.tool);
      if (drawn.tool !== null) expect(step!.tool).toBe(drawn.tool);
      if (step!.verb === 'shrink') {
        const partition = before.partitions.find((one) => one.number === step!.partition)!;
        const tool = kit.tools.find((one) => one.id === step!.tool)!;
        expect(bytesOf(disk, step!.to!)).toBeGreaterThanOrEqual(findFloor(disk, partition, tool)!);
      }
    } else {
      expect(step).toBeNull();
      expect(after).toBe(before);
      expect(reason === '').toBe(kind === 'off');
      if (kind === 'refused') expect(reason).toMatch(/[.”]$/);
    }
    const { partitions, usable } = after;
    partitions.forEach((one, i) => {
      expect(contains(usable, one)).toBe(true);
      for (const other of partitions.slice(i + 1)) expect(overlaps(one, other)).toBe(false);
    });
    before = after;
  }
  // The steps done are a route that anybody can follow.
  const left = unwrap(computeLayouts(disk, followed.steps)).at(-1)!;
  expect(left.partitions).toEqual(before.partitions);
  // Saved and loaded it is the same.
  const loaded = JSON.parse(said(drawing)) as Drawing;
  expect(follow(task, kit, loaded)).toEqual(followed);
}

class Change implements fc.Command<Model, Real> {
  constructor(
    private readonly name: string,
    private readonly make: (drawing: Drawing) => Edit | null,
  ) {}
  check = () => true;
  run(model: Model, real: Real): void {
    const edit = this.make(real.history.now);
    const next = edit ? applyEdit(real.history.now, edit) : real.history.now;
    if (next !== real.history.now) {
      real.history = record(real.history, next);
      model.states = [...model.states.slice(0, model.now + 1), said(next)];
      model.now++;
    }
    check(real);
  }
  toString = () => this.name;
}

class Travel implements fc.Command<Model, Real> {
  constructor(private readonly by: 1 | -1) {}
  check = () => true;
  run(model: Model, real: Real): void {
    real.history = this.by < 0 ? undo(real.history) : redo(real.history);
    model.now = Math.max(0, Math.min(model.states.length - 1, model.now + this.by));
    expect(said(real.history.now)).toBe(model.states[model.now]);
    check(real);
  }
  toString = () => (this.by < 0 ? 'undo' : 'redo');
}

const fraction = fc.double({ min: 0, max: 1, noNaN: true });
const pick = <T>(from: readonly T[], where: number): T | undefined =>
  from[Math.min(from.length - 1, Math.floor(where * from.length))];

/** A drag of some handle of some partition on some strip. */
const drag = fc
  .record({
    strip: fraction,
    who: fraction,
    handle: fc.constantFrom(...HANDLES),
    to: fc.integer({ min: -50, max: 950 }),
  })
  .map(
    ({ strip, who, handle, to }) =>
      new Change(`drag ${handle} to ${to}`, (drawing) => {
        const { task, kit } = at(drawing);
        const { start, results } = follow(task, kit, drawing);
        const place = Math.floor(strip * (results.length + 1));
        const layout = place === 0 ? start : results[place - 1]!.after;
        const partition = pick(layout.partitions, who);
        if (!partition) return null;
        const reach = reachOf(task, kit, layout, partition, handle);
        const rest = findRest(task.disk, reach, to * 2048, 3 * 2048);
        const intents = makeIntents(partition, handle, rest.at);
        // What a drag allows is what the disk and the tools allow.
        const after = follow(
          task,
          kit,
          applyEdit(
            { ...drawing, steps: drawing.steps.slice(0, place) },
            { kind: 'add', at: place, intents },
          ),
        );
        expect(after.results.slice(place).map((one) => one.reason)).toEqual(intents.map(() => ''));
        return { kind: 'add', at: place, intents };
      }),
  );

const otherVerb = fc.record({ verb: fc.integer({ min: 0, max: 7 }), who: fraction, place: fraction }).map(
  ({ verb, who, place }) =>
    new Change(`verb ${verb}`, (drawing) => {
      const { task, kit } = at(drawing);
      const { start, results } = follow(task, kit, drawing);
      const layout = results.at(-1)?.after ?? start;
      const partition = pick(layout.partitions, who)?.number ?? 1;
      const number = nextNumber(task.disk, layout);
      const first = Math.floor(place * 900) * 2048;
      const intents: Intent[] = [
        { verb: 'delete', partition, word: who < 0.5 ? '' : 'the owner' },
        { verb: 'set-aside', partition },
        { verb: 'put-back', partition: 4, to: { first, sectors: 30 * 2048 } },
        { verb: 'decrypt', partition },
        { verb: 'copy', partition, into: who < 0.5 ? { outside: 'bench disk' } : { partition: number - 1 } },
        { verb: 'copy-back', partition: number - 1, of: 5, fromOutside: 'bench disk' },
        {
          verb: 'create',
          partition: number,
          to: { first, sectors: 70 * 2048 },
          create: {
            type: 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7',
            attributes: '0x0000000000000000',
            name: '',
            fileSystem: 'ntfs',
            clusterSize: 4096,
            label: 'New',
          },
        },
        { verb: 'relocate-table' },
      ];
      return { kind: 'add', at: drawing.steps.length, intents: [intents[verb]!] };
    }),
);

const onStep = fc
  .record({
    what: fc.constantFrom('switch', 'remove', 'tool', 'join', 'change'),
    which: fraction,
    tool: fc.constantFrom(null, 'windows', 'live-mover', 'offline-mover'),
    by: fc.integer({ min: -40, max: 40 }),
  })
  .map(
    ({ what, which, tool, by }) =>
      new Change(what, (drawing) => {
        const step = pick(drawing.steps, which);
        if (!step) return null;
        const { id, intent } = step;
        if (what === 'switch') return { kind: 'switch', id, off: !step.off };
        if (what === 'tool') return { kind: 'tool', id, tool };
        if (what !== 'change') return { kind: what as 'remove' | 'join', id };
        return intent.verb === 'move'
          ? { kind: 'change', id, intent: { ...intent, first: intent.first + by * 2048 } }
          : null;
      }),
  );

const reorder = fc.record({ from: fraction, to: fraction }).map(
  ({ from, to }) =>
    new Change('reorder', ({ steps }) => {
      const ids = steps.map((step) => step.id);
      const [moved] = ids.splice(Math.floor(from * ids.length), 1);
      if (moved !== undefined) ids.splice(Math.floor(to * (ids.length + 1)), 0, moved);
      return { kind: 'order', ids };
    }),
);

const otherKit = fc
  .constantFrom(...kits)
  .map((kit) => new Change(`kit ${kit}`, () => ({ kind: 'kit', kit })));

describe('the editing machine', () => {
  it('keeps every layout valid or marked, and every layout can be gone back to', () => {
    const commands = fc.commands(
      [
        drag,
        drag,
        otherVerb,
        onStep,
        reorder,
        otherKit,
        fc.constant(new Travel(-1)),
        fc.constant(new Travel(1)),
      ],
      { maxCommands: 30, size: 'max' },
    );
    fc.assert(
      fc.property(commands, fc.constantFrom(...kits), (list, kit) => {
        const begun: Drawing = { kit, steps: [] };
        fc.modelRun(
          () => ({ model: { states: [said(begun)], now: 0 }, real: { history: begin(begun) } }),
          list,
        );
      }),
      { numRuns: share(150, 3) },
    );
  });

  it('gives every step an id of its own, whatever comes and goes', () => {
    const adds = fc.array(fc.record({ at: fraction, gone: fc.option(fraction) }), { maxLength: 30 });
    fc.assert(
      fc.property(adds, (list) => {
        let drawing: Drawing = { kit: 'offline-mover', steps: [] };
        for (const { at: place, gone } of list) {
          const put = Math.floor(place * (drawing.steps.length + 1));
          drawing = applyEdit(drawing, { kind: 'add', at: put, intents: [{ verb: 'relocate-table' }] });
          const id = gone === null ? undefined : pick(drawing.steps, gone)?.id;
          if (id !== undefined) drawing = applyEdit(drawing, { kind: 'remove', id });
        }
        const ids = drawing.steps.map((step) => step.id);
        expect(new Set(ids).size).toBe(ids.length);
      }),
    );
  });
});
