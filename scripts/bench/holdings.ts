import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, renameSync } from 'node:fs';
import { join } from 'node:path';
import { readImage } from '../../src/lib/core/holdings';
import { openToRead } from '../../src/lib/server/work/images/fileSource';
import { TYPE } from '../../src/lib/core/disk';
import { makeImage } from '../test/image';

const FOLDER = '.local/bench';
const RUNS = 3;

/**
 * A million files in 2,000 folders, every twentieth with clusters of its own, as a driver that is not ours writes them.
 */
const MAKE = `
import os, sys
root, files = sys.argv[1], 0
for i in range(40):
    for j in range(50):
        folder = f'{root}/Users/person {i}/AppData/Local/folder {j}'
        os.makedirs(folder)
        for k in range(500):
            f = os.open(f'{folder}/file number {k}.dat', os.O_CREAT | os.O_WRONLY)
            os.write(f, b'x' * (9000 if k % 20 == 0 else 120))
            os.close(f)`;

/** A disk image with that volume; it takes some three minutes to make, so it is kept. @returns its path */
export function millionFiles(): string {
  const path = join(FOLDER, 'million-files.img');
  if (existsSync(path)) return path;
  mkdirSync(FOLDER, { recursive: true });
  const made = makeImage([
    {
      name: 'Basic data partition',
      type: TYPE.basicData,
      size: 8192,
      make: 'ntfs',
      label: 'Windows',
      inside: (folder) => execFileSync('python3', ['-c', MAKE, folder]),
    },
  ]);
  execFileSync('cp', ['--sparse=always', made.path, `${path}.part`]);
  renameSync(`${path}.part`, path);
  made.remove();
  return path;
}

/** Seconds that the image's survey and holdings take, from the file being opened. */
export async function holdingsTimings(): Promise<{
  seconds: number;
  files: number;
  used: number;
  accounted: number;
}> {
  const path = millionFiles();
  const times: number[] = [];
  let last = null;
  for (let i = 0; i < RUNS; i++) {
    const began = performance.now();
    const file = await openToRead(path);
    const read = await readImage(file.source, {
      machineName: 'a million files',
      takenAt: '2026-11-20T09:30:00Z',
    });
    await file.close();
    times.push((performance.now() - began) / 1000);
    if (!read.ok || !read.value.holdings) throw new Error('the image was not read');
    last = read.value.holdings.volumes[0]!;
  }
  times.sort((a, b) => a - b);
  const { folders, own, used } = last!;
  return { seconds: times[1]!, files: folders[0]!.files, used, accounted: folders[0]!.bytes + own };
}
