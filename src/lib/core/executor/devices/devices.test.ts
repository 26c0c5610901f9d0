import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { share } from '../../test/evidence';
import { MemoryDevice } from './memory';
import { makeDynamicVhd, openVhdDevice } from './vhd';
import type { Device } from './device';
import { CountingDevice, ThrottledDevice } from './wrappers';

const MIB = 2 ** 20;
const SECTORS = 16 * 2048;

const place = { first: fc.nat(SECTORS - 1), sectors: fc.integer({ min: 1, max: 6000 }) };
const ops = fc.array(
  fc.oneof(
    fc.record({ op: fc.constant('write' as const), ...place, byte: fc.integer({ min: 1, max: 255 }) }),
    fc.record({ op: fc.constant('zero' as const), ...place }),
    fc.record({ op: fc.constantFrom('flush' as const, 'reopen' as const) }),
    fc.record({ op: fc.constant('resize' as const), mib: fc.integer({ min: 9, max: 24 }) }),
  ),
  { maxLength: 30 },
);

async function opened(file: MemoryDevice): Promise<Device & { close(): Promise<void> }> {
  const vhd = await openVhdDevice(file);
  if (!vhd.ok) throw new Error(vhd.problems[0]!.message);
  return vhd.value;
}

/** What a device says that it holds, looked at only where it says that there may be something. */
async function heldBytes(device: Device): Promise<Uint8Array> {
  const out = new Uint8Array(device.size);
  for (const { offset, length } of await device.stretches(0, device.size))
    out.set(await device.read(offset, length), offset);
  return out;
}

describe('a dynamic VHD', () => {
  it('holds what was written to it, as plain memory does, whenever it is closed and opened again', async () => {
    await fc.assert(
      fc.asyncProperty(ops, async (list) => {
        const file = new MemoryDevice(0);
        let vhd: Device & { close(): Promise<void> } = await makeDynamicVhd(file, 16 * MIB, 512, 1);
        const model = new MemoryDevice(16 * MIB);
        for (const one of list) {
          for (const device of [vhd, model]) {
            if (one.op === 'resize') await device.resize(one.mib * MIB);
            if (one.op === 'flush') await device.flush();
            if (one.op !== 'write' && one.op !== 'zero') continue;
            const length = Math.min(one.sectors * 512, device.size - one.first * 512);
            if (length <= 0) continue;
            if (one.op === 'zero') await device.zero(one.first * 512, length);
            else await device.write(one.first * 512, new Uint8Array(length).fill(one.byte));
          }
          if (one.op !== 'reopen') continue;
          await vhd.close();
          vhd = await opened(file);
        }
        expect(vhd.size).toBe(model.size);
        const should = await model.read(0, model.size);
        expect(Buffer.compare(await vhd.read(0, vhd.size), should)).toBe(0);
        expect(Buffer.compare(await heldBytes(vhd), should)).toBe(0);
      }),
      { numRuns: share(60, 3) },
    );
  });

  it('takes no room for what was never written, and uses again what was given back', async () => {
    const file = new MemoryDevice(0);
    const vhd = await makeDynamicVhd(file, 2 ** 42, 512, 1);
    await vhd.zero(2 ** 41, 2 ** 30);
    await vhd.flush();
    const empty = file.held;
    for (let round = 0; round < 20; round++) {
      await vhd.write(2 ** 40, new Uint8Array(4 * MIB).fill(7));
      await vhd.flush();
      await vhd.zero(2 ** 40, 4 * MIB);
      await vhd.flush();
    }
    expect(file.held - empty).toBeLessThan(10 * MIB);
    expect(await vhd.stretches(0, 2 ** 42)).toEqual([]);
  });

  it('is refused where its own figures can’t be', async () => {
    const file = new MemoryDevice(0);
    const made = await makeDynamicVhd(file, 16 * MIB, 512, 1);
    await made.write(0, new Uint8Array(6 * MIB).fill(1));
    await made.close();
    expect((await openVhdDevice(file)).ok).toBe(true);
    // Two blocks in one place, one that lies over the table, one over the header, one beyond the end.
    const table = await file.read(1536, 512);
    const entry = (i: number) => new DataView(table.buffer, table.byteOffset).getUint32(4 * i);
    for (const sector of [entry(0), entry(0) + 1, 3, 1, file.size / 512]) {
      const broken = file.copy();
      const altered = table.slice();
      new DataView(altered.buffer).setUint32(4, sector);
      await broken.write(1536, altered);
      const outcome = await openVhdDevice(broken);
      expect([sector, outcome.ok || outcome.problems[0]!.code]).toEqual([sector, 'vhd-broken']);
    }
    for (const at of [512 + 28, 512 + 16]) {
      const broken = file.copy();
      const sector = await broken.read(512, 1024);
      sector[at - 512]! ^= 0x40;
      await broken.write(512, sector);
      const outcome = await openVhdDevice(broken);
      expect(outcome.ok || outcome.problems[0]!.code).toBe('vhd-broken');
    }
  });
});

describe('wrappers', () => {
  it('count, and wait as long as the medium would take', async () => {
    const counted = new CountingDevice(new MemoryDevice(MIB));
    let waited = 0;
    const slow = new ThrottledDevice(
      counted,
      () => 1_000_000,
      async (milliseconds) => void (waited += milliseconds),
    );
    await slow.write(0, new Uint8Array(512_000));
    await slow.zero(512_000, 204_800);
    expect(counted.bytesWritten).toBe(716_800);
    expect(waited).toBeCloseTo(716.8, 5);
  });
});
