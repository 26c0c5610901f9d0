import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { makeDynamicVhd, MemoryDevice, Run, takeStock, type Device } from '../../src/lib/core/bench';
import { makeStandIn } from '../../src/lib/core/bench/standIn/standIn';
import { Wrapped } from '../../src/lib/core/bench/devices/wrappers';
import { ntfsFiles } from '../../src/lib/core/bench/proof/ntfsFiles';
import { stepOf } from '../../src/lib/core/bench/test/bareSteps';
import { writeGpt } from '../../src/lib/core/tables';
import { diskSpec, surveyWith } from '../../src/lib/core/survey/sketch';
import { machineOf } from '../../src/lib/core/survey';
import { newHash } from '../../src/lib/server/bench/carryOut';
import { FileDevice } from '../../src/lib/server/bench/fileDevice';

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

export interface BytesTimings {
  /** Seconds for the same bytes. */
  move: number;
  cp: number;
  journalShare: number;
  hash: number;
  sha256sum: number;
  bytes: number;
}

/** A volume with 4 GiB of files moved clear of its place, its files hashed, each beside a system tool on the same bytes. */
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
    const table = {
      sectorSize: 512,
      sectors,
      diskId: ID,
      firstUsable: 34,
      lastUsable: sectors - 34,
      backupHeader: sectors - 1,
      entryCount: 128,
      entrySize: 128,
    };
    const entry = {
      slot: 0,
      type: 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7',
      id: ID,
      first: left.first,
      last: left.first + left.sectors - 1,
      attributes: 0n,
      name: '',
    };
    for (const { offset, bytes } of writeGpt({ ...table, entries: [entry] })) await disk.write(offset, bytes);

    const moves: number[] = [];
    const copies: number[] = [];
    let journalShare = 0;
    for (let round = 0; round < ROUNDS; round++) {
      const [from, to] = round % 2 === 0 ? [left, right] : [right, left];
      const step = stepOf('move', { partition: 1, id: ID, from, to });
      const file = await FileDevice.open(join(folder, `journal${round}`), { create: true });
      const journal = new TimedDevice(file);
      await journal.resize(64 * MIB);
      const opened = await Run.open({
        disk,
        journal,
        aside: async () => new MemoryDevice(0),
        steps: [step],
        run: 'b',
        route: 'b',
        newId: () => ID,
      });
      if (!opened.ok) throw new Error(opened.problems[0]!.message);
      const took = await seconds(() => opened.value.forward());
      moves.push(took);
      await file.close();
      journalShare = Math.max(journalShare, journal.ms / 1000 / took);
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
        await seconds(async () => {
          for await (const one of ntfsFiles(content, {
            newHash,
            fingerprintAbove: null,
            gate: async () => {},
          }))
            void one;
        }),
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
    const opened = await Run.open({
      disk: device,
      journal: new MemoryDevice(64 * MIB),
      aside: async () => new MemoryDevice(0),
      steps: [step],
      run: 'l',
      route: 'l',
      newId: () => ID,
    });
    if (!opened.ok) throw new Error(opened.problems[0]!.message);
    const moved = await seconds(() => opened.value.forward());
    const proved = await seconds(() => takeStock(device, { newHash, fingerprintAbove: 2 * MIB }));
    return { made, moved, proved };
  } finally {
    await file.close();
    rmSync(path, { force: true });
  }
}
