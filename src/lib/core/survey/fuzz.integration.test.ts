import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { CLINIC_VOLUMES, makeImage, type ImageVolume } from '../../../../scripts/test/image';
import { makeMbrImage } from '../../../../scripts/test/mbrImage';
import { TYPE } from '../disk';
import { checkedSource } from '../images/source';
import { surveyFromImage } from '.';

/** How many mutated headers a format gets. */
const MUTANTS = 20_000;

/** A generator of made-up numbers that starts alike in every run. */
function numbers(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
}

/** The interesting values of a byte: a reader's bounds lie at them. */
const EDGES = [0x00, 0x01, 0x7f, 0x80, 0xff];

/**
 * Reads `MUTANTS` variants of an image, each with one to eight bytes of its headers changed. Only the changes
 * are laid over the bytes, so a variant costs no copy of the image.
 */
async function fuzz(
  image: Uint8Array,
  headers: [number, number][],
  seed: number,
): Promise<{ read: number; refused: number }> {
  const random = numbers(seed);
  const total = headers.reduce((sum, [, length]) => sum + length, 0);
  const result = { read: 0, refused: 0 };
  for (let mutant = 0; mutant < MUTANTS; mutant++) {
    const changes = new Map<number, number>();
    for (let i = 1 + Math.floor(random() * 8); i > 0; i--) {
      let at = Math.floor(random() * total);
      const header = headers.find(([, length]) => (at < length ? true : ((at -= length), false)))!;
      const value = random() < 0.5 ? EDGES[Math.floor(random() * EDGES.length)]! : Math.floor(random() * 256);
      changes.set(header[0] + at, value);
    }
    let bytesRead = 0;
    // The checked source throws where a read leaves the file; nothing of that may come out of the reader.
    const source = checkedSource(image.length, async (offset, length) => {
      bytesRead += length;
      const bytes = image.slice(offset, offset + length);
      for (const [at, value] of changes) if (at >= offset && at < offset + length) bytes[at - offset] = value;
      return bytes;
    });
    const outcome = await surveyFromImage(source, { machineName: 'fuzz', takenAt: '2026-11-20T09:30:00Z' });
    if (outcome.ok) result.read++;
    else {
      result.refused++;
      for (const { code, message } of outcome.problems) {
        if (!code || !/[.]$/.test(message))
          throw new Error(`mutant ${mutant} of seed ${seed}: “${code}” “${message}”`);
      }
    }
    // Bounded work: no header makes the reader go over the image again and again.
    if (bytesRead > 4 * image.length + 2 ** 22)
      throw new Error(`mutant ${mutant} of seed ${seed} read ${bytesRead} bytes`);
  }
  return result;
}

const bytesOf = (path: string): Uint8Array => new Uint8Array(readFileSync(path));
/** One volume a disk, as small as its formatter makes it: what is not under test costs time twenty thousand times. */
const DISKS = {
  empty: [
    { name: 'one', type: TYPE.basicData, size: 1, make: 'none' },
    { name: 'two', type: TYPE.reserved, size: 1, make: 'none' },
  ],
  fat32: [{ name: 'EFI', type: TYPE.efi, size: 34, make: 'fat32' }],
  ntfs: [{ name: 'data', type: TYPE.basicData, size: 4, make: 'ntfs', clusterSize: 4096 }],
} satisfies Record<string, ImageVolume[]>;

const imageOf = (disk: keyof typeof DISKS): Uint8Array => {
  const made = makeImage(DISKS[disk]);
  const bytes = bytesOf(made.path);
  made.remove();
  return bytes;
};

describe(`${MUTANTS} mutated headers a format give a survey or a coded error`, () => {
  const sector = 512;
  const mib = 2 ** 20;

  it.each<[string, keyof typeof DISKS, (image: Uint8Array) => [number, number][], number]>([
    [
      'GPT',
      'empty',
      (image) => [
        [0, 3 * sector],
        [image.length - sector, sector],
      ],
      1,
    ],
    // Checksums guard the table, so the volumes' own headers are changed behind its back.
    ['FAT32', 'fat32', () => [[mib, 96]], 2],
    ['NTFS boot sector', 'ntfs', () => [[mib, 96]], 3],
    ['NTFS file records', 'ntfs', () => [[mib + 4 * 4096, 8 * 1024]], 4],
  ])('%s', async (_, disk, headers, seed) => {
    const image = imageOf(disk);
    const { read, refused } = await fuzz(image, headers(image), seed);
    expect(read + refused).toBe(MUTANTS);
  });

  it('MBR and its chain of logical drives', async () => {
    const made = makeMbrImage([
      { type: 0x07, kind: 'primary', size: 2, make: 'none' },
      { type: 0x07, kind: 'logical', size: 1, make: 'none' },
      { type: 0x07, kind: 'logical', size: 1, make: 'none' },
    ]);
    const image = bytesOf(made.path);
    made.remove();
    const { read, refused } = await fuzz(
      image,
      [
        [440, 72],
        [3 * mib + 440, 72],
        [5 * mib + 440, 72],
      ],
      5,
    );
    expect(read).toBeGreaterThan(0);
    expect(refused).toBeGreaterThan(0);
  });

  it('exFAT', async () => {
    const made = makeMbrImage([{ type: 0x07, kind: 'primary', size: 8, make: 'exfat', label: 'Fuzz' }]);
    const image = bytesOf(made.path);
    made.remove();
    expect((await fuzz(image, [[mib + 64, 56]], 6)).read).toBe(MUTANTS);
  });

  it.each([
    ['VHD', 'vpc', 'subformat=dynamic,force_size=on', [[0, 2048]] as [number, number][], 7],
    [
      'VHDX',
      'vhdx',
      'subformat=dynamic,block_size=1M',
      [
        [64 * 1024, 96],
        [192 * 1024, 96],
        [2 * mib, 256],
      ] as [number, number][],
      8,
    ],
  ])(
    '%s',
    async (_, format, options, headers, seed) => {
      const made = makeImage(DISKS.empty);
      const path = `${made.path}.${format}`;
      execFileSync('qemu-img', ['convert', '-f', 'raw', '-O', format, '-o', options, made.path, path]);
      const image = bytesOf(path);
      made.remove();
      const { read, refused } = await fuzz(image, headers, seed);
      expect(read + refused).toBe(MUTANTS);
      expect(refused).toBeGreaterThan(0);
    },
    120_000,
  );
});

describe('files that are no image at all', () => {
  const outcome = async (bytes: Uint8Array) => {
    const source = checkedSource(bytes.length, async (offset, length) =>
      bytes.slice(offset, offset + length),
    );
    const result = await surveyFromImage(source, { machineName: 'x', takenAt: '2026-11-20T09:30:00Z' });
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
    expect(await outcome(bytesOf(image.volumes[0]!.path))).toBe('volume-image');
    image.remove();
  });
});
