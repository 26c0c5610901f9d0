import { execFileSync } from 'node:child_process';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { makeVolume } from '../../../../../scripts/test/volume';
import { randomFrom } from '../../random';

/** Content of a FAT volume. */
export interface FatMess {
  make: 'fat16' | 'fat32';
  /** MiB. */
  size: number;
  /** Share of the room that is taken. */
  full: number;
  seed: number;
}

/**
 * Folders and files that an independent program writes into a volume that another formatted, in pieces between what it
 * deletes again.
 */
export function messyFat(path: string, { make, size, full, seed }: FatMess): void {
  makeVolume(path, { size, make, label: 'SALTMARSH' }, { sectorSize: 512, first: 2048 });
  const random = randomFrom(seed);
  const upTo = (most: number) => Math.floor(random() * most);
  const folder = `${path}.files`;
  const mtools = (command: string, ...args: string[]) =>
    execFileSync(command, ['-i', path, ...args], { stdio: 'pipe' });
  let left = size * 2 ** 20 * full;
  const file = (name: string, length: number) => {
    left -= length;
    const bytes = Buffer.alloc(length);
    for (let at = 0; at + 4 <= length; at += 512) bytes.writeUInt32LE(upTo(2 ** 32), at);
    writeFileSync(join(folder, name), bytes);
  };
  mkdirSync(join(folder, 'Idents', 'Weeks of ebb and flood', 'a third one, deeper'), { recursive: true });
  for (let i = 0; i < 60; i++) file(`Idents/ident number ${i}.txt`, upTo(3000));
  for (let i = 0; i < 40; i++) file(`Idents/Weeks of ebb and flood/week ${i}`, upTo(20_000));
  file('Idents/Weeks of ebb and flood/a third one, deeper/deep.bin', 100_000);
  file('empty', 0);
  // Wedges first, so that folders and files come behind them and in pieces between; then as many go as make room.
  const wedge = Math.floor((size * 2 ** 20 * 0.9 - (size * 2 ** 20 * full - left)) / 10);
  for (let i = 0; i < 8; i++) file(`wedge ${i}`, wedge);
  for (let i = 0; i < 4; i++) mtools('mcopy', '-m', join(folder, `wedge ${i}`), '::/');
  const copyFolders = () => mtools('mcopy', '-s', '-m', join(folder, 'Idents'), join(folder, 'empty'), '::/');
  if (seed % 2 === 0) copyFolders();
  for (let i = 4; i < 8; i++) mtools('mcopy', '-m', join(folder, `wedge ${i}`), '::/');
  mtools('mdel', '::/wedge 6');
  file('across.bin', Math.floor(1.5 * wedge));
  mtools('mcopy', '-m', join(folder, 'across.bin'), '::/');
  if (seed % 2 === 1) copyFolders();
  const goes = Math.max(0, Math.min(5, Math.round((size * 2 ** 20 * (0.9 - full)) / wedge)));
  for (const i of [1, 3, 0, 5, 2].slice(0, goes)) mtools('mdel', `::/wedge ${i}`);
  rmSync(folder, { recursive: true });
}

/** Every file that an independent program reads from a volume, with its hash and time. */
export function readEverythingInFat(path: string): string {
  const folder = `${path}.read`;
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder);
  execFileSync('mcopy', ['-s', '-m', '-n', '-i', path, '::/*', folder], { stdio: 'pipe' });
  const told = execFileSync(
    'bash',
    [
      '-c',
      `cd "$1" && find . -type f -print0 | sort -z | xargs -0 -r sha256sum; find . -printf '%p %TY-%Tm-%Td %TT\\n' | tail -n +2 | sort`,
      'list',
      folder,
    ],
    { encoding: 'utf8' },
  );
  rmSync(folder, { recursive: true });
  return told;
}

/** A handful of files in folders at the end of a small volume, behind room that is free again. */
export function filledFat(
  path: string,
  { make, size, sectorSize }: { make: 'fat16' | 'fat32'; size: number; sectorSize: 512 | 4096 },
): void {
  makeVolume(path, { size, make, label: 'SALTMARSH' }, { sectorSize, first: 2048 });
  const folder = `${path}.files`;
  mkdirSync(join(folder, 'Idents', 'Weeks of ebb and flood'), { recursive: true });
  for (let i = 0; i < 6; i++)
    writeFileSync(join(folder, 'Idents', `ident number ${i}.txt`), `tide ${i} `.repeat(700 * i));
  writeFileSync(join(folder, 'Idents', 'Weeks of ebb and flood', 'week.txt'), 'neap '.repeat(9000));
  writeFileSync(join(folder, 'wedge'), Buffer.alloc(Math.floor(size * 2 ** 20 * 0.8), 7));
  const mtools = (command: string, ...args: string[]) =>
    execFileSync(command, ['-i', path, ...args], { stdio: 'pipe' });
  mtools('mcopy', '-m', join(folder, 'wedge'), '::/');
  mtools('mcopy', '-s', '-m', join(folder, 'Idents'), '::/');
  mtools('mdel', '::/wedge');
  rmSync(folder, { recursive: true });
}
