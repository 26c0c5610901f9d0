import type { Intent } from '../steps';
import { describe, expect, it } from 'vitest';
import { endOf } from '../disk';
import { diskSpec, surveyWith } from '../survey/sketch';
import { GIB, MIB } from '../units';
import { lint, drawingOf, applyEdit, finished, follow, planWayBack, type Drawing, type Hint } from '.';
import { planRoutes } from '../planning';
import { taskFor } from './test/sample';

const SLOT = 2048;
const drawn = (kit: string, ...intents: Intent[]): Drawing =>
  applyEdit({ kit, steps: [] }, { kind: 'add', at: 0, intents });
const gib = (value: number): number => (value * GIB) / 512;

const offline = taskFor('offline-mover');
const { disk } = offline.task;
const [, , c, recovery, archive] = disk.partitions;
const shrinkArchive: Intent = {
  verb: 'shrink',
  partition: archive!.number,
  to: { first: archive!.first, sectors: archive!.sectors - gib(81) },
};
const hintsOf = ({ task, kit }: typeof offline, drawing: Drawing): Hint[] =>
  lint(task, kit, drawing, follow(task, kit, drawing));
const codes = (hints: readonly Hint[]): string[] => hints.map((hint) => hint.code);

describe('coaching', () => {
  it('says that room behind Archive is out of reach, and mends it with one edit', () => {
    const drawing = drawn('offline-mover', shrinkArchive);
    const hint = hintsOf(offline, drawing).find((one) => one.code === 'room-out-of-reach')!;
    expect(hint.title).toBe('The room that you made lies behind Archive; C: can’t reach it');
    const mended = applyEdit(drawing, hint.fix!.edit);
    const { results } = follow(offline.task, offline.kit, mended);
    expect(results.map(({ kind, step }) => [kind, step?.verb, step?.partition])).toEqual([
      ['done', 'shrink', 5],
      ['done', 'move', 5],
      ['done', 'move', 4],
    ]);
    // Now the room lies right behind C:, to the byte.
    const now = results.at(-1)!.after.partitions.find((one) => one.number === recovery!.number)!;
    expect(now.first - endOf(c!)).toBe(gib(81));
    expect(codes(hintsOf(offline, mended))).not.toContain('room-out-of-reach');
  });

  it('says why it can’t be mended without a mover', () => {
    const windows = taskFor('windows-only');
    const hint = hintsOf(windows, drawn('windows-only', shrinkArchive))[0]!;
    expect(hint.code).toBe('room-out-of-reach');
    expect(hint.fix).toBeNull();
    expect(hint.detail).toContain('no tool of this kit moves it');
  });

  it('offers a leap where a move is exposed and a bed is free, and the leap exposes nothing', () => {
    const drawing = drawn(
      'offline-mover',
      { ...shrinkArchive, to: { first: archive!.first, sectors: gib(160) } },
      { verb: 'move', partition: 5, first: archive!.first + gib(20) },
    );
    const hint = hintsOf(offline, drawing).find((one) => one.code === 'exposed-move')!;
    const leaping = follow(offline.task, offline.kit, applyEdit(drawing, hint.fix!.edit));
    expect(leaping.results.every((result) => result.kind === 'done')).toBe(true);
    expect(leaping.route!.totals.exposedBytes).toBe(0);
  });

  it('tells of stranded room, of recovery apart, of what is left aside, and of two steps that are one', () => {
    const apart = drawn('offline-mover', shrinkArchive, {
      verb: 'move',
      partition: 4,
      first: endOf(archive!) - gib(2),
    });
    expect(codes(hintsOf(offline, apart))).toContain('recovery-apart');
    const little = { ...archive!, sectors: archive!.sectors - 300 * SLOT };
    const strands = drawn('offline-mover', { ...shrinkArchive, to: little });
    expect(hintsOf(offline, strands).find((one) => one.code === 'stranded')!.title).toContain(
      'are left stranded',
    );
    expect(codes(hintsOf(offline, drawn('offline-mover', { verb: 'set-aside', partition: 4 })))).toContain(
      'left-aside',
    );
    const twice = drawn('offline-mover', { ...shrinkArchive, to: little }, shrinkArchive);
    const join = hintsOf(offline, twice).find((one) => one.code === 'join')!;
    expect(follow(offline.task, offline.kit, applyEdit(twice, join.fix!.edit)).steps).toHaveLength(1);
  });

  it('tells of a boot repair on MBR, of a start off the MiB, and of a change of tools that can be saved', () => {
    const mbr = surveyWith(
      diskSpec({ size: 1000, table: 'mbr' }, [
        { role: 'windows', size: 300, used: 100, letter: 'C', active: true },
        { role: 'data', size: 300, used: 50, letter: 'D', gap: 100 },
      ]),
    );
    const other = taskFor('offline-mover', { goal: { partition: 1, size: 400 * MIB } }, mbr);
    const d = other.task.disk.partitions[1]!;
    const off = drawn('offline-mover', { verb: 'move', partition: 2, first: d.first + 1 });
    expect(codes(hintsOf(other, off))).toEqual(expect.arrayContaining(['repair-after-move', 'misaligned']));
    const tools = drawn('offline-mover', { verb: 'move', partition: 2, first: d.first + 10 * SLOT });
    const swapped = applyEdit(
      applyEdit(tools, {
        kind: 'add',
        at: 1,
        intents: [{ verb: 'extend', partition: 1, to: { ...other.task.target, sectors: 400 * SLOT } }],
      }),
      { kind: 'tool', id: 's2', tool: 'windows' },
    );
    const hint = hintsOf(other, swapped).find((one) => one.code === 'hand-over')!;
    const better = follow(other.task, other.kit, applyEdit(swapped, hint.fix!.edit));
    expect(better.route!.totals.handOvers).toBe(0);
  });
});

describe('finishing and going back', () => {
  const { task, kit, request } = offline;
  const short = { milliseconds: 60_000, nodes: 200 };

  it('lets the planner bring a drawing to the goal, exactly', () => {
    const done = finished(task, kit, request, drawn('offline-mover', shrinkArchive), 1, short);
    if (!done.ok) throw new Error(JSON.stringify(done.problems));
    const followed = follow(task, kit, done.value.drawing);
    expect(followed.results.map((result) => result.reason).join('')).toBe('');
    expect(followed.reached).toBe(true);
    const target = followed.results.at(-1)!.after.partitions.find((one) => one.number === 3)!;
    expect(target.sectors * 512).toBe(200 * GIB);
    const again = finished(task, kit, request, done.value.drawing, done.value.drawing.steps.length, short);
    expect(again.ok).toBe(false);
  });

  it('goes back from every result of every found route, and says what can’t come back', () => {
    const outside = taskFor('windows-only', { outside: [{ name: 'bench disk', bytes: 400 * GIB }] });
    for (const { task, kit, request } of [offline, outside]) {
      const answer = planRoutes(request, short);
      if (!answer.ok) throw new Error('no answer');
      expect(answer.value.routes.length).toBeGreaterThan(0);
      for (const route of answer.value.routes) {
        const drawing = drawingOf(route);
        expect(follow(task, kit, drawing).steps).toEqual(route.steps);
        for (let upTo = 0; upTo <= drawing.steps.length; upTo++) {
          const back = planWayBack(task, kit, drawing, upTo);
          const { results, start } = follow(task, kit, back.drawing);
          expect(results.every((result) => result.kind === 'done')).toBe(true);
          const left = (results.at(-1)?.after ?? start).partitions;
          const where = left.map(({ first, sectors }) => ({ first, sectors }));
          expect(where).toEqual(task.disk.partitions.map(({ first, sectors }) => ({ first, sectors })));
          const anew = route.steps.slice(0, upTo).some((step) => step.verb === 'delete');
          expect(back.lost.some((line) => line.includes('another GUID'))).toBe(anew);
        }
      }
    }
  });

  it('says what is gone for good', () => {
    const drawing = drawn('offline-mover', { verb: 'delete', partition: 5, word: 'the clinic' });
    const back = planWayBack(task, kit, drawing, 1);
    expect(back.lost).toContain('What Archive (D:) held is gone with it; only a backup brings that back.');
  });
});
