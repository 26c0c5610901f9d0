import { execFileSync } from 'node:child_process';
import { linkSync, mkdirSync, rmSync, truncateSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { makeVolume } from '../../../../scripts/test/volume';
import { makeFreshFolder, say } from '../executor/test/mounted';
import { openFileSource } from '../test/source';
import { recogniseVolume } from '../volumes';
import { accountsOf } from './accounts';
import type { VolumeHoldings } from './document';
import { holdingsOf } from './fromImage';
import { HoldingsTree } from './tree';

const folder = makeFreshFolder('holdings');
afterAll(() => rmSync(folder, { recursive: true }));
const PLACE = { sectorSize: 512, first: 2048 };

/** What the reader says of a volume in a file of its own. */
async function read(path: string): Promise<VolumeHoldings> {
  const source = openFileSource(path);
  const { volume } = await recogniseVolume(source, 512, () => {});
  const told = await holdingsOf(source, volume, 512);
  const { fileSystem, size, used } = volume;
  return { disk: 0, partition: 1, fileSystem, size, used: used!, ...told! };
}

/** A made-up tree: folders in folders, long and odd names, files of every size, in the folder of a mounted volume. */
function fill(root: string): void {
  const at = (...parts: string[]) => join(root, ...parts);
  mkdirSync(at('Users', 'ida', 'Pictures', 'The 潮汐 of a year'), { recursive: true });
  mkdirSync(at('Windows', 'Temp'), { recursive: true });
  mkdirSync(at('one', 'two', 'three', 'four', 'five'), { recursive: true });
  for (let i = 0; i < 400; i++)
    writeFileSync(at('Users', 'ida', `letter number ${i}.txt`), Buffer.alloc(i * 37, i));
  writeFileSync(at('Users', 'ida', 'Pictures', 'The 潮汐 of a year', 'film.bin'), Buffer.alloc(9_000_001, 1));
  writeFileSync(at('one', 'two', 'three', 'four', 'five', 'deep.bin'), Buffer.alloc(3_000_000, 2));
  writeFileSync(at('Windows', 'Temp', 'left over.tmp'), Buffer.alloc(5_000_000, 3));
  writeFileSync(at('page.sys'), Buffer.alloc(2_500_000, 4));
  utimesSync(at('page.sys'), new Date('2019-03-04T12:00:00Z'), new Date('2019-03-04T12:00:00Z'));
}

/** Bytes below each folder, as the driver counts them: whole clusters of every file and folder, each once. */
function byDriver(mounted: string, cluster: number): Map<string, number> {
  const printed = execFileSync('find', [mounted, '-printf', '%i\\t%b\\t%y\\t%P\\n'], { encoding: 'utf8' });
  const sums = new Map<string, number>();
  const seen = new Set<string>();
  for (const line of printed.trimEnd().split('\n')) {
    const [inode, blocks, kind, path] = line.split('\t') as [string, string, string, string];
    if (seen.has(inode)) continue;
    seen.add(inode);
    const bytes = Math.floor((Number(blocks) * 512) / cluster) * cluster;
    const parts = path.split('/').filter(Boolean);
    if (kind !== 'd') parts.pop();
    for (let n = parts.length; n >= 0; n--) {
      const key = `\\${parts.slice(0, n).join('\\')}`;
      sums.set(key, (sums.get(key) ?? 0) + bytes);
    }
  }
  return sums;
}

/** Every named folder but the root has what the driver says. */
function sameAs(held: VolumeHoldings, driver: Map<string, number>): void {
  const tree = new HoldingsTree(held);
  const told = held.folders.map((one, place) => [tree.pathOf(place), one.bytes]).slice(1);
  expect(told.length).toBeGreaterThan(8);
  expect(Object.fromEntries(told)).toEqual(
    Object.fromEntries(told.map(([path]) => [path, driver.get(String(path))])),
  );
}

describe('what fills an NTFS volume, beside what the driver says', () => {
  it.each([4096, 16_384, 65_536])(
    'is the same in every folder, with clusters of %i bytes',
    async (cluster) => {
      const path = join(folder, `ntfs-${cluster}.img`);
      let driver = new Map<string, number>();
      makeVolume(path, { size: 200, make: 'ntfs', clusterSize: cluster, inside: fill }, PLACE);
      const mount = makeFreshFolder('mounted');
      execFileSync('ntfs-3g', ['-o', 'ro', path, mount]);
      try {
        driver = byDriver(mount, cluster);
      } finally {
        execFileSync('umount', [mount]);
      }
      const held = await read(path);
      sameAs(held, driver);
      // What the root needs for its rights, the driver does not count; the whole comes out all the same.
      const beside = held.folders[0]!.bytes - driver.get('\\')!;
      expect([0, 1, 2].map((clusters) => clusters * cluster)).toContain(beside);
      expect(held.unread).toBe(0);
      expect(accountsOf(held)).toMatchObject({ other: 0, used: held.used });
      const tree = new HoldingsTree(held);
      const page = held.files.find(({ name }) => name === 'page.sys');
      expect(page).toMatchObject({ changed: '2019-03-04', in: 0 });
      expect(tree.pathOfFile(held.files[0]!)).toBe('\\Users\\ida\\Pictures\\The 潮汐 of a year\\film.bin');
    },
  );

  it('accounts for every cluster in use: links once, holes not at all, streams and lists of attributes as well', async () => {
    const path = join(folder, 'odd.img');
    makeVolume(
      path,
      {
        size: 160,
        make: 'ntfs',
        inside: (root) => {
          fill(root);
          for (let i = 0; i < 12; i++) linkSync(join(root, 'page.sys'), join(root, 'one', `link ${i}`));
          writeFileSync(join(root, 'hole'), '');
          truncateSync(join(root, 'hole'), 2 ** 36);
          execFileSync('setfattr', ['-n', 'user.stream', '-v', 'x'.repeat(40_000), join(root, 'hole')]);
          // Written by turns, so that both are in hundreds of pieces and one record is not enough.
          const by = `
import os, sys
a, b = (os.open(os.path.join(sys.argv[1], n), os.O_CREAT | os.O_WRONLY) for n in ('a', 'b'))
for i in range(1500):
    for f in (a, b):
        os.pwrite(f, b'x' * 4096, i * 8192)
        os.fsync(f)`;
          execFileSync('python3', ['-c', by, root]);
        },
      },
      PLACE,
    );
    const held = await read(path);
    const free = /Free Clusters: (\d+)/.exec(say('ntfsinfo', '-m', path))!;
    expect(held.used).toBe(held.size - Number(free[1]) * 4096);
    expect(accountsOf(held).other).toBe(0);
    const large = Object.fromEntries(held.files.map(({ name, bytes }) => [name, bytes]));
    expect(large['a']).toBeGreaterThanOrEqual(1500 * 4096);
    expect(large['hole']).toBe(40_960);
    expect(held.files.filter(({ name }) => name === 'page.sys' || name.startsWith('link'))).toHaveLength(1);
  });
});

describe('what fills other volumes', () => {
  it.each(['fat16', 'fat32'] as const)('%s: the same as an independent program lists', async (make) => {
    const path = join(folder, `${make}.img`);
    makeVolume(path, { size: 128, make, label: 'SALTMARSH' }, PLACE);
    const files = join(folder, `${make}.files`);
    mkdirSync(files);
    fill(files);
    execFileSync('mcopy', [
      '-s',
      '-m',
      '-i',
      path,
      ...['Users', 'Windows', 'one', 'page.sys'].map((one) => join(files, one)),
      '::/',
    ]);
    const held = await read(path);
    expect(held.unread).toBe(0);
    expect(accountsOf(held).other).toBe(0);
    const tree = new HoldingsTree(held);
    const film = held.files[0]!;
    expect(tree.pathOfFile(film)).toBe('\\Users\\ida\\Pictures\\The 潮汐 of a year\\film.bin');
    expect(held.files.find(({ name }) => name === 'page.sys')).toMatchObject({ changed: '2019-03-04' });
    // Everything but the empty file that mtools lists, counted by itself.
    expect(held.folders[0]!.files).toBe(Number(say('bash', '-c', `find "${files}" -type f | wc -l`)));
  });

  it('exFAT: the same as its driver says', async () => {
    const path = join(folder, 'exfat.img');
    makeVolume(path, { size: 128, make: 'exfat', label: 'SALTMARSH' }, PLACE);
    const device = execFileSync('losetup', ['-f', '--show', path], { encoding: 'utf8' }).trim();
    const mount = makeFreshFolder('exfat');
    let driver = new Map<string, number>();
    let files = 0;
    try {
      execFileSync('mount.exfat-fuse', [device, mount], { stdio: 'pipe' });
      try {
        fill(mount);
        driver = byDriver(mount, 4096);
        files = Number(say('bash', '-c', `find "${mount}" -type f | wc -l`));
      } finally {
        execFileSync('umount', [mount]);
      }
    } finally {
      execFileSync('losetup', ['-d', device]);
    }
    const held = await read(path);
    sameAs(held, driver);
    expect(held).toMatchObject({ unread: 0, measure: 'length' });
    expect(held.folders[0]!.files).toBe(files);
    expect(accountsOf(held).other).toBe(0);
  });
});
