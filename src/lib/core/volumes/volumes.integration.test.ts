import { execFileSync } from 'node:child_process';
import {
  closeSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  readSync,
  rmSync,
  truncateSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeVolume, type VolumeSpec } from '../../../../scripts/test/volume';
import { guidToBytes } from '../tables';
import { openFileSource } from '../test/source';
import { recogniseVolume, type Recognition } from '.';

const SECTOR = 512;
const KIB = 1024;
const run = (command: string, ...args: string[]) =>
  execFileSync(command, args, { encoding: 'utf8', stdio: 'pipe' });

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'gentle-tide-volumes-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

let made = 0;
/** A volume of its own, as its formatter leaves it. */
function volume(spec: Partial<VolumeSpec> & Pick<VolumeSpec, 'size' | 'make'>, sectorSize = SECTOR): string {
  const path = join(folder, `${++made}.img`);
  makeVolume(path, spec, { sectorSize, first: 2048 });
  return path;
}
function change(path: string, ...changes: [offset: number, bytes: Uint8Array | number[]][]): void {
  const file = openSync(path, 'r+');
  for (const [offset, bytes] of changes) writeSync(file, Uint8Array.from(bytes), 0, bytes.length, offset);
  closeSync(file);
}
function bytesAt(path: string, offset: number, length: number): Buffer {
  const file = openSync(path, 'r');
  const bytes = Buffer.alloc(length);
  readSync(file, bytes, 0, length, offset);
  closeSync(file);
  return bytes;
}
const zeros = (length: number): Uint8Array => new Uint8Array(length);
const text = (words: string): number[] => [...Buffer.from(words, 'latin1')];
const read = (path: string, sectorSize = SECTOR): Promise<Recognition> =>
  recogniseVolume(openFileSource(path), sectorSize, () => {});

/** What blkid says of a volume: its own word for the type, and further tags. */
function blkid(path: string): Record<string, string> {
  try {
    const lines = run('blkid', '-p', '-o', 'export', path).trim().split('\n');
    return Object.fromEntries(lines.map((line) => line.split('=', 2)));
  } catch {
    return {};
  }
}

/** The end of the last cluster of files, by their numbers or names, as ntfscluster tells it. */
function endOfClusters(path: string, ...of: string[][]): number {
  const ends = of.flatMap((which) => {
    const printed = run('ntfscluster', '-f', ...which, path);
    return [...printed.matchAll(/^\s+\d+\s+(\d+)\s+(\d+)\s*$/gm)].map(
      ([, lcn, length]) => Number(lcn) + Number(length),
    );
  });
  return Math.max(...ends);
}

describe('encrypted volumes', () => {
  const ID = '4967D63B-2E29-4AD8-8399-F6A339E3D001';
  /** What stands in the place that a boot sector names for what is needed to unlock. */
  const block: [number, number[]] = [KIB * KIB, text('-FVE-FS-')];
  const place = (at: number): [number, number[]] => [at, [0, 0, 0x10, 0, 0, 0, 0, 0]];

  it.each<[string, VolumeSpec['make'], [number, Uint8Array | number[]][]]>([
    ['a removable drive', 'fat32', [[3, text('MSWIN4.1')], [424, guidToBytes(ID)], place(440), block]],
    [
      'a fixed drive',
      'ntfs',
      [[0, [0xeb, 0x58, 0x90]], [3, text('-FVE-FS-')], [160, guidToBytes(ID)], place(176), block],
    ],
  ])('%s, as blkid has it', async (_, make, changes) => {
    const path = volume({ size: 40, make });
    change(path, ...changes);
    expect(blkid(path)['TYPE']).toBe('BitLocker');
    const { volume: found } = await read(path);
    expect(found).toMatchObject({ fileSystem: 'encrypted', used: null, encryption: { state: 'on' } });
  });

  it.each<[string, VolumeSpec['make'], [number, Uint8Array | number[]][]]>([
    [
      'the face of a small one, FAT16',
      'fat16',
      [
        [3, text('MSWIN4.1')],
        [424, guidToBytes(ID)],
      ],
    ],
    ['one with another formatter’s name', 'fat32', [[424, guidToBytes(ID)]]],
    [
      'one that is encrypted as it is written',
      'fat32',
      [[424, guidToBytes('92A84D3B-DD80-4D0E-9E4E-B1E3284EAED8')]],
    ],
    ['one whose mark is unknown, by its first block', 'fat32', [place(440), block]],
  ])('%s is no FAT', async (_, make, changes) => {
    const path = volume({ size: 40, make });
    change(path, ...changes);
    expect((await read(path)).volume.fileSystem).toBe('encrypted');
  });

  it('a FAT made by an older system is none', async () => {
    const path = volume({ size: 40, make: 'fat32' });
    change(path, [3, text('MSWIN4.1')]);
    expect((await read(path)).volume.fileSystem).toBe('fat32');
  });
});

describe('a volume of 512-byte clusters with 21,000 names in its root, its files in pieces', () => {
  let path: string;
  let found: Recognition;
  beforeAll(async () => {
    path = volume({
      size: 64,
      make: 'ntfs',
      clusterSize: 512,
      inside: (root) => {
        // Holes of three clusters: records and index blocks then lie across the ends of runs.
        const hole = (i: number) => `${root}/h${String(i).padStart(5, '0')}`;
        for (let i = 0; i < 4000; i++) writeFileSync(hole(i), Buffer.alloc(1400, 1));
        for (let i = 0; i < 4000; i += 2) rmSync(hole(i));
        for (let i = 0; i < 21_000; i++) writeFileSync(`${root}/a file with a longer name, number ${i}`, '');
        mkdirSync(`${root}/Windows`);
        writeFileSync(`${root}/hiberfil.sys`, `HIBR${'x'.repeat(100_000)}`);
        writeFileSync(`${root}/pagefile.sys`, Buffer.alloc(300_000, 1));
        mkdirSync(`${root}/System Volume Information`);
        const shadow = '{5b1f6dd1-90a3-11ee-8c90-0242ac120002}{3808876b-c176-4e48-b7ae-04046e6cc752}';
        writeFileSync(`${root}/System Volume Information/${shadow}`, Buffer.alloc(200_000, 1));
        writeFileSync(`${root}/last.bin`, Buffer.alloc(900_000, 1));
      },
    });
    found = await read(path);
  });

  it('lies as it should for this test: runs of odd length, by ntfsinfo', () => {
    const odd = (inode: number) =>
      [
        ...run('ntfsinfo', '-i', String(inode), '-v', path).matchAll(
          /^\t\t\t0x[0-9a-f]+\t\t0x[0-9a-f]+\t\t0x([0-9a-f]+)$/gm,
        ),
      ]
        .map(([, length]) => parseInt(length!, 16))
        .slice(0, -1)
        .some((length) => length % 2 === 1);
    expect([0, 5].map(odd)).toEqual([true, true]);
  });

  it('is looked through whole', () => {
    expect(found).toMatchObject({ holdsWindows: true, hibernated: true, gaps: [] });
  });

  it('has its last immovable cluster where ntfscluster shows those files', () => {
    const own = [0, 1, 2, 3, 4, 6, 7, 8, 9, 10, 11].map((inode) => ['-I', String(inode)]);
    const shadow =
      'System Volume Information/{5b1f6dd1-90a3-11ee-8c90-0242ac120002}{3808876b-c176-4e48-b7ae-04046e6cc752}';
    const files = ['pagefile.sys', 'hiberfil.sys', shadow].map((name) => ['-F', name]);
    const { lastImmovable, lastUsed, immovableFile } = found.volume;
    // The one of them whose own last cluster that is, by its name.
    const names = [
      '$MFT',
      '$MFTMirr',
      '$LogFile',
      '$Volume',
      '$AttrDef',
      '$Bitmap',
      '$Boot',
      '$BadClus',
      '$Secure',
      '$UpCase',
      '$Extend',
    ];
    const each = [...own, ...files].map((which, i) => ({
      name: names[i] ?? which[1]!.replace('/', '\\'),
      end: endOfClusters(path, which) * 512,
    }));
    expect(each.filter(({ end }) => end === lastImmovable).map(({ name }) => `\\${name}`)).toEqual([
      immovableFile,
    ]);
    expect(lastImmovable).toBe(endOfClusters(path, ...own, ...files) * 512);
    // An ordinary file lies behind all of them: Windows moves that.
    expect(lastUsed).toBeGreaterThan(lastImmovable!);
  });

  it('says what it could not read, instead of “no”', async () => {
    // Every index block of the root: then nobody can tell what is in it.
    const [, at] =
      /0xa0[\s\S]*?Runlist:[^\n]*\n\t\t\t0x0\t\t0x([0-9a-f]+)/.exec(run('ntfsinfo', '-i', '5', '-v', path)) ??
      [];
    expect(at).toBeDefined();
    const bytes = bytesAt(path, 0, 64 * KIB * KIB);
    for (let i = 0; (i = bytes.indexOf('INDX', i)) >= 0; i += 4) change(path, [i, text('BAAD')]);
    const blind = await read(path);
    expect(blind).toMatchObject({ holdsWindows: null, hibernated: null });
    expect(blind.gaps.join()).toMatch(
      /folder \\Windows could not be read: .*whether a hibernated system sleeps/,
    );
    expect(blind.volume.lastImmovable).toBeUndefined();
    expect(blind.volume.used).toBe(found.volume.used);
  });
});

describe('Windows and its sleep', () => {
  const of = (inside: (root: string) => void) => read(volume({ size: 40, make: 'ntfs', inside }));

  it.each([
    [65_536, 512],
    [8192, 512],
    [4096, 4096],
    [65_536, 4096],
  ])('are found with clusters of %i and sectors of %i bytes', async (clusterSize, sectorSize) => {
    const inside = (root: string) => {
      for (let i = 0; i < 1500; i++) mkdirSync(`${root}/zz a folder, number ${i}`);
      mkdirSync(`${root}/WINDOWS`);
      writeFileSync(`${root}/HIBERFIL.SYS`, `hibr${'x'.repeat(9000)}`);
    };
    const path = volume({ size: 120, make: 'ntfs', clusterSize, inside }, sectorSize);
    expect(await read(path, sectorSize)).toMatchObject({ holdsWindows: true, hibernated: true, gaps: [] });
  });

  it('is a folder, not a file of that name', async () => {
    const { holdsWindows } = await of((root) => writeFileSync(`${root}/WINDOWS`, 'x'));
    expect(holdsWindows).toBe(false);
  });

  it('is not found in a folder that was removed', async () => {
    const { holdsWindows } = await of((root) => {
      for (let i = 0; i < 500; i++) mkdirSync(`${root}/folder number ${i}`);
      mkdirSync(`${root}/Windows`);
      rmSync(`${root}/Windows`, { recursive: true });
      for (let i = 0; i < 500; i++) rmSync(`${root}/folder number ${i}`, { recursive: true });
    });
    expect(holdsWindows).toBe(false);
  });
});

describe('a damaged boot sector', () => {
  it.each<[string, VolumeSpec['make'], number, RegExp]>([
    ['NTFS', 'ntfs', 1, /sector 81919 of the partition/],
    ['FAT32', 'fat32', 1, /sector 6 of the partition/],
    ['exFAT', 'exfat', 1, /sector 12 of the partition/],
  ])('of %s: its backup gives the same figures, and is named', async (_, make, sectors, where) => {
    const path = volume({ size: 40, make, label: 'KEPT' });
    const before = await read(path);
    expect(blkid(path)['TYPE']).toBeDefined();
    change(path, [0, zeros(sectors * SECTOR)]);
    expect(blkid(path)['TYPE']).toBeUndefined();
    const after = await read(path);
    expect(after.volume).toEqual({ ...before.volume, bootSector: 'backup' });
    expect(after.gaps.join()).toMatch(where);
  });

  it('of NTFS that ends before its partition does: the figures that are left tell where its backup is', async () => {
    const path = volume({ size: 40, make: 'ntfs', label: 'KEPT' });
    const before = await read(path);
    truncateSync(path, 60 * KIB * KIB);
    change(path, [0, zeros(11)]);
    expect((await read(path)).volume).toEqual({ ...before.volume, bootSector: 'backup' });
  });

  it('of exFAT with a wrong checksum counts as damaged: Windows does not open it', async () => {
    const path = volume({ size: 40, make: 'exfat' });
    change(path, [72, [0xff]]);
    expect((await read(path)).volume.bootSector).toBe('backup');
  });

  it.each([
    ['ext4', 'mkfs.ext4', ['-q', '-F'], /ext2, ext3 or ext4/],
    ['a swap area', 'mkswap', [], /swap/],
  ])(
    'that %s was written over is none: the old backup at the end is a leftover',
    async (_, command, args, name) => {
      const path = volume({ size: 40, make: 'ntfs' });
      const end = 40 * KIB * KIB - SECTOR;
      const leftover = bytesAt(path, end, SECTOR);
      expect(leftover.subarray(3, 7).toString()).toBe('NTFS');
      run(command, ...args, path);
      change(path, [end, leftover]);
      const found = await read(path);
      expect(found.volume.fileSystem).toBe('unknown');
      expect(found.gaps.join()).toMatch(name);
    },
  );

  it('is not what a file system has that passes the end of its partition', async () => {
    const path = volume({ size: 40, make: 'ntfs' });
    change(path, [0x28, [0, 0, 2]]);
    const { volume: found, gaps } = await read(path);
    expect(found).toMatchObject({ fileSystem: 'ntfs', used: null });
    expect(gaps.join()).toContain('larger than its partition');
  });
});

describe('sectors that are not the disk’s', () => {
  it.each<[VolumeSpec['make'], number | undefined]>([
    ['fat32', undefined],
    ['ntfs', 512],
    ['ntfs', 4096],
    ['exfat', undefined],
  ])(
    '%s with sectors of 512 bytes on a disk of 4,096 stays unknown, with a note',
    async (make, clusterSize) => {
      const path = volume({ size: 64, make, ...(clusterSize ? { clusterSize } : {}) });
      const { volume: found, gaps } = await read(path, 4096);
      expect(found).toEqual({ fileSystem: 'unknown', size: 64 * KIB * KIB, used: null });
      expect(gaps.join()).toMatch(/do not fit the disk’s sectors of 4096/);
    },
  );

  it('larger ones are read, and it is said that Windows may not open them', async () => {
    const path = volume({ size: 64, make: 'ntfs' }, 4096);
    const { volume: found, gaps } = await read(path, 512);
    expect(found.fileSystem).toBe('ntfs');
    expect(gaps.join()).toContain('Windows may not open it here');
  });
});

describe('dirty flags', () => {
  it.each<[string, VolumeSpec['make'], number]>([
    ['FAT32', 'fat32', 0x41],
    ['FAT16', 'fat16', 0x25],
  ])('%s: in the boot sector, as fsck.fat sees it', async (_, make, at) => {
    const path = volume({ size: 40, make });
    const clean = await read(path);
    expect(clean.volume.dirty).toBe(false);
    change(path, [at, [1]]);
    let said = '';
    try {
      said = run('fsck.fat', '-n', path);
    } catch (error) {
      said = String((error as { stdout?: unknown }).stdout);
    }
    expect(said).toContain('Dirty bit is set');
    expect((await read(path)).volume.dirty).toBe(true);
  });

  it.each<[string, VolumeSpec['make'], number, number]>([
    ['FAT32, not shut down', 'fat32', 4, 0x07ffffff],
    ['FAT32, errors of the medium', 'fat32', 4, 0x0bffffff],
    ['FAT16, not shut down', 'fat16', 2, 0x7fff],
    ['FAT16, errors of the medium', 'fat16', 2, 0xbfff],
  ])('%s: in entry 1 of the table', async (_, make, width, value) => {
    const path = volume({ size: 40, make });
    const reserved = bytesAt(path, 14, 2).readUInt16LE();
    const entry = Buffer.alloc(4);
    entry.writeUInt32LE(value);
    change(path, [reserved * SECTOR + width, entry.subarray(0, width)]);
    expect((await read(path)).volume.dirty).toBe(true);
  });

  it('exFAT: of its volume flags, which a file check takes away', async () => {
    const path = volume({ size: 40, make: 'exfat' });
    expect((await read(path)).volume.dirty).toBe(false);
    change(path, [106, [2]]);
    expect((await read(path)).volume.dirty).toBe(true);
    run('fsck.exfat', '-y', path);
    expect((await read(path)).volume.dirty).toBe(false);
  });

  it('exFAT: use and size are those that dump.exfat counts', async () => {
    const path = volume({ size: 40, make: 'exfat', label: 'Exhibits' });
    const shown = run('dump.exfat', path);
    const figure = (name: string) => Number(new RegExp(`${name}:\\s*(\\d+)`).exec(shown)![1]);
    const { size, used, clusterSize } = (await read(path)).volume;
    expect(size - used!).toBe(figure('Free Clusters') * figure('Cluster size'));
    expect(clusterSize).toBe(figure('Cluster size'));
  });
});

describe('labels of FAT', () => {
  it.each<[VolumeSpec['make'], number]>([
    ['fat32', 71],
    ['fat16', 43],
  ])('%s: from the root folder, where blkid takes it too, not from the boot sector', async (make, at) => {
    const path = volume({ size: 40, make, label: 'SOUNDS' });
    change(path, [at, text('OLD NAME   ')]);
    expect(blkid(path)).toMatchObject({ LABEL: 'SOUNDS', LABEL_FATBOOT: 'OLD\\ NAME' });
    expect((await read(path)).volume.label).toBe('SOUNDS');
  });

  it('are empty where the root folder has none, whatever the boot sector says', async () => {
    const path = volume({ size: 40, make: 'fat32' });
    change(path, [71, text('OLD NAME   ')]);
    expect(blkid(path)['LABEL']).toBeUndefined();
    expect((await read(path)).volume.label).toBe('');
  });

  it('may hold letters beyond ASCII, in the code page that Windows writes', async () => {
    const path = volume({ size: 40, make: 'fat32', label: 'X' });
    const root = bytesAt(path, 0, 40 * KIB * KIB).indexOf(Buffer.from('X          \x08', 'latin1'));
    change(path, [root, [0x4d, 0x9a, 0x4e, 0x5a, 0x45]]);
    expect((await read(path)).volume.label).toBe('MÜNZE');
  });
});
