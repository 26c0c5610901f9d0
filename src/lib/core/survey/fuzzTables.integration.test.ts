import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { CLINIC_VOLUMES, makeImage, type ImageVolume } from '../../../../scripts/test/image';
import { makeMbrImage } from '../../../../scripts/test/mbrImage';
import { TYPE } from '../disk';
import { makeBytesSource } from '../images/source';
import { surveyFromImage } from '.';
import { bytesOf, fuzz, MUTANTS, numbers } from './test/fuzz';

const SECTOR = 512;
const MIB = 2 ** 20;
/** As small as it may be: what is not under test costs time twenty thousand times. */
const EMPTY: ImageVolume[] = [
  { name: 'one', type: TYPE.basicData, size: 1, make: 'none' },
  { name: 'two', type: TYPE.reserved, size: 1, make: 'none' },
];
const emptyImage = (): Uint8Array => {
  const made = makeImage(EMPTY);
  const bytes = bytesOf(made.path);
  made.remove();
  return bytes;
};

describe(`${MUTANTS} mutated headers of a table give a survey or a coded error`, () => {
  it('GPT', async () => {
    const image = emptyImage();
    const headers: [number, number][] = [
      [0, 3 * SECTOR],
      [image.length - SECTOR, SECTOR],
    ];
    const { read, refused } = await fuzz(image, headers, 1);
    expect(read + refused).toBe(MUTANTS);
    expect(Math.min(read, refused)).toBeGreaterThan(0);
  });

  it('which table counts, by the first sector', async () => {
    const { read, refused, codes } = await fuzz(emptyImage(), [[446, 66]], 10, {
      values: [0x00, 0x01, 0x07, 0x0f, 0x80, 0xaa, 0x55, 0xee],
    });
    expect(read + refused).toBe(MUTANTS);
    expect(read).toBeGreaterThan(MUTANTS / 2);
    expect(codes).toContain('mbr-broken');
  });

  it('MBR and its chain of logical drives', async () => {
    const made = makeMbrImage([
      { type: 0x07, kind: 'primary', size: 2, make: 'none' },
      { type: 0x07, kind: 'logical', size: 1, make: 'none' },
      { type: 0x07, kind: 'logical', size: 1, make: 'none' },
    ]);
    const image = bytesOf(made.path);
    made.remove();
    const headers: [number, number][] = [0, 3 * MIB, 5 * MIB].map((at) => [at + 440, 72]);
    const { read, refused } = await fuzz(image, headers, 5);
    expect(read).toBeGreaterThan(0);
    expect(refused).toBeGreaterThan(0);
  });
});

/** Bytes of a file that are no zeros, as ranges of so many bytes. */
function written(image: Uint8Array, from: number, to: number, grain = 512): [number, number][] {
  const ranges: [number, number][] = [];
  for (let at = from; at < Math.min(to, image.length); at += grain) {
    if (image.subarray(at, at + grain).some((byte) => byte !== 0)) ranges.push([at, grain]);
  }
  return ranges;
}

describe(`${MUTANTS} mutated headers of a disk image give a survey or a coded error`, () => {
  it.each<[string, string, string, (image: Uint8Array) => [number, number][], number]>([
    ['VHD', 'vpc', 'subformat=dynamic,force_size=on', () => [[0, 2048]], 7],
    [
      'VHDX',
      'vhdx',
      'subformat=dynamic,block_size=1M',
      () => [
        [64 * 1024, 96],
        [128 * 1024, 96],
        [192 * 1024, 96],
        [256 * 1024, 96],
        [2 * MIB, 256],
      ],
      8,
    ],
    // The header, then where qemu-img puts both tables of a small disk: cluster 3 and the next.
    [
      'qcow2, version 3',
      'qcow2',
      'compat=1.1',
      () => [
        [0, 112],
        [3 * 65536, 16],
        [4 * 65536, 512],
      ],
      11,
    ],
    [
      'qcow2, version 2',
      'qcow2',
      'compat=0.10',
      () => [
        [0, 72],
        [3 * 65536, 16],
        [4 * 65536, 512],
      ],
      12,
    ],
    ['VMDK, sparse', 'vmdk', 'subformat=monolithicSparse', (image) => written(image, 0, 128 * 1024, 128), 13],
  ])(
    '%s',
    async (_, format, options, headers, seed) => {
      const made = makeImage(EMPTY);
      const path = `${made.path}.${format}`;
      execFileSync('qemu-img', ['convert', '-f', 'raw', '-O', format, '-o', options, made.path, path]);
      const image = bytesOf(path);
      made.remove();
      const { read, refused, codes } = await fuzz(image, headers(image), seed);
      expect(read + refused).toBe(MUTANTS);
      expect(refused).toBeGreaterThan(0);
      expect([...codes].some((code) => code.startsWith(format === 'vpc' ? 'vhd' : format))).toBe(true);
    },
    120_000,
  );

  it('VMDK, the description of a flat one', async () => {
    const made = makeImage(EMPTY);
    const path = made.path.replace('.img', '.vmdk');
    execFileSync('qemu-img', [
      'convert',
      '-f',
      'raw',
      '-O',
      'vmdk',
      '-o',
      'subformat=monolithicFlat',
      made.path,
      path,
    ]);
    const description = bytesOf(path);
    const flat = makeBytesSource(bytesOf(path.replace('.vmdk', '-flat.vmdk')));
    made.remove();
    const { read, refused, codes } = await fuzz(description, [[0, description.length]], 14, { beside: flat });
    expect(read).toBeGreaterThan(0);
    expect(refused).toBeGreaterThan(0);
    expect([...codes]).toEqual(expect.arrayContaining(['vmdk-broken', 'vmdk-parent']));
  });
});

describe('files that are no image at all', () => {
  const outcome = async (bytes: Uint8Array) => {
    const result = await surveyFromImage(makeBytesSource(bytes), {
      machineName: 'x',
      takenAt: '2026-11-20T09:30:00Z',
    });
    return result.ok ? 'read' : result.problems[0]!.code;
  };
  it('zeros, random bytes and nothing are told from disks', async () => {
    const random = numbers(9);
    expect(await outcome(new Uint8Array(300_000))).toBe('no-table');
    expect(await outcome(Uint8Array.from({ length: 300_000 }, () => Math.floor(random() * 256)))).toBe(
      'no-table',
    );
    expect(await outcome(new Uint8Array(0))).toBe('no-table');
  });

  it('a single volume is told from a disk', async () => {
    const image = makeImage([{ ...CLINIC_VOLUMES[2]!, size: 8, files: [] }]);
    expect(await outcome(new Uint8Array(readFileSync(image.volumes[0]!.path)))).toBe('volume-image');
    image.remove();
  });
});
