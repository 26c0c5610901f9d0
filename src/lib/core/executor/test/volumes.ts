import { execFileSync } from 'node:child_process';
import {
  appendFileSync,
  closeSync,
  ftruncateSync,
  mkdirSync,
  openSync,
  rmSync,
  truncateSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { makeVolume } from '../../../../../scripts/test/volume';
import { randomFrom } from '../../random';

/** Content that a driver writes to a volume, at random, the same for the same seed. */
export interface Mess {
  /** MiB. */
  size: number;
  clusterSize: number;
  /** Share of the room that the files take, at most. */
  full: number;
  /** Files in many pieces, each written a little at a time in turn with the others. */
  scattered: number;
  seed: number;
}

/** Asks the driver to compress what is written into a folder: a flag of its attributes, as bytes in order. */
const COMPRESSED = '0x00000800';

/**
 * A volume that `mkntfs` made and the driver filled: small and large files, many of them in pieces between what was
 * deleted again, sparse and compressed ones, named streams, links, a folder with a large index, files with so many
 * pieces that they take several records.
 */
export function messyVolume(
  path: string,
  { size, clusterSize, full, scattered, seed }: Mess,
  sectorSize: 512 | 4096 = 512,
): void {
  const random = randomFrom(seed);
  const upTo = (most: number) => Math.floor(random() * most);
  const room = size * 2 ** 20 * full - Math.max(8 * clusterSize * 40, 3 * 2 ** 20);
  let written = 0;
  const content = (length: number) => {
    written += Math.ceil(length / clusterSize) * clusterSize;
    const bytes = Buffer.alloc(length);
    for (let at = 0; at + 4 <= length; at += 512) bytes.writeUInt32LE(upTo(2 ** 32), at);
    return bytes;
  };
  const inside = (into: string) => {
    // Room in all places: some of what is written first goes away at the end.
    const wedge = Math.max(1, Math.floor(room / 40 / clusterSize)) * clusterSize;
    for (let i = 0; i < 30; i++) writeFileSync(join(into, `wedge ${i}`), content(wedge));
    mkdirSync(join(into, 'Tide tables'));
    for (let i = 0; i < 150; i++)
      writeFileSync(join(into, 'Tide tables', `harbour ${i} – ebb and flood.txt`), content(upTo(3000)));
    for (let i = 0; i < 30; i += 2) rmSync(join(into, `wedge ${i}`));
    written -= 15 * wedge;
    const packed = join(into, 'Packed');
    mkdirSync(packed);
    if (clusterSize <= 4096)
      execFileSync('setfattr', ['-h', '-n', 'system.ntfs_attrib_be', '-v', COMPRESSED, packed], {
        stdio: 'pipe',
      });
    for (let i = 0; i < 6; i++)
      writeFileSync(join(packed, `log ${i}.txt`), 'flood '.repeat(Math.min(room / 400, upTo(60_000))));
    written += Math.floor(room / 50);
    for (let i = 0; i < 4; i++) {
      const file = openSync(join(into, `sparse ${i}.vhd`), 'w');
      ftruncateSync(file, 6 * 2 ** 20 + upTo(1000));
      for (let piece = 0; piece < 6; piece++)
        writeSync(file, content(clusterSize + upTo(5000)), 0, clusterSize, upTo(5 * 2 ** 20));
      closeSync(file);
    }
    for (let turn = 0; turn < 700 && written < room * 0.6; turn++)
      for (let i = 0; i < scattered; i++)
        if (random() < 0.7) appendFileSync(join(into, `scattered ${i}`), content(1 + upTo(clusterSize)));
    writeFileSync(join(into, 'streams'), content(2000));
    execFileSync('ln', [join(into, 'streams'), join(into, 'Tide tables', 'second name')]);
    execFileSync('ln', ['-s', 'streams', join(into, 'link')]);
    for (let i = 0; written < room; i++)
      writeFileSync(
        join(into, `reel ${i}.bin`),
        content(Math.min(room / 8, upTo(room / 6), room - written + 1)),
      );
    for (let i = 1; i < 30; i += 4) rmSync(join(into, `wedge ${i}`));
  };
  makeVolume(path, { size, make: 'ntfs', label: 'Messy', clusterSize, inside }, { sectorSize, first: 2048 });
}

/**
 * A volume that is full but for holes of one cluster each: what has to go there parts, and no longer fits into its
 * record.
 *
 * @param holes how many
 * @param keepRecords no file record is free either, so the `$MFT` has to grow
 */
export function holeyVolume(
  path: string,
  {
    size,
    clusterSize,
    holes,
    keepRecords,
  }: { size: number; clusterSize: number; holes: number; keepRecords: boolean },
): void {
  const inside = (into: string) => {
    mkdirSync(join(into, 'small'));
    for (let i = 0; i < 2 * holes; i++)
      writeFileSync(join(into, 'small', `${i}`), Buffer.alloc(Math.max(1024, clusterSize), i));
    const filler = Buffer.alloc(64 * clusterSize, 'ebb and flood ');
    for (let length = filler.length; length > 0;) {
      try {
        appendFileSync(join(into, 'filler'), filler.subarray(0, length));
      } catch {
        length = Math.floor(length / 2 / clusterSize) * clusterSize;
      }
    }
    for (let i = 0; i < 2 * holes; i += 2)
      if (keepRecords) truncateSync(join(into, 'small', `${i}`));
      else rmSync(join(into, 'small', `${i}`));
  };
  makeVolume(
    path,
    { size, make: 'ntfs', label: 'Messy', clusterSize, inside },
    { sectorSize: 512, first: 2048 },
  );
}
