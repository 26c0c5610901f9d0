import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { makeVolume } from '../../../../../scripts/test/volume';
import { TYPE } from '../../disk';
import { randomFrom } from '../../random';
import type { Outcome } from '../../problem';
import type { Device } from '../devices/device';
import { MemoryDevice } from '../devices/memory';
import { openQcow2Device } from '../devices/qcow2';
import { makeDynamicVhd, openVhdDevice } from '../devices/vhd';
import { openVhdxDevice } from '../devices/vhdx';
import { openVmdkDevice } from '../devices/vmdk';
import type { Scenario } from './cuts';
import { writeDisk, memoryDisk, StepMaker, type TestDiskSpec, type PartSpec } from './disks';
import { filledFat } from './fatFilled';
import { moveMftToTheEnd } from './mftElsewhere';
import { makeFreshFolder } from './mounted';
import { holeyVolume, messyVolume } from './volumes';

/** A handful of files, small enough for thousands of runs: in the record, outside of it, in a folder. */
const inside = (folder: string): void => {
  mkdirSync(join(folder, 'Tide tables'));
  for (let i = 0; i < 12; i++)
    writeFileSync(join(folder, 'Tide tables', `week ${i}.txt`), Buffer.alloc(40 * i * i, 65 + i));
  writeFileSync(join(folder, 'harbour.bin'), Buffer.alloc(300_000, 7));
};

const ntfs = (number: number, at: number, size: number, more: Partial<PartSpec> = {}): PartSpec => ({
  number,
  at,
  size,
  make: 'ntfs',
  label: `V${number}`,
  inside,
  ...more,
});
const recovery = { type: TYPE.recovery, name: 'Recovery', attributes: 0x8000000000000001n };

const CASES: { name: string; spec: TestDiskSpec; steps: (make: StepMaker) => StepMaker; every?: number }[] = [
  {
    name: 'NTFS to the right, over itself',
    spec: { size: 20, parts: [ntfs(1, 1, 6), ntfs(2, 8, 6)] },
    steps: (make) => make.move(2, 10),
  },
  {
    name: 'NTFS to the left, over itself, by less than a MiB',
    spec: { size: 20, parts: [ntfs(1, 1, 4), ntfs(2, 7, 6, { firstSector: 7 * 2048 - 500 })] },
    steps: (make) => make.move(2, 6),
  },
  {
    name: 'NTFS clear of its place, and the volume before it extended',
    spec: { size: 32, parts: [ntfs(1, 1, 5), ntfs(2, 6, 5)] },
    steps: (make) => make.move(2, 26).extend(1, 25),
  },
  {
    name: 'extended so far that the map of clusters has to move',
    spec: { size: 64, parts: [ntfs(1, 1, 4, { clusterSize: 512 })] },
    steps: (make) => make.extend(1, 62),
  },
  {
    // Bits beyond the volume in the last byte of its map are within it afterwards, and the map itself moves.
    name: 'extended from the middle of a byte of the map of clusters, which moves',
    spec: { size: 40, parts: [ntfs(1, 14, 7, { clusterSize: 512 })] },
    steps: (make) => make.extend(1, 23),
  },
  {
    name: 'FAT16 to the right, over itself',
    spec: { size: 32, parts: [{ number: 1, at: 1, size: 10, make: 'fat16', label: 'TILL' }] },
    steps: (make) => make.move(1, 4),
  },
  {
    name: 'FAT32 to the left, over itself',
    spec: { size: 64, parts: [{ number: 1, at: 20, size: 40, make: 'fat32', label: 'EFI', type: TYPE.efi }] },
    steps: (make) => make.move(1, 12),
  },
  {
    name: 'exFAT clear of its place',
    spec: { size: 24, parts: [{ number: 1, at: 2, size: 8, make: 'exfat', label: 'Idents' }] },
    steps: (make) => make.move(1, 12),
  },
  {
    name: 'unknown to the right, over itself',
    spec: { size: 16, parts: [{ number: 1, at: 1, size: 4, make: 'noise' }] },
    steps: (make) => make.move(1, 3),
  },
  {
    name: 'recovery set aside, the volume before it extended, recovery put back',
    spec: { size: 24, parts: [ntfs(1, 1, 6), ntfs(2, 7, 4, recovery)] },
    steps: (make) => make.setAside(2).extend(1, 15).putBack(2, 17),
  },
  {
    name: 'deleted, the disk enlarged, its table relocated, extended',
    spec: { size: 16, parts: [ntfs(1, 1, 6), { number: 2, at: 8, size: 2, make: 'noise' }] },
    steps: (make) => make.remove(2).enlarge(24).relocate().extend(1, 20),
  },
  {
    name: 'a table that was left behind, relocated',
    spec: { size: 20, tableSize: 12, parts: [ntfs(1, 1, 6)] },
    steps: (make) => make.relocate().extend(1, 16),
  },
  {
    name: '4Kn, to the right over itself, the volume before it extended',
    spec: { size: 24, sectorSize: 4096, parts: [ntfs(1, 1, 5), ntfs(2, 6, 5)] },
    steps: (make) => make.move(2, 8).extend(1, 7),
  },
  {
    name: 'MBR, a primary one to the right, extended',
    spec: { size: 24, table: 'mbr', parts: [ntfs(1, 1, 5), ntfs(2, 7, 5)] },
    steps: (make) => make.move(2, 9).extend(1, 8),
  },
  {
    name: 'logical drives, to the left over their record, to the right, deleted, the frame at both ends',
    spec: {
      size: 40,
      table: 'mbr',
      extended: { at: 8, size: 24 },
      parts: [
        ntfs(1, 1, 5),
        ntfs(5, 9, 4, { kind: 'logical' }),
        ntfs(6, 16, 4, { kind: 'logical' }),
        ntfs(7, 22, 4, { kind: 'logical' }),
      ],
    },
    steps: (make) =>
      make
        .move(6, 15)
        .move(7, 25)
        .extend(6, 6)
        .frame('extend', 7, 29)
        .remove(7)
        .move(5, 8)
        .frame('shrink', 7, 24),
    every: 2,
  },
];

/** A copy of the table is bad when the route begins: it is made anew first. */
const DAMAGED: { name: string; at: (size: number) => number }[] = [
  { name: 'the primary table is damaged', at: () => 512 + 40 },
  { name: 'the backup table is damaged', at: (size) => size - 512 + 40 },
];

async function damaged(at: (size: number) => number, name: string): Promise<Scenario> {
  const spec: TestDiskSpec = {
    size: 20,
    parts: [ntfs(1, 1, 5), { number: 2, at: 8, size: 2, make: 'noise' }],
  };
  const disk = await memoryDisk(spec);
  const byte = at(disk.size);
  const sector = await disk.read(byte - (byte % 512), 512);
  sector[byte % 512]! ^= 0xff;
  await disk.write(byte - (byte % 512), sector);
  return { name, disk, steps: new StepMaker(spec).remove(2).move(1, 3).all };
}

/** The disk lies in a VHD, and the power is taken from the file. */
async function inVhd(): Promise<Scenario> {
  const spec: TestDiskSpec = { size: 32, parts: [ntfs(1, 1, 5), ntfs(2, 6, 5)] };
  const file = new MemoryDevice(0);
  const vhd = await makeDynamicVhd(file, spec.size * 2 ** 20, 512, 1);
  await writeDisk(spec, vhd);
  await vhd.close();
  const steps = new StepMaker(spec).move(2, 26).enlarge(48).relocate().move(2, 24).extend(1, 23).all;
  const within = async (device: Device) => {
    const opened = await openVhdDevice(device);
    if (!opened.ok) throw new Error(opened.problems[0]!.message);
    return opened.value;
  };
  return { name: 'in a dynamic VHD', disk: file, steps, within, every: 15 };
}

/** The disk lies in a file that another program made; its own tables are cut as well. */
const IN_IMAGES: {
  format: 'qcow2' | 'vhdx' | 'vmdk';
  every: number;
  open: (file: Device) => Promise<Outcome<Device>>;
}[] = [
  { format: 'qcow2', every: 100, open: openQcow2Device },
  {
    format: 'vhdx',
    every: 12,
    open: (file) => {
      let ids = 0;
      return openVhdxDevice(file, () => `47540000-0000-4000-8000-${String(++ids).padStart(12, '0')}`);
    },
  },
  { format: 'vmdk', every: 100, open: openVmdkDevice },
];

async function inImage({ format, every, open }: (typeof IN_IMAGES)[number]): Promise<Omit<Scenario, 'name'>> {
  const spec: TestDiskSpec = { size: 24, parts: [ntfs(1, 1, 5), ntfs(2, 6, 5)] };
  const folder = makeFreshFolder('in-image');
  try {
    const path = join(folder, 'disk');
    execFileSync('qemu-img', ['create', '-q', '-f', format, path, `${spec.size}M`]);
    const made = readFileSync(path);
    const bytes = new Uint8Array(Math.ceil(made.length / 512) * 512);
    bytes.set(made);
    const file = new MemoryDevice(bytes.length);
    await file.write(0, bytes);
    const within = async (device: Device) => {
      const opened = await open(device);
      if (!opened.ok) throw new Error(opened.problems[0]!.message);
      return opened.value;
    };
    const disk = (await within(file)) as Device & { close?: () => Promise<void> };
    await writeDisk(spec, disk);
    await disk.close?.();
    const steps = new StepMaker(spec).move(2, 18).enlarge(40).relocate().move(2, 30).extend(1, 20).all;
    return { disk: file, steps, within, every };
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** At the end, so that every other keeps its half. */
const MBR_ASIDE: (typeof CASES)[number] = {
  name: 'MBR: recovery set aside, the volume before it extended, recovery put back',
  spec: { size: 24, table: 'mbr', parts: [ntfs(1, 1, 6), ntfs(2, 7, 4, { ...recovery, mbrType: 0x27 })] },
  steps: (make) => make.setAside(2).extend(1, 15).putBack(2, 17),
};

/** A volume that an independent program made and filled, as a part of a disk. */
async function prepared(
  part: PartSpec,
  make: (path: string) => void | Promise<void>,
  lay: (part: PartSpec) => Promise<MemoryDevice>,
): Promise<MemoryDevice> {
  const folder = makeFreshFolder('scenario');
  try {
    const path = join(folder, 'volume.img');
    await make(path);
    return await lay({ ...part, prepared: path });
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

const fat16 = (size: number): PartSpec => ({ number: 1, at: 1, size, make: 'fat16', label: 'SALTMARSH' });
const smallFat =
  (size: number, sectorSize: 512 | 4096 = 512) =>
  (path: string) =>
    filledFat(path, { make: 'fat16', size, sectorSize });

/** Scenarios that relocate, format and copy. */
const RELOCATING: { name: string; lay: () => Promise<Omit<Scenario, 'name'>> }[] = [
  {
    name: 'NTFS made smaller, with a mirror that has to move, and larger again',
    lay: async () => {
      const spec: TestDiskSpec = { size: 10, parts: [ntfs(1, 1, 8, { clusterSize: 1024 })] };
      const steps = new StepMaker(spec).shrink(1, 3.5).extend(1, 4).all;
      return { disk: await memoryDisk(spec), steps, every: 3 };
    },
  },
  {
    name: 'NTFS made smaller, whose $MFT lies at its end',
    lay: async () => {
      const part = ntfs(1, 1, 6, { clusterSize: 1024 });
      const spec: TestDiskSpec = { size: 9, parts: [part] };
      const disk = await prepared(
        part,
        async (path) => {
          makeVolume(path, { ...part, make: 'ntfs' }, { sectorSize: 512, first: 2048 });
          writeFileSync(path, await moveMftToTheEnd(new Uint8Array(readFileSync(path))));
        },
        (one) => memoryDisk({ ...spec, parts: [one] }),
      );
      return { disk, steps: new StepMaker(spec).shrink(1, 4).all, every: 3 };
    },
  },
  {
    name: 'NTFS made smaller, where files are split over holes and outgrow their records',
    lay: async () => {
      const part = ntfs(1, 1, 8, { clusterSize: 1024 });
      const spec: TestDiskSpec = { size: 10, parts: [part] };
      const disk = await prepared(
        part,
        (path) => holeyVolume(path, { size: 8, clusterSize: 1024, holes: 400, keepRecords: true }),
        (one) => memoryDisk({ ...spec, parts: [one] }),
      );
      return { disk, steps: new StepMaker(spec).shrink(1, 7.625).all, every: 50 };
    },
  },
  {
    name: 'FAT16 made smaller, and larger so that its tables have to grow',
    lay: async () => {
      const part = fat16(12);
      const spec: TestDiskSpec = { size: 40, parts: [part] };
      const disk = await prepared(part, smallFat(12), (one) => memoryDisk({ ...spec, parts: [one] }));
      return { disk, steps: new StepMaker(spec).shrink(1, 9).extend(1, 24).all };
    },
  },
  {
    name: '4Kn: FAT16 made larger, so that its tables have to grow',
    lay: async () => {
      const part = fat16(64);
      const spec: TestDiskSpec = { size: 180, sectorSize: 4096, parts: [part] };
      const disk = await prepared(part, smallFat(64, 4096), (one) => memoryDisk({ ...spec, parts: [one] }));
      return { disk, steps: new StepMaker(spec).extend(1, 160).all };
    },
  },
  {
    name: 'a new NTFS volume, a copy into it from a larger one, which is deleted',
    lay: async () => {
      const spec: TestDiskSpec = { size: 30, parts: [ntfs(1, 1, 10, { clusterSize: 1024 })] };
      const steps = new StepMaker(spec).create(2, 12, 7, 1).copy(1, 2).remove(1).all;
      return { disk: await memoryDisk(spec), steps, every: 2 };
    },
  },
  {
    name: 'copied out, deleted, a larger volume made, copied back',
    lay: async () => {
      const spec: TestDiskSpec = { size: 30, parts: [ntfs(1, 1, 6, { clusterSize: 1024 })] };
      const steps = new StepMaker(spec).copyOut(1).remove(1).create(2, 8, 12, 1).copyBack(2, 1).all;
      return { disk: await memoryDisk(spec), steps, every: 2 };
    },
  },
  {
    name: 'new volumes of FAT16 and exFAT, one of which is deleted',
    lay: async () => {
      const spec: TestDiskSpec = { size: 40, parts: [{ number: 1, at: 1, size: 2, make: 'noise' }] };
      const steps = new StepMaker(spec)
        .create(2, 4, 12, 1, { fileSystem: 'fat16', label: 'EBB', clusterSize: 2048 })
        .create(3, 18, 8, 1, { fileSystem: 'exfat', label: 'Neap', clusterSize: 4096 })
        .remove(2).all;
      return { disk: await memoryDisk(spec), steps };
    },
  },
  {
    name: 'recovery set aside and put back smaller, a FAT16 volume made and filled',
    lay: async () => {
      const part = fat16(12);
      const spec: TestDiskSpec = {
        size: 40,
        parts: [part, ntfs(2, 14, 10, { ...recovery, clusterSize: 1024 })],
      };
      const disk = await prepared(part, smallFat(12), (one) =>
        memoryDisk({ ...spec, parts: [one, spec.parts[1]!] }),
      );
      const steps = new StepMaker(spec).setAside(2).putBack(2, 32, 7).create(3, 14, 16, 1).copy(1, 3).all;
      return { disk, steps, every: 2 };
    },
  },
];

const IMAGED = IN_IMAGES.map((one) => ({
  name: `in a file of ${one.format}`,
  lay: async () => ({ ...(await inImage(one)), name: `in a file of ${one.format}` }),
}));

const laid = ({ name, spec, steps, every = 1 }: (typeof CASES)[number]) => ({
  name,
  lay: async () => ({ name, disk: await memoryDisk(spec), steps: steps(new StepMaker(spec)).all, every }),
});

/** A half of them for each of two runs at once. */
export const RELOCATIONS: readonly { name: string; lay: () => Promise<Scenario> }[] = [
  ...RELOCATING.map(({ name, lay }) => ({
    name,
    lay: async () => ({ ...(await lay()), name, relocates: true }),
  })),
  ...IMAGED,
];

export const SCENARIOS: readonly { name: string; lay: () => Promise<Scenario> }[] = [
  ...CASES.map(laid),
  ...DAMAGED.map(({ name, at }) => ({ name, lay: () => damaged(at, name) })),
  { name: 'in a dynamic VHD', lay: inVhd },
  laid(MBR_ASIDE),
];

/** A made-up disk with a made-up route on it: the same for the same seed. */
export async function randomScenario(seed: number): Promise<Scenario> {
  const random = randomFrom(seed);
  const upTo = (most: number) => Math.floor(random() * most);
  const mbr = random() < 0.25;
  const sectorSize = !mbr && random() < 0.2 ? 4096 : 512;
  const spec: TestDiskSpec = { size: 40 + upTo(20), table: mbr ? 'mbr' : 'gpt', sectorSize, parts: [] };
  let at = 1 + upTo(4);
  for (let number = 1; number <= 2 + upTo(2); number++) {
    const size = 4 + upTo(4);
    const kind = random();
    const part: PartSpec =
      kind < 0.65
        ? ntfs(
            number,
            at,
            size,
            random() < 0.3 && sectorSize === 512 ? { clusterSize: 512 * 2 ** upTo(4) } : {},
          )
        : kind < 0.8
          ? { number, at, size: size + 8, make: sectorSize === 512 ? 'fat16' : 'noise', label: 'F' }
          : { number, at, size: 2, make: 'noise' };
    spec.parts.push(part);
    at += part.size + upTo(6);
  }
  const make = new StepMaker(spec);
  const places = spec.parts.map((part) => ({
    number: part.number,
    at: part.at,
    size: part.size,
    ntfs: part.make === 'ntfs',
  }));
  for (let step = 0; step < 2 + upTo(3); step++) {
    const one = places[upTo(places.length)]!;
    const others = places.filter((other) => other !== one);
    const left = Math.max(
      1,
      ...others.filter((other) => other.at < one.at).map((other) => other.at + other.size),
    );
    const right = Math.min(
      spec.size - 1,
      ...others.filter((other) => other.at > one.at).map((other) => other.at),
    );
    if (one.ntfs && random() < 0.4 && right - one.at > one.size) {
      one.size += 1 + upTo(right - one.at - one.size);
      make.extend(one.number, one.size);
    } else if (right - left > one.size) {
      const to = left + upTo(right - left - one.size + 1);
      if (to !== one.at) make.move(one.number, to);
      one.at = to;
    }
  }
  return { name: `seed ${seed}`, disk: await memoryDisk(spec), steps: make.all };
}

/**
 * A made-up volume that a driver filled at random, and a route that brings files together, makes volumes or copies: the
 * same for the same seed.
 */
export async function randomRelocation(seed: number): Promise<Scenario> {
  const random = randomFrom(seed);
  const upTo = (most: number) => Math.floor(random() * most);
  const size = 11 + upTo(4);
  const clusterSize = 512 * 2 ** upTo(4);
  const part = ntfs(1, 1 + upTo(3), size, { clusterSize });
  const spec: TestDiskSpec = { size: 44, parts: [part] };
  const mess = { size, clusterSize, full: 0.35 + random() * 0.2, scattered: 1 + upTo(2), seed };
  const disk = await prepared(
    part,
    (path) => messyVolume(path, mess),
    (one) => memoryDisk({ ...spec, parts: [one] }),
  );
  const make = new StepMaker(spec);
  const less = Math.ceil(size * (0.72 + random() * 0.2));
  switch (upTo(4)) {
    case 0:
      make.shrink(1, less).extend(1, less + 1 + upTo(12));
      break;
    case 1:
      make.shrink(1, less).move(1, part.at + 1 + upTo(20));
      break;
    case 2:
      make.create(2, 26, less, 1).copy(1, 2).remove(1);
      break;
    default:
      make
        .copyOut(1)
        .remove(1)
        .create(2, 26, less + upTo(6), 1)
        .copyBack(2, 1);
  }
  const steps = make.all;
  return { name: `relocation, seed ${seed}`, disk, steps, relocates: true, every: 23 + upTo(17) };
}
