import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { makeMbrImage, type MbrVolume } from '../../../../scripts/test/mbrImage';
import { bytesOf, fuzz, MUTANTS } from './test/fuzz';

const MIB = 2 ** 20;

/** One volume, as small as its formatter makes it, on a disk whose table costs little to read. */
function imageOf(volume: Omit<MbrVolume, 'kind'>): Uint8Array {
  const made = makeMbrImage([{ ...volume, kind: 'primary' }]);
  const bytes = bytesOf(made.path);
  made.remove();
  return bytes;
}
const NTFS: Omit<MbrVolume, 'kind'> = { type: 0x07, size: 4, make: 'ntfs', clusterSize: 4096 };

const FILLED: typeof NTFS = {
  ...NTFS,
  size: 8,
  inside: (folder) => {
    mkdirSync(join(folder, 'Users', 'ida', 'Pictures', 'tides'), { recursive: true });
    for (let i = 0; i < 20; i++)
      writeFileSync(join(folder, 'Users', 'ida', 'Pictures', 'tides', `tide ${i}`), Buffer.alloc(5000 * i));
  },
};

/** The 32-bit sum of an exFAT boot region (exFAT 3.4), repeated all over its last sector. */
function withChecksum(image: Uint8Array, changes: Map<number, number>): void {
  const at = (byte: number) => changes.get(MIB + byte) ?? image[MIB + byte]!;
  let sum = 0;
  for (let byte = 0; byte < 11 * 512; byte++) {
    if (byte === 106 || byte === 107 || byte === 112) continue;
    sum = (((sum & 1) << 31) + (sum >>> 1) + at(byte)) >>> 0;
  }
  for (let byte = 0; byte < 512; byte++)
    changes.set(MIB + 11 * 512 + byte, (sum >>> (8 * (byte % 4))) & 0xff);
}

describe(`${MUTANTS} mutated headers of a volume: the disk is read, whatever it holds`, () => {
  it.each<[string, Omit<MbrVolume, 'kind'>, [number, number][], number]>([
    ['FAT32', { type: 0x0c, size: 34, make: 'fat32' }, [[MIB, 96]], 2],
    ['FAT16, with its root folder', { type: 0x06, size: 16, make: 'fat16', label: 'FUZZ' }, [[MIB, 64]], 15],
    ['NTFS boot sector', NTFS, [[MIB, 96]], 3],
    ['NTFS file records', NTFS, [[MIB + 4 * 4096, 8 * 1024]], 4],
    // Those of people begin with number 64.
    ['NTFS files and folders', FILLED, [[MIB + 4 * 4096 + 64 * 1024, 24 * 1024]], 7],
  ])('%s', async (_, volume, headers, seed) => {
    const { read, filled } = await fuzz(imageOf(volume), headers, seed);
    expect(read).toBe(MUTANTS);
    expect(filled).toBeGreaterThan(MUTANTS / 20);
  });

  it('exFAT, its checksum brought in line', async () => {
    const image = imageOf({ type: 0x07, size: 8, make: 'exfat', label: 'Fuzz' });
    expect((await fuzz(image, [[MIB + 64, 56]], 6, { mended: withChecksum })).read).toBe(MUTANTS);
  });
});
