import { execFileSync } from 'node:child_process';
import { mkdirSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { stepOf } from '../../src/lib/core/executor/test/bareSteps';
import { TYPE } from '../../src/lib/core/disk';
import type { Step } from '../../src/lib/core/steps';
import { routeText } from '../../src/lib/server/executor/test/routeText';
import { makeImage } from '../test/image';
import { testId } from '../test/gpt';

const PER_MIB = 2048;

/** A disk with one volume, and what is done to it. Sizes in MiB. */
interface Job {
  name: string;
  what: string;
  size: number;
  gap: number;
  /** A script that fills the mounted volume, which is its first argument. */
  fill: string;
  steps: (from: { first: number; sectors: number }) => Step[];
}

const about = { partition: 1, id: testId(1) };
const move = (by: number) => (from: { first: number; sectors: number }) => [
  stepOf('move', { ...about, from, to: { ...from, first: from.first + by * PER_MIB } }),
];
const RANDOM = (mib: number, to: string) => `head -c ${mib}M /dev/urandom > "$1/${to}"`;

export const JOBS: readonly Job[] = [
  {
    name: 'move',
    what: '1 GiB moved over itself by 200 MiB',
    size: 1400,
    gap: 300,
    fill: RANDOM(1024, 'reel'),
    steps: move(200),
  },
  {
    name: 'shrink',
    what: 'a volume with 2.4 GiB of files made smaller, 0.4 GiB of them relocated',
    size: 4000,
    gap: 10,
    // What is written in the middle goes again; what comes after lies beyond the new end.
    fill: `${RANDOM(2048, 'front')} && head -c 900M /dev/zero > "$1/middle" && ${RANDOM(410, 'back')} && rm "$1/middle"`,
    steps: (from) => [stepOf('shrink', { ...about, from, to: { ...from, sectors: 2900 * PER_MIB } })],
  },
  {
    name: 'large',
    what: '200 GiB with 60,000 files (8 GiB) moved over itself by 1 GiB',
    size: 200 * 1024,
    gap: 2048,
    fill: `python3 -c "
import os, sys
block = os.urandom(1 << 20)
for i in range(60):
    os.makedirs(f'{sys.argv[1]}/folder {i}')
    for k in range(1000):
        at = (i * 1000 + k) % 800000
        open(f'{sys.argv[1]}/folder {i}/file {k}.dat', 'wb').write(block[at:at + 40000 + 200 * k])
" "$1"`,
    steps: move(1024),
  },
  {
    name: 'holes',
    what: 'a volume with 0.2 GiB of files and a sparse file of 1 TiB, moved over itself by 200 MiB',
    size: 1400,
    gap: 300,
    fill: `${RANDOM(200, 'reel')} && truncate -s 1T "$1/journal of changes" && printf tide | dd of="$1/journal of changes" bs=1 seek=999999999999 conv=notrunc status=none`,
    steps: move(200),
  },
];

/** Makes the disks and routes in a folder, where they are not there yet. */
export function prepare(folder: string): void {
  mkdirSync(folder, { recursive: true });
  for (const { name, size, gap, fill, steps } of JOBS) {
    const path = join(folder, `${name}.img`);
    const from = { first: PER_MIB, sectors: size * PER_MIB };
    writeFileSync(join(folder, `${name}.json`), routeText(steps(from)));
    try {
      execFileSync('test', ['-e', path]);
      continue;
    } catch {
      // It is made now.
    }
    const made = makeImage(
      [
        {
          name: '',
          type: TYPE.basicData,
          size,
          make: 'ntfs',
          label: 'Bench',
          inside: (into) => execFileSync('bash', ['-ec', fill, 'fill', into], { stdio: 'pipe' }),
        },
      ],
      { gap },
    );
    execFileSync('cp', ['--sparse=always', made.path, `${path}.part`]);
    renameSync(`${path}.part`, path);
    made.remove();
  }
}

export const prepared = (): { name: string; what: string }[] => {
  prepare('.local/bench/commands');
  return JOBS.map(({ name, what }) => ({ name, what }));
};
