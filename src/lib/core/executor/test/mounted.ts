import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Output of a program, both ways; a failure that it reports is part of it. */
export function say(command: string, ...args: string[]): string {
  try {
    return execFileSync(command, args, {
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'pipe'],
      maxBuffer: 2 ** 28,
    });
  } catch (error) {
    const { stdout, stderr, status } = error as { stdout: string; stderr: string; status: number };
    return `${stdout}${stderr}\nexit ${status}`;
  }
}

/**
 * Everything that a driver says of a mounted volume: each file's hash, each link's target, times and counts of names.
 * The driver is general-purpose and knows nothing of us.
 *
 * @param image a file, or a loop-free part of one that was cut out
 */
export function readEverythingIn(image: string, type: 'ntfs' | 'plain folder' = 'ntfs'): string {
  if (type === 'plain folder') return listing(image);
  const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-eyes-'));
  execFileSync('ntfs-3g', ['-o', 'ro,streams_interface=none', image, folder], { stdio: 'pipe' });
  try {
    return listing(folder);
  } finally {
    execFileSync('umount', [folder]);
    rmSync(folder, { recursive: true });
  }
}

const listing = (folder: string): string =>
  execFileSync(
    'bash',
    [
      '-c',
      `cd "$1" && export LC_ALL=C
       find . -type f -print0 | sort -z | xargs -0 -r sha256sum
       find . -mindepth 1 \\( -type l -printf '%p -> %l\\n' \\) -o \\( -type f -printf '%p %s %n %TY-%Tm-%Td %TT\\n' \\) -o \\( -type d -printf '%p/\\n' \\) | sort`,
      'list',
      folder,
    ],
    { encoding: 'utf8', maxBuffer: 2 ** 28 },
  );

/** Copies what a stretch of one file holds into another, at its beginning: holes stay holes, however long. */
const CUT_OUT = `
import os, sys
source, target, offset, length = os.open(sys.argv[1], os.O_RDONLY), os.open(sys.argv[2], os.O_RDWR | os.O_CREAT), int(sys.argv[3]), int(sys.argv[4])
os.ftruncate(target, length)
at, end = offset, offset + length
while at < end:
    try: at = os.lseek(source, at, os.SEEK_DATA)
    except OSError: break
    stop = min(end, os.lseek(source, at, os.SEEK_HOLE))
    while at < stop:
        piece = os.pread(source, min(1 << 20, stop - at), at)
        os.pwrite(target, piece, at - offset)
        at += len(piece)`;

/** A part of a disk's file as a file of its own. Bytes. */
export function cutOut(disk: string, offset: number, length: number, to: string): string {
  execFileSync('python3', ['-c', CUT_OUT, disk, to, String(offset), String(length)]);
  return to;
}

/** A folder of a test's own. */
export const makeFreshFolder = (name: string, root = tmpdir()): string =>
  mkdtempSync(join(root, `gentle-tide-${name}-`));
