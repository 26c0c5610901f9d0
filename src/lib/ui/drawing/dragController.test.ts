import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { alignment, endOf } from '$core/disk';
import { HANDLES } from '$core/drawing';
import { DragController, findDraggedExtent } from './dragController.svelte';
import { savingServer } from '../test/savingServer';
import { emptyStore } from './test/store';

const { task } = emptyStore('offline-mover');
const slot = alignment(task.disk);
const data = task.disk.partitions.find(({ role }) => role === 'data')!;

function begin() {
  const { store } = emptyStore('offline-mover');
  return { store, drag: new DragController(store) };
}

savingServer();

describe('dragging on the drawing board', () => {
  it('tries out while it is held, records once it is let go, and leaves nothing behind where it is broken off', () => {
    const { store, drag } = begin();
    drag.take(0, data, 'right');
    drag.nudge(-1024);
    expect(store.trial?.steps).toHaveLength(1);
    expect(store.drawing.steps).toHaveLength(0);
    drag.cancel();
    expect([store.trial, store.drawing.steps.length, store.canUndo]).toEqual([null, 0, false]);

    drag.take(0, data, 'right');
    drag.nudge(-1024);
    drag.letGo();
    expect(store.drawing.steps.map(({ intent }) => intent.verb)).toEqual(['shrink']);
    expect(store.canUndo).toBe(true);
    expect(drag.chosen).toEqual({ strip: 0, key: `p${data.number}` });
  });

  it('tries out nothing where it is brought back to where it stood', () => {
    const { store, drag } = begin();
    drag.take(0, data, 'right');
    drag.nudge(-5);
    drag.nudge(5);
    expect([drag.rest.at, store.trial]).toEqual([endOf(data), null]);
    drag.letGo();
    expect(store.canUndo).toBe(false);
  });

  it('never shows what would not be recorded, wherever the pointer goes', () => {
    const sectors = fc.integer({ min: -slot, max: task.disk.sectors + slot });
    const held = fc.constantFrom(...task.disk.partitions.filter(({ kind }) => kind === 'primary'));
    fc.assert(
      fc.property(
        held,
        fc.constantFrom(...HANDLES),
        fc.array(sectors, { minLength: 1, maxLength: 6 }),
        (one, handle, path) => {
          const { store, drag } = begin();
          drag.take(0, one, handle);
          for (const at of path) drag.bring(at, 4 * slot);
          const { least, most } = drag.held!.reach.ranges.find(
            (range) => drag.rest.at >= range.least && drag.rest.at <= range.most,
          )!;
          expect(drag.rest.at).toBeGreaterThanOrEqual(least);
          expect(drag.rest.at).toBeLessThanOrEqual(most);
          const shown = findDraggedExtent(drag.held!, drag.rest.at);
          for (const { kind, reason } of store.followed.results) expect([kind, reason]).toEqual(['done', '']);
          drag.letGo();
          const last = store.settled.results.at(-1)?.after ?? store.settled.start;
          const now = last.partitions.find(({ number }) => number === one.number)!;
          expect({ first: now.first, sectors: now.sectors }).toEqual(shown);
        },
      ),
      { numRuns: 200 },
    );
  });

  it('goes to the limit and says what stops it there', () => {
    const { drag } = begin();
    drag.take(0, data, 'right');
    drag.bring(0, 0);
    const pushed = { ...drag.rest };
    drag.toLimit('least');
    expect(drag.rest.at).toBe(pushed.at);
    expect(pushed.stop).toMatch(/[.]$/);
  });
});
