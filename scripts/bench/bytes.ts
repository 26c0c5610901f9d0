import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { makeDynamicVhd, takeInventory, type Device } from '../../src/lib/core/executor';
import { makeStandIn } from '../../src/lib/core/executor/standIn/standIn';
import { Wrapped } from '../../src/lib/core/executor/devices/wrappers';
import { readNtfsFiles } from '../../src/lib/core/executor/proof/ntfsFiles';
import { stepOf } from '../../src/lib/core/executor/test/bareSteps';
import { openRun } from '../../src/lib/core/executor/test/openRun';
import { TYPE, type Extent } from '../../src/lib/core/disk';
import type { Step } from '../../src/lib/core/steps';
import { writeGpt } from '../../src/lib/core/tables';
import { diskSpec, surveyWith } from '../../src/lib/core/survey/sketch';
import { machineOf } from '../../src/lib/core/survey';
import { newHash } from '../../src/lib/server/executor/hashAside';
import { FileDevice } from '../../src/lib/server/executor/fileDevice';

const MIB = 2 ** 20;
const GIB = 2 ** 30;
const PER_MIB = 2048;
const FILES_GIB = 4;
const VOLUME_MIB = 4600;
const ROUNDS = 3;
const ID = '47540000-0000-4000-8000-000000000001';

const seconds = async (work: () => Promise<unknown> | unknown): Promise<number> => {
  const began = performance.now();
  await work();
  return (performance.now() - began) / 1000;
};
const median = (list: number[]): number => list.sort((a, b) => a - b)[Math.floor(list.length / 2)]!;

/** The time that is spent in a device. */
class TimedDevice extends Wrapped {
  ms = 0;
  override async write(offset: number, bytes: Uint8Array): Promise<void> {
    const began = performance.now();
    await this.inner.write(offset, bytes);
    this.ms += performance.now() - began;
  }
  override async flush(): Promise<void> {
    const began = performance.now();
    await this.inner.flush();
    this.ms += performance.now() - began;
  }
}

/** Writes a table with one partition of basic data. */
async function lay(disk: Device, { first, sectors }: Extent): Promise<void> {
  const all = disk.size / 512;
  const table = {
    sectorSize: 512,
    sectors: all,
    diskId: ID,
    firstUsable: 34,
    lastUsable: all - 34,
    backupHeader: all - 1,
    entryCount: 128,
    entrySize: 128,
  };
  const entry = {
    slot: 0,
    type: TYPE.basicData,
    id: ID,
    first,
    last: first + sectors - 1,
    attributes: 0n,
    name: '',
  };
  for (const { offset, bytes } of writeGpt({ ...table, entries: [entry] })) await disk.write(offset, bytes);
}

/** Carries one step out with its journal in a file. Seconds, in all and for the journal. */
async function executed(
  disk: Device,
  step: Step,
  journalPath: string,
): Promise<{ took: number; journal: number; relocated: number }> {
  const file = await FileDevice.open(journalPath, { create: true });
  const journal = new TimedDevice(file);
  const opened = await openRun({ disk, journal, steps: [step] });
  if (!opened.ok) throw new Error(opened.problems[0]!.message);
  const took = await seconds(async () => {
    const done = await opened.value.forward();
    if (!done.ok) throw new Error(done.problems[0]!.message);
  });
  await file.close();
  const relocated = opened.value.state.relocated[0]?.bytes ?? 0;
  return { took, journal: journal.ms / 1000, relocated };
}

const SHRINK_MIB = 5200;
const SHRUNK_MIB = 2800;

export interface ShrinkTimings {
  /** Seconds, and the bytes that were brought together. */
  shrink: number;
  bytes: number;
  /** Seconds for as many bytes. */
  cp: number;
  format: number;
}

/**
 * A volume made smaller with 2 GiB of files beyond its new end, large ones and thousands of small ones, beside `cp` of
 * as many bytes; and an empty volume of 500 GiB made on a disk in a VHD.
 */
export async function shrinkTimings(): Promise<ShrinkTimings> {
  const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-shrink-'));
  const run = (script: string) =>
    execFileSync('bash', ['-c', script, 'bench', folder], { stdio: ['ignore', 'pipe', 'pipe'] });
  try {
    // What is written first lies in front, and goes again.
    run(`cd "$1" && truncate -s ${SHRINK_MIB}M volume.img && mkntfs -F -f -q -s 512 -p 2048 -H 16 -S 63 volume.img && mkdir m && ntfs-3g volume.img m &&
      head -c 2560M /dev/zero > m/front && mkdir m/small &&
      head -c 1M /dev/urandom > piece && for i in $(seq 4096); do head -c $((100000 + i * 16)) piece > m/small/$i; done &&
      for i in $(seq 6); do head -c 256M /dev/urandom > m/reel$i; done && rm m/front && umount m`);
    const sectors = (SHRINK_MIB + 10) * PER_MIB;
    const from = { first: PER_MIB, sectors: SHRINK_MIB * PER_MIB };
    const step = stepOf('shrink', {
      partition: 1,
      id: ID,
      from,
      to: { ...from, sectors: SHRUNK_MIB * PER_MIB },
    });
    const shrinks: number[] = [];
    const copies: number[] = [];
    let bytes = 0;
    for (let round = 0; round < ROUNDS; round++) {
      run(
        `cd "$1" && rm -f disk.img && truncate -s ${sectors * 512} disk.img && dd if=volume.img of=disk.img bs=1M seek=1 conv=notrunc,sparse status=none && sync`,
      );
      const disk = await FileDevice.open(join(folder, 'disk.img'));
      await lay(disk, from);
      const { took, relocated } = await executed(disk, step, join(folder, `journal${round}`));
      await disk.close();
      bytes = relocated;
      shrinks.push(took);
      if (round === 0) run(`cd "$1" && head -c ${bytes} /dev/urandom > plain && sync`);
      copies.push(await seconds(() => run('cd "$1" && cp --reflink=never plain copy && sync copy')));
      run('rm "$1/copy"');
    }
    const formats: number[] = [];
    for (let round = 0; round < ROUNDS; round++) {
      const file = await FileDevice.open(join(folder, `large${round}.vhd`), { create: true });
      const disk = await makeDynamicVhd(file, 600 * GIB, 512, 1);
      await lay(disk, { first: PER_MIB, sectors: PER_MIB });
      const to = { first: 4 * PER_MIB, sectors: 500 * 1024 * PER_MIB };
      const create = {
        type: TYPE.basicData,
        attributes: '0x0',
        name: '',
        fileSystem: 'ntfs' as const,
        clusterSize: 4096,
        label: 'Archive',
      };
      const made = stepOf('create', { partition: 2, id: null, from: null, to, create });
      formats.push((await executed(disk, made, join(folder, `journal-format${round}`))).took);
      await file.close();
    }
    return { shrink: median(shrinks), bytes, cp: median(copies), format: median(formats) };
  } finally {
    rmSync(folder, { recursive: true });
  }
}

export interface BytesTimings {
  /** Seconds for the same bytes. */
  move: number;
  cp: number;
  journalShare: number;
  hash: number;
  sha256sum: number;
  bytes: number;
}

/**
 * A volume with 4 GiB of files moved clear of its place, its files hashed, each beside a system tool on the same bytes.
 */
export async function bytesTimings(): Promise<BytesTimings> {
  const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-bytes-'));
  const run = (script: string) =>
    execFileSync('bash', ['-c', script, 'bench', folder], { stdio: ['ignore', 'pipe', 'pipe'] });
  try {
    run(`cd "$1" && truncate -s ${VOLUME_MIB}M volume.img && mkntfs -F -f -q -s 512 -p 2048 -H 16 -S 63 volume.img && mkdir m && ntfs-3g volume.img m &&
      for i in $(seq ${FILES_GIB * 4}); do head -c 256M /dev/urandom > m/reel$i; done && cat m/* > plain && umount m`);
    const path = join(folder, 'disk.img');
    const sectors = (2 * VOLUME_MIB + 10) * PER_MIB;
    run(
      `cd "$1" && truncate -s ${sectors * 512} disk.img && dd if=volume.img of=disk.img bs=1M seek=1 conv=notrunc,sparse status=none && rm volume.img && sync`,
    );
    const disk = await FileDevice.open(path);
    const place = (first: number) => ({ first, sectors: VOLUME_MIB * PER_MIB });
    const [left, right] = [place(PER_MIB), place((VOLUME_MIB + 4) * PER_MIB)];
    await lay(disk, left);

    const moves: number[] = [];
    const copies: number[] = [];
    let journalShare = 0;
    for (let round = 0; round < ROUNDS; round++) {
      const [from, to] = round % 2 === 0 ? [left, right] : [right, left];
      const step = stepOf('move', { partition: 1, id: ID, from, to });
      const { took, journal } = await executed(disk, step, join(folder, `journal${round}`));
      moves.push(took);
      journalShare = Math.max(journalShare, journal / took);
      copies.push(await seconds(() => run('cd "$1" && cp --reflink=never plain copy && sync copy')));
      run('rm "$1/copy"');
    }
    const at = (ROUNDS % 2 === 1 ? right : left).first * 512;
    const content = {
      size: VOLUME_MIB * MIB,
      read: (offset: number, length: number) => disk.read(at + offset, length),
      stretches: async (offset: number, length: number) => [{ offset, length }],
    };
    const hashes: number[] = [];
    const sums: number[] = [];
    for (let round = 0; round < ROUNDS; round++) {
      hashes.push(
        await seconds(() =>
          readNtfsFiles(content, {
            newHash,
            newStreamHash: newHash,
            fingerprintAbove: null,
            reads: () => true,
            gate: async () => {},
          }),
        ),
      );
      sums.push(await seconds(() => run('sha256sum "$1/plain"')));
    }
    await disk.close();
    return {
      move: median(moves),
      cp: median(copies),
      journalShare,
      hash: median(hashes),
      sha256sum: median(sums),
      bytes: FILES_GIB * GIB,
    };
  } finally {
    if (existsSync(folder)) rmSync(folder, { recursive: true });
  }
}

/** A stand-in of a disk of 4 TiB, a volume of it moved over itself, and everything proved. Seconds. */
export async function largeDisk(): Promise<{ made: number; moved: number; proved: number }> {
  const path = join(tmpdir(), `gentle-tide-large-${process.pid}.vhd`);
  const survey = surveyWith(
    diskSpec({ size: 4 * 1024 * 1024, seed: 9, media: 'hdd' }, [
      { role: 'efi', size: 300, used: 40, fileSystem: 'fat32' },
      { role: 'windows', size: 500 * 1024, used: 471 * 1024, letter: 'C' },
      { role: 'data', size: 3_000_000, used: 1_200_000, letter: 'D' },
    ]),
  );
  const disk = machineOf(survey).disks[0]!;
  const file = await FileDevice.open(path, { create: true });
  try {
    const device: Device = await makeDynamicVhd(file, disk.sectors * 512, 512, 1);
    const options = {
      seed: 9,
      steps: [],
      table: { backupHeader: null, entries: null, entrySize: null },
      time: 1.79e12,
    };
    const made = await seconds(() => makeStandIn(device, disk, options));
    const { number, id, first, sectors } = disk.partitions.at(-1)!;
    const from = { first, sectors };
    const step = stepOf('move', {
      partition: number,
      id,
      from,
      to: { first: first + 300_000 * PER_MIB, sectors },
    });
    const opened = await openRun({ disk: device, steps: [step] });
    if (!opened.ok) throw new Error(opened.problems[0]!.message);
    const moved = await seconds(() => opened.value.forward());
    const proved = await seconds(() =>
      takeInventory(device, { newHash, extent: 'whole', steps: [], before: null, fingerprintAbove: 2 * MIB }),
    );
    return { made, moved, proved };
  } finally {
    await file.close();
    rmSync(path, { force: true });
  }
}
