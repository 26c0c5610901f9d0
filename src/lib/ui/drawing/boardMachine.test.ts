import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { endOf, nameInSentence } from '$core/disk';
import { FLOW, STRIP_HEIGHT } from '../chart/measures';
import { BoardMachine } from './boardMachine.svelte';
import { DragController } from './dragController.svelte';
import { savingServer } from '../test/savingServer';
import { emptyStore } from './test/store';

const { task } = emptyStore('live-mover');
const data = task.disk.partitions.find(({ role }) => role === 'data')!;

function begin() {
  const { store } = emptyStore('live-mover');
  const drag = new DragController(store);
  const others: string[] = [];
  const machine = new BoardMachine(store, drag, (key) => others.push(key) > 0);
  const basin = (strip: number, number: number) =>
    machine.strips[strip]!.basins.find(({ partition }) => partition?.number === number)!;
  const press = (...keys: string[]) => keys.map((key) => machine.press(key, false));
  return { store, drag, machine, others, basin, press };
}

savingServer();

describe('what is under the pointer', () => {
  it('is the basin there: its edges within a few pixels, never more than a third of it', () => {
    const { machine } = begin();
    for (const basin of machine.strips[0]!.basins) {
      const { x, width } = basin;
      const on = (at: number) => {
        const hit = machine.under(at, 10);
        return hit && [hit.basin.key, hit.handle];
      };
      expect(on(x + 1)).toEqual([basin.key, 'left']);
      expect(on(x + width / 2)).toEqual([basin.key, 'body']);
      expect(on(x + width - 1)).toEqual([basin.key, 'right']);
    }
  });

  it('is nothing beside the strips and between them', () => {
    const { machine } = begin();
    expect(machine.under(-20, 10)).toBeNull();
    expect(machine.under(machine.options.width + 20, 10)).toBeNull();
    expect(machine.under(100, STRIP_HEIGHT + FLOW / 2)).toBeNull();
  });

  it('can be held where a partition is, and a dry bed can’t', () => {
    const { machine, drag, basin, press } = begin();
    machine.choose({ strip: 0, key: basin(0, data.number).key });
    press('r', 'Home', 'Enter');
    const bed = machine.strips[1]!.basins.find(({ partition }) => !partition)!;
    expect(machine.takeAt(bed.x + bed.width / 2, machine.strips[1]!.y + 10)).toBe(false);
    expect(drag.held).toBeNull();
  });
});

describe('dragging by pointer', () => {
  it('moves what is held as far as the pointer goes, wherever it was taken hold of', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 6 }), fc.integer({ min: -300, max: -20 }), (inside, by) => {
        const { machine, drag, basin } = begin();
        const { x, width } = basin(0, data.number);
        const from = x + width - inside;
        expect(machine.takeAt(from, 10)).toBe(true);
        expect([drag.held!.partition.number, drag.held!.handle]).toEqual([data.number, 'right']);
        machine.bringTo(from + by);
        const line = machine.strips[0]!.axis.pixelAt(drag.rest.at);
        // The end goes with the pointer, to the MiB or the mark that it is drawn to, or is stopped.
        if (drag.rest.stop === '') expect(Math.abs(line - (x + width + by))).toBeLessThan(8);
        expect(machine.readout!.x).toBe(line);
        expect(machine.strips).toHaveLength(2);
        drag.cancel();
        expect(machine.readout).toBeNull();
        expect(machine.strips).toHaveLength(1);
      }),
      { numRuns: 60 },
    );
  });

  it('leaves strips that can’t be seen as they are while something is held', () => {
    const { machine, drag, basin, press } = begin();
    machine.choose({ strip: 0, key: basin(0, data.number).key });
    press('r', 'Home', 'Enter');
    const lower = machine.strips[1]!;
    machine.see(STRIP_HEIGHT / 2);
    const { x, width } = basin(0, data.number);
    machine.takeAt(x + width - 1, 10);
    machine.bringTo(x + width - 60);
    drag.cancel();
    expect(machine.strips[1]).toBe(lower);
  });
});

describe('keys on the board', () => {
  it('walk, take hold, nudge by a MiB and let go; the result is chosen next', () => {
    const { store, machine, drag, basin, press } = begin();
    machine.choose({ strip: 0, key: basin(0, data.number).key });
    expect(press('r', 'ArrowLeft', 'ArrowLeft')).toEqual([true, true, true]);
    const by = (endOf(data) - drag.rest.at) * task.disk.sectorSize;
    expect(by).toBe(2 * 2 ** 20);
    expect(machine.press('ArrowLeft', true)).toBe(true);
    expect((endOf(data) - drag.rest.at) * task.disk.sectorSize).toBe(by + 2 ** 30);
    press('Enter');
    expect(store.drawing.steps.map(({ intent }) => intent.verb)).toEqual(['shrink']);
    expect(machine.current).toEqual({ strip: 1, key: `p${data.number}` });
    expect(drag.held).toBeNull();
  });

  it('know nothing else while something is held, and pass on what they don’t know otherwise', () => {
    const { machine, others, basin, press } = begin();
    expect(press('x')).toEqual([true]);
    machine.choose({ strip: 0, key: basin(0, data.number).key });
    press('r');
    expect(press('x', 'ArrowUp', ' ')).toEqual([false, true, true]);
    expect(others).toEqual(['x']);
    machine.choose({ strip: 0, key: 'p1' });
    expect(machine.current.key).toBe(`p${data.number}`);
  });

  it('come to the target as it is left where nothing is chosen', () => {
    const { machine } = begin();
    expect(machine.current).toEqual({ strip: 0, key: `p${task.target.number}` });
    expect([machine.moment(0), machine.strips.length]).toEqual(['As found', 1]);
  });

  it('take hold of an end that is reached by Tab, which says its exact place and how far it goes', () => {
    const { machine, drag, basin } = begin();
    machine.choose({ strip: 0, key: basin(0, data.number).key });
    const [left, right] = machine.ends;
    expect(left!.label).toBe(`Left end of ${nameInSentence(data)}, As found`);
    expect(right!.now * 2 ** 20).toBe(endOf(data) * task.disk.sectorSize);
    expect(right!.least).toBeLessThan(right!.now);
    machine.pressEnd('Tab', 'right');
    expect(drag.held).toBeNull();
    machine.pressEnd('ArrowLeft', 'right');
    expect(drag.held!.handle).toBe('right');
  });
});

describe('what is said of what is held', () => {
  it('is its place, its size and the change in exact figures, and why it goes no further', () => {
    const { machine, basin, press } = begin();
    expect(machine.readout).toBeNull();
    machine.choose({ strip: 0, key: basin(0, data.number).key });
    press('r');
    expect(machine.readout).toMatchObject({ change: 'unchanged', stop: '' });
    press('ArrowLeft');
    expect(machine.readout).toMatchObject({ title: `Right end of ${nameInSentence(data)}` });
    expect(machine.readout!.change).toMatch(/^−/);
    expect(machine.allowed).toHaveLength(1);
    press('Home');
    expect(machine.readout!.stop).toBe('');
    machine.bringTo(0);
    expect(machine.readout!.stop).toMatch(/[.]$/);
  });
});
