import { testId } from '../../../../scripts/test/gpt';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { slice } from '../images/source';
import { Records } from './proof/ntfsRecords';
import { DeviceFailure, type Device } from './devices/device';
import { MemoryDevice } from './devices/memory';
import { FullDevice, UnreadableDevice } from './test/brokenDevices';
import { openRun } from './test/openRun';
import type { Step } from '../steps';
import { memoryDisk, StepMaker, type TestDiskSpec } from './test/disks';
import { stepOf } from './test/bareSteps';

const BASE = 2 ** 20;
const spec: TestDiskSpec = {
  size: 24,
  parts: [
    {
      number: 1,
      at: 1,
      size: 6,
      make: 'ntfs',
      label: 'W',
      inside: (folder) => {
        writeFileSync(join(folder, 'hiberfil.sys'), Buffer.alloc(5000, 65));
        writeFileSync(join(folder, 'tide.txt'), 'high water\n'.repeat(90_000));
      },
    },
    { number: 2, at: 8, size: 2, make: 'noise' },
  ],
};
let sound: MemoryDevice;
beforeAll(async () => {
  sound = await memoryDisk(spec);
});

const open = (
  disk: Device,
  steps: readonly Step[],
  journal: Device = new MemoryDevice(2 ** 22),
  route = 'r',
) => openRun({ disk, journal, steps, route, newId: () => testId(99) });

const extend = () => new StepMaker(spec).remove(2).extend(1, 20).all;
const move = () => new StepMaker(spec).remove(2).move(1, 3).all;

async function edit(disk: MemoryDevice, at: number, bytes: readonly number[]): Promise<void> {
  const first = Math.floor(at / 512) * 512;
  const piece = await disk.read(first, Math.ceil((at + bytes.length - first) / 512) * 512);
  piece.set(bytes, at - first);
  await disk.write(first, piece);
}

/** Byte of the disk where an attribute's value of a record stands, found by the checker's own reader. */
async function valueAt(disk: MemoryDevice, record: number, type: number): Promise<number> {
  const records = await Records.open(slice(disk, BASE, 6 * BASE));
  const { geo, mft } = records;
  const at = BASE + mft[0]!.lcn * geo.cluster + record * geo.record;
  const bytes = await disk.read(at, geo.record);
  const view = new DataView(bytes.buffer);
  for (let a = view.getUint16(0x14, true); ; a += view.getUint32(a + 4, true))
    if (view.getUint32(a, true) === type) return at + a + view.getUint16(a + 0x14, true);
}

async function streamAt(disk: MemoryDevice, record: number): Promise<number> {
  const records = await Records.open(slice(disk, BASE, 6 * BASE));
  const stream = (await records.read(record))!.attrs.find(({ type, name }) => type === 0x80 && name === '')!;
  return BASE + stream.pieces[0]!.lcn * records.geo.cluster;
}

/** A restart page of a log that somebody still uses. */
function openLog(): number[] {
  const page = new Uint8Array(4096);
  const view = new DataView(page.buffer);
  page.set(new TextEncoder().encode('RSTR'));
  view.setUint16(4, 0x1e, true);
  view.setUint16(6, 9, true);
  view.setUint16(0x18, 0x30, true);
  for (let i = 1; i <= 8; i++) view.setUint16(512 * i - 2, view.getUint16(0x1e, true), true);
  view.setUint16(0x30 + 0x0c, 0, true);
  return [...page];
}

async function number(disk: MemoryDevice, name: string): Promise<number> {
  const records = await Records.open(slice(disk, BASE, 6 * BASE));
  for await (const rec of records.all(() => {}))
    if (
      rec.attrs.some(
        ({ type, value }) =>
          type === 0x30 &&
          value &&
          String.fromCharCode(...value)
            .replaceAll('\0', '')
            .includes(name),
      )
    )
      return rec.number;
  throw new Error(`no ${name}`);
}

const REFUSED: Record<string, { code: string; damage: (disk: MemoryDevice) => Promise<void> }> = {
  'not taken down cleanly': {
    code: 'dirty',
    damage: async (disk) => edit(disk, (await valueAt(disk, 3, 0x70)) + 10, [1]),
  },
  'another version': {
    code: 'version',
    damage: async (disk) => edit(disk, (await valueAt(disk, 3, 0x70)) + 9, [0]),
  },
  hibernated: {
    code: 'hibernated',
    damage: async (disk) =>
      edit(disk, await streamAt(disk, await number(disk, 'hiberfil.sys')), [
        ...new TextEncoder().encode('hibr'),
      ]),
  },
  'a log that still holds changes': {
    code: 'log-not-clean',
    damage: async (disk) => edit(disk, await streamAt(disk, 2), openLog()),
  },
  encrypted: {
    code: 'encrypted',
    damage: (disk) => edit(disk, BASE + 3, [...new TextEncoder().encode('-FVE-FS-')]),
  },
  'a mirror that differs': {
    code: 'damaged',
    damage: async (disk) => edit(disk, (await streamAt(disk, 1)) + 0x16, [0]),
  },
  'a boot sector that is damaged': { code: 'damaged', damage: (disk) => edit(disk, BASE + 0x0b, [0, 9]) },
  'a $MFT that leads outside': {
    code: 'damaged',
    damage: (disk) => edit(disk, BASE + 0x30, [0xff, 0xff, 0xff]),
  },
};

describe('refused before the first write', () => {
  for (const [name, { code, damage }] of Object.entries(REFUSED)) {
    it(name, async () => {
      for (const steps of [extend(), move()]) {
        const disk = sound.copy();
        await damage(disk);
        const before = await disk.read(0, disk.size);
        const run = await open(disk, steps);
        expect(run.ok || run.problems[0]!.code).toBe(code);
        expect(run.ok || run.problems[0]!.message).toMatch(/\.$/);
        expect(Buffer.compare(await disk.read(0, disk.size), before)).toBe(0);
      }
    });
  }

  it('a mirror that says the same in another turn of its update sequence is no damage', async () => {
    expect((await open(sound.copy(), extend())).ok).toBe(true);
  });

  it('a route that does not fit the disk', async () => {
    const wrong: Record<string, Step[]> = {
      'other-disk': [{ ...extend()[1]!, id: testId(77) } as Step],
      elsewhere: [{ ...extend()[1]!, from: { first: 2049, sectors: 6 * 2048 } } as Step],
      'not-free': new StepMaker(spec).extend(1, 8).all,
      'not-yet': [
        stepOf('shrink', {
          partition: 2,
          id: testId(2),
          from: { first: 8 * 2048, sectors: 2 * 2048 },
          to: { first: 8 * 2048, sectors: 2048 },
        }),
      ],
    };
    for (const [code, steps] of Object.entries(wrong)) {
      const run = await open(sound.copy(), steps);
      expect([code, run.ok || run.problems[0]!.code]).toEqual([code, code]);
    }
  });

  it('the journal of another run', async () => {
    const journal = new MemoryDevice(2 ** 22);
    expect((await open(sound.copy(), extend(), journal)).ok).toBe(true);
    const other = await open(sound.copy(), move(), journal, 'another');
    expect(other.ok || other.problems[0]!.code).toBe('other-run');
  });
});

describe('a device that fails on the way', () => {
  it('stops the run where it is, and the run goes on once the device is whole', async () => {
    const [disk, journal] = [sound.copy(), new MemoryDevice(2 ** 22)];
    const file = await streamAt(disk, await number(disk, 'tide.txt'));
    const failing = [
      new UnreadableDevice(disk, [{ offset: file + 65_536, length: 4096 }]),
      new FullDevice(disk, 900_000),
    ];
    for (const device of failing) {
      const run = await open(device, move(), journal);
      if (!run.ok) throw new Error(run.problems[0]!.message);
      await expect(run.value.forward()).rejects.toThrow(DeviceFailure);
      expect(run.value.state.step).toBe(1);
    }
    const whole = await open(disk, move(), journal);
    if (!whole.ok) throw new Error(whole.problems[0]!.message);
    expect(await whole.value.forward()).toEqual({ ok: true, value: null });
    const straight = sound.copy();
    const other = await open(straight, move());
    if (!other.ok) throw new Error(other.problems[0]!.message);
    await other.value.forward();
    const [a, b] = [
      await Records.open(slice(disk, 3 * BASE, 6 * BASE)),
      await Records.open(slice(straight, 3 * BASE, 6 * BASE)),
    ];
    expect(await a.read(64)).toEqual(await b.read(64));
  });

  it('a journal that is too small is told before the step begins', async () => {
    const run = await open(sound.copy(), move(), new MemoryDevice(132 * 1024 + 512));
    if (!run.ok) throw new Error(run.problems[0]!.message);
    const outcome = await run.value.forward();
    expect(outcome.ok || outcome.problems[0]!.code).toBe('journal-too-small');
  });
});
