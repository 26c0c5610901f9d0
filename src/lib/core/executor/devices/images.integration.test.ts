import { execFileSync } from 'node:child_process';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import type { Outcome } from '../../problem';
import { randomFrom } from '../../random';
import { makeFreshFolder, say } from '../test/mounted';
import { isAll, isZero, type Device } from './device';
import { share, shareOf } from '../../test/evidence';
import { MemoryDevice } from './memory';
import { openQcow2Device } from './qcow2';
import { makeDynamicVhd, openVhdDevice } from './vhd';
import { openVhdxDevice } from './vhdx';
import { openVmdkDevice } from './vmdk';

const folder = makeFreshFolder('images');
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const MIB = 2 ** 20;

type Opened = Outcome<Device & { close(): Promise<void> }>;
let guids = 0;
const newGuid = () => `47540000-0000-4000-8000-${String(++guids).padStart(12, '0')}`;
const vhdx = (file: Device) => openVhdxDevice(file, newGuid);

const KINDS: {
  name: string;
  format: string;
  options: string;
  size: number;
  open: (file: Device) => Promise<Opened>;
  compress?: boolean;
}[] = [
  { name: 'VHDX, blocks of 1 MiB', format: 'vhdx', options: 'block_size=1M', size: 40, open: vhdx },
  { name: 'VHDX, usual blocks', format: 'vhdx', options: 'subformat=dynamic', size: 300, open: vhdx },
  { name: 'VHDX, fixed', format: 'vhdx', options: 'subformat=fixed,block_size=2M', size: 24, open: vhdx },
  { name: 'qcow2, version 3', format: 'qcow2', options: 'compat=1.1', size: 60, open: openQcow2Device },
  { name: 'qcow2, version 2', format: 'qcow2', options: 'compat=0.10', size: 60, open: openQcow2Device },
  {
    name: 'qcow2, clusters of 512 bytes',
    format: 'qcow2',
    options: 'cluster_size=512',
    size: 12,
    open: openQcow2Device,
  },
  {
    name: 'qcow2, clusters of 2 MiB',
    format: 'qcow2',
    options: 'cluster_size=2M',
    size: 60,
    open: openQcow2Device,
  },
  {
    name: 'qcow2, packed',
    format: 'qcow2',
    options: 'compat=1.1',
    size: 30,
    open: openQcow2Device,
    compress: true,
  },
  {
    name: 'VHD, dynamic',
    format: 'vpc',
    options: 'subformat=dynamic,force_size=on',
    size: 60,
    open: openVhdDevice,
  },
  {
    name: 'VHD, fixed',
    format: 'vpc',
    options: 'subformat=fixed,force_size=on',
    size: 24,
    open: openVhdDevice,
  },
  {
    name: 'VMDK, sparse',
    format: 'vmdk',
    options: 'subformat=monolithicSparse',
    size: 60,
    open: openVmdkDevice,
  },
];

/** An image that an independent program made, with something in it. */
function made(
  format: string,
  options: string,
  size: number,
  seed: number,
  compress = false,
): { file: MemoryDevice; disk: MemoryDevice } {
  const random = randomFrom(seed);
  const raw = new Uint8Array(size * MIB);
  for (let i = 0; i < 20; i++) {
    const at = Math.floor((random() * (raw.length - 200_000)) / 512) * 512;
    const length = Math.floor(random() * 190_000);
    for (let j = 0; j < length; j++) raw[at + j] = (at + j * 7 + seed) & 0xff;
  }
  const [rawPath, path] = [join(folder, 'raw.img'), join(folder, `made.${format}`)];
  writeFileSync(rawPath, raw);
  rmSync(path, { force: true });
  execFileSync('qemu-img', [
    'convert',
    ...(compress ? ['-c'] : []),
    '-f',
    'raw',
    '-O',
    format,
    '-o',
    options,
    rawPath,
    path,
  ]);
  return { file: memoryOf(readFileSync(path)), disk: memoryOf(raw) };
}

function memoryOf(bytes: Uint8Array): MemoryDevice {
  const device = new MemoryDevice(Math.ceil(bytes.length / 512) * 512);
  void device.write(0, bytes.length % 512 === 0 ? bytes : padded(bytes));
  return device;
}

const padded = (bytes: Uint8Array): Uint8Array => {
  const out = new Uint8Array(Math.ceil(bytes.length / 512) * 512);
  out.set(bytes);
  return out;
};

/** What an independent program reads from an image; it must find nothing to complain about. */
async function seenBy(format: string, file: MemoryDevice): Promise<Uint8Array> {
  const [path, raw] = [join(folder, `seen.${format}`), join(folder, 'seen.raw')];
  writeFileSync(path, await file.read(0, file.size));
  expect(say('qemu-img', 'check', '-f', format, path)).toMatch(
    /No errors were found|does not support checks/,
  );
  // The size that a VHD says it has, not the one that its old geometry comes to.
  const named = format === 'vpc' ? 'driver=vpc,force_size_calc=current_size' : `driver=${format}`;
  execFileSync('qemu-img', ['convert', '--image-opts', '-O', 'raw', `${named},file.filename=${path}`, raw]);
  return new Uint8Array(readFileSync(raw));
}

describe('an image of a virtual machine, written', () => {
  for (const { name, format, options, size, open, compress } of shareOf(KINDS, 3)) {
    it(`${name}: holds what a plain disk holds after the same writes, also for the program that made it`, async () => {
      const { file, disk } = made(format, options, size, size, compress);
      const opened = await open(file);
      if (!opened.ok) throw new Error(opened.problems[0]!.message);
      let device = opened.value;
      const random = randomFrom(size + 1);
      const upTo = (most: number) => Math.floor(random() * most);
      expect(device.size).toBe(disk.size);
      for (let turn = 0; turn < share(300, 5); turn++) {
        const length = 512 * (1 + upTo(turn % 25 === 0 ? 9000 : turn % 10 === 0 ? 3000 : 200));
        const offset = 512 * upTo((disk.size - length) / 512);
        const what = random();
        if (what < 0.5) {
          const bytes = new Uint8Array(length).fill(1 + upTo(255));
          await device.write(offset, bytes);
          await disk.write(offset, bytes);
        } else if (what < 0.7) {
          await device.zero(offset, length);
          await disk.zero(offset, length);
        } else if (what < 0.8) await device.flush();
        else if (what < 0.82) {
          await device.flush();
          const again = await open(file);
          if (!again.ok) throw new Error(again.problems[0]!.message);
          device = again.value;
        } else if (what < 0.83 && turn > share(300, 15)) {
          const grown = disk.size + MIB * (1 + upTo(20));
          await device.resize(grown);
          await disk.resize(grown);
        } else
          expect(Buffer.compare(await device.read(offset, length), await disk.read(offset, length))).toBe(0);
      }
      await device.resize(disk.size + 700 * MIB);
      await device.resize(disk.size);
      await device.close();
      const seen = await seenBy(format, file);
      expect(seen.length).toBe(disk.size);
      expect(Buffer.compare(seen, await disk.read(0, disk.size))).toBe(0);
      // What may hold something covers all that does.
      let last = 0;
      for (const { offset, length } of await device.stretches(0, device.size)) {
        expect(isZero(await disk.read(last, offset - last))).toBe(true);
        last = offset + length;
      }
    });
  }

  it('a VHD that was made here: zeros are zeros for readers that ignore its sector maps, in blocks used again too', async () => {
    const file = new MemoryDevice(0);
    const vhd = await makeDynamicVhd(file, 16 * MIB, 512, 1);
    const should = memoryOf(new Uint8Array(16 * MIB));
    for (const device of [vhd, should]) {
      await device.write(0, new Uint8Array(4 * MIB).fill(0x6b));
      await device.zero(MIB, MIB / 2);
      await device.flush();
      await device.zero(2 * MIB, 2 * MIB);
      await device.flush();
      await device.write(10 * MIB, new Uint8Array(512).fill(0x3c));
    }
    await vhd.close();
    expect(Buffer.compare(await seenBy('vpc', file), await should.read(0, should.size))).toBe(0);
  });

  it('a VMDK whose two directories a cut left different has one word again after the next write', async () => {
    const { file } = made('vmdk', 'subformat=monolithicSparse', 60, 11);
    const opened = await openVmdkDevice(file);
    if (!opened.ok) throw new Error(opened.problems[0]!.message);
    await opened.value.close();
    const cut = file.copy();
    // The tables of the second directory as they were before many writes: those were lost.
    const open2 = await openVmdkDevice(cut);
    if (!open2.ok) throw new Error('not opened');
    for (let at = 0; at < 60; at += 2) await open2.value.write(at * MIB, new Uint8Array(65536).fill(at + 1));
    await open2.value.close();
    const header = new DataView((await cut.read(0, 512)).slice().buffer);
    const second = Number(header.getBigUint64(48, true)) * 512;
    const tableAt = new DataView((await file.read(second, 512)).slice().buffer).getUint32(0, true) * 512;
    await cut.write(tableAt, await file.read(tableAt, 2048));
    const again = await openVmdkDevice(cut);
    if (!again.ok) throw new Error('not opened again');
    const should = await again.value.read(0, again.value.size);
    // By the other directory an outside reader sees the same once something was written.
    const throughSecond = async () => {
      const turned = cut.copy();
      const sector = (await turned.read(0, 512)).slice();
      sector.copyWithin(56, 48, 56);
      await turned.write(0, sector);
      return seenBy('vmdk', turned);
    };
    expect(Buffer.compare(await throughSecond(), should)).not.toBe(0);
    await again.value.write(0, should.subarray(0, 512));
    await again.value.close();
    expect(Buffer.compare(await throughSecond(), should)).toBe(0);
    expect(Buffer.compare(await seenBy('vmdk', cut), should)).toBe(0);
  });

  it('a VMDK with a grain in sector 1, where zeros are not said so, is damaged', async () => {
    const { file } = made('vmdk', 'subformat=monolithicSparse', 60, 12);
    const header = (await file.read(0, 512)).slice();
    const view = new DataView(header.buffer);
    const directory = Number(view.getBigUint64(56, true)) * 512;
    const tableAt = new DataView((await file.read(directory, 512)).slice().buffer).getUint32(0, true) * 512;
    const table = (await file.read(tableAt, 512)).slice();
    new DataView(table.buffer).setUint32(8, 1, true);
    await file.write(tableAt, table);
    view.setUint32(8, view.getUint32(8, true) & ~4, true);
    await file.write(0, header);
    const outcome = await openVmdkDevice(file);
    expect(outcome.ok || outcome.problems[0]!.code).toBe('vmdk-broken');
    view.setUint32(8, view.getUint32(8, true) | 4, true);
    await file.write(0, header);
    const allowed = await openVmdkDevice(file);
    if (!allowed.ok) throw new Error(allowed.problems[0]!.message);
    expect(isZero(await allowed.value.read(2 * 65536, 65536))).toBe(true);
  });

  it('a VHDX says by its GUIDs that it is another file with another disk, and only once it is written', async () => {
    const { file } = made('vhdx', 'subformat=dynamic', 40, 3);
    const guidsOf = async () => {
      const both = await Promise.all([64, 128].map((kib) => file.read(kib * 1024, 4096)));
      const newest = both.sort((a, b) => Number(b[8]! - a[8]!))[0]!;
      return Buffer.from(newest.subarray(16, 64)).toString('hex');
    };
    const before = await guidsOf();
    const opened = await vhdx(file);
    if (!opened.ok) throw new Error('not opened');
    await opened.value.read(0, 4096);
    expect(await guidsOf()).toBe(before);
    await opened.value.write(0, new Uint8Array(512).fill(1));
    await opened.value.close();
    const after = await guidsOf();
    expect([
      after.slice(0, 32) === before.slice(0, 32),
      after.slice(32, 64) === before.slice(32, 64),
    ]).toEqual([false, false]);
    // The log stays empty.
    expect(after.slice(64)).toBe('0'.repeat(32));
  });

  it('is never written over its own parts, and what is made to tire us is refused, whatever byte of its tables is another', async () => {
    for (const { format, options, open } of KINDS) {
      if (!/^(block_size=1M|compat|subformat=mono)/.test(options)) continue;
      const sound = made(format, options, 8, 21).file;
      const random = randomFrom(8);
      const tally = { refused: 0, opened: 0 };
      for (let turn = 0; turn < share(40, 4); turn++) {
        const file = sound.copy();
        // Of what is not blocks of the disk: the front of the file, where the tables lie.
        const at = Math.floor(random() * Math.min(file.size, 400_000));
        const sector = (await file.read(at - (at % 512), 512)).slice();
        sector[at % 512]! ^= 1 << Math.floor(random() * 8);
        if (turn % 3 === 0) sector.fill(0xff, at % 512, (at % 512) + 8);
        await file.write(at - (at % 512), sector);
        const outcome = await open(file);
        if (!outcome.ok) {
          tally.refused++;
          expect(outcome.problems[0]!.message).toMatch(/\.$/);
          continue;
        }
        tally.opened++;
        // Every byte of the disk is written: what it is opened as afterwards is the disk that was written.
        const device = outcome.value;
        if (device.size > 40 * MIB) continue;
        const bytes = new Uint8Array(2 * MIB).fill(turn + 1);
        for (let done = 0; done < device.size; done += bytes.length)
          await device.write(done, bytes.subarray(0, Math.min(bytes.length, device.size - done)));
        await device.close();
        const again = await open(file);
        if (!again.ok) throw new Error(`${format}, turn ${turn}: ${again.problems[0]!.message}`);
        const read = await again.value.read(0, again.value.size);
        expect([format, turn, isAll(read, turn + 1)]).toEqual([format, turn, true]);
      }
      expect([format, tally.opened > 0]).toEqual([format, true]);
    }
  }, 120_000);

  it('is refused where its parts lie over each other', async () => {
    const two = made('qcow2', 'compat=1.1', 30, 9).file;
    const l1 = Number(new DataView((await two.read(0, 512)).slice().buffer).getBigUint64(40));
    const l2 = Number(
      new DataView((await two.read(l1, 512)).slice().buffer).getBigUint64(0) & 0x00fffffffffffe00n,
    );
    const entries = (await two.read(l2, 65536)).slice();
    const view = new DataView(entries.buffer);
    const used = Array.from({ length: 400 }, (_, i) => i).filter((i) => view.getBigUint64(8 * i) !== 0n);
    view.setBigUint64(8 * used[1]!, view.getBigUint64(8 * used[0]!));
    await two.write(l2, entries);
    const outcome = await openQcow2Device(two);
    expect(outcome.ok || outcome.problems[0]!.code).toBe('qcow2-broken');
  });
});
