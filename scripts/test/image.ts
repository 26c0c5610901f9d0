import { execFileSync } from 'node:child_process';
import {
  closeSync,
  ftruncateSync,
  mkdtempSync,
  openSync,
  readSync,
  rmSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { TYPE } from '$core/disk';
import { writeGpt, type GptTable } from '$core/tables';

/** A volume of an image, made by an independent formatter. */
export interface ImageVolume {
  name: string;
  type: string;
  /** MiB. */
  size: number;
  make: 'ntfs' | 'fat32' | 'none';
  label?: string;
  clusterSize?: number;
  /** Files to be copied in (NTFS), in bytes each. */
  files?: number[];
}

export interface MadeImage {
  path: string;
  table: GptTable;
  /** Folder with one file a volume, as the formatter left it. */
  volumes: { path: string; spec: ImageVolume; first: number }[];
  remove: () => void;
}

const MIB = 1024 * 1024;

/**
 * A raw disk image: our partition table, volumes made by `mkntfs` and `mkfs.fat`, files copied in with
 * `ntfscp`. Sparse, so that a disk of hundreds of GiB takes little room.
 *
 * @param gap MiB of unallocated space at the end
 */
export function makeImage(
  specs: readonly ImageVolume[],
  options: { sectorSize?: 512 | 4096; gap?: number } = {},
): MadeImage {
  const sectorSize = options.sectorSize ?? 512;
  const perMib = MIB / sectorSize;
  const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-image-'));
  const path = join(folder, 'disk.img');
  let at = perMib;
  const volumes = specs.map((spec, i) => {
    const first = at;
    at += spec.size * perMib;
    return { path: join(folder, `volume${i}.img`), spec, first };
  });
  const sectors = at + ((options.gap ?? 0) + 1) * perMib;
  const array = (16 * 1024) / sectorSize;
  const table: GptTable = {
    sectorSize,
    sectors,
    diskId: '47540000-0000-4000-8000-00000000D15C',
    firstUsable: 2 + array,
    lastUsable: sectors - 2 - array,
    backupHeader: sectors - 1,
    entryCount: 128,
    entrySize: 128,
    entries: volumes.map(({ spec, first }, slot) => ({
      slot,
      type: spec.type,
      id: `47540000-0000-4000-8000-${String(slot + 1).padStart(12, '0')}`,
      first,
      last: first + spec.size * perMib - 1,
      attributes: spec.type === TYPE.recovery ? 0x8000000000000001n : 0n,
      name: spec.name,
    })),
  };
  const image = openSync(path, 'w');
  ftruncateSync(image, sectors * sectorSize);
  for (const { offset, bytes } of writeGpt(table)) writeSync(image, bytes, 0, bytes.length, offset);
  for (const volume of volumes) {
    if (volume.spec.make === 'none') continue;
    makeVolume(volume.path, volume.spec, sectorSize, volume.first, folder);
    copySparse(volume.path, image, volume.first * sectorSize);
  }
  closeSync(image);
  return { path, table, volumes, remove: () => rmSync(folder, { recursive: true, force: true }) };
}

function makeVolume(
  path: string,
  spec: ImageVolume,
  sectorSize: number,
  first: number,
  folder: string,
): void {
  const file = openSync(path, 'w');
  ftruncateSync(file, spec.size * MIB);
  closeSync(file);
  const run = (command: string, ...args: string[]) => execFileSync(command, args, { stdio: 'pipe' });
  if (spec.make === 'fat32') {
    run('mkfs.fat', '-F', '32', '-S', String(sectorSize), ...(spec.label ? ['-n', spec.label] : []), path);
    return;
  }
  const cluster = spec.clusterSize ? ['-c', String(spec.clusterSize)] : [];
  const geometry = ['-s', String(sectorSize), '-p', String(first), '-H', '16', '-S', '63'];
  run('mkntfs', '-F', '-f', '-q', ...geometry, ...cluster, '-L', spec.label ?? '', path);
  spec.files?.forEach((bytes, i) => {
    const source = join(folder, 'payload');
    writeFileSync(source, Buffer.alloc(bytes, i + 1));
    run('ntfscp', '-f', path, source, `file${i}.bin`);
    rmSync(source);
  });
}

/** Copies a volume into the image, leaving out its holes. */
function copySparse(from: string, to: number, offset: number): void {
  const source = openSync(from, 'r');
  const buffer = Buffer.alloc(MIB);
  for (const [start, end] of dataRanges(from)) {
    for (let at = start; at < end; at += buffer.length) {
      const length = readSync(source, buffer, 0, Math.min(buffer.length, end - at), at);
      writeSync(to, buffer, 0, length, offset + at);
    }
  }
  closeSync(source);
}

/** The parts of a sparse file that hold data. Node has no SEEK_DATA; Python's `os.lseek` has. */
function dataRanges(path: string): [number, number][] {
  const script = `
import os, sys
f = os.open(sys.argv[1], os.O_RDONLY)
at, size = 0, os.fstat(f).st_size
while at < size:
    try: start = os.lseek(f, at, os.SEEK_DATA)
    except OSError: break
    at = os.lseek(f, start, os.SEEK_HOLE)
    print(start, at)`;
  const text = execFileSync('python3', ['-c', script, path], { encoding: 'utf8' });
  return text
    .trim()
    .split('\n')
    .filter(Boolean)
    .map((line) => line.split(' ').map(Number) as [number, number]);
}

/** The clinic's layout in small, with real volumes: EFI, reserved, Windows, recovery, data and room behind. */
export const CLINIC_VOLUMES: readonly ImageVolume[] = [
  { name: 'EFI system partition', type: TYPE.efi, size: 64, make: 'fat32', label: 'EFI' },
  { name: 'Microsoft reserved partition', type: TYPE.reserved, size: 16, make: 'none' },
  {
    name: 'Basic data partition',
    type: TYPE.basicData,
    size: 300,
    make: 'ntfs',
    label: 'Windows',
    files: [9_000_000, 70_000],
  },
  { name: 'Recovery', type: TYPE.recovery, size: 64, make: 'ntfs', label: 'Recovery' },
  {
    name: 'Basic data partition',
    type: TYPE.basicData,
    size: 400,
    make: 'ntfs',
    label: 'X-ray archive',
    clusterSize: 16384,
    files: [3_000_000],
  },
];

/** The same on a disk of 500 GiB, nearly all of it holes. */
export const LARGE_VOLUMES: readonly ImageVolume[] = [
  { name: 'EFI system partition', type: TYPE.efi, size: 100, make: 'fat32', label: 'EFI' },
  { name: 'Microsoft reserved partition', type: TYPE.reserved, size: 16, make: 'none' },
  {
    name: 'Basic data partition',
    type: TYPE.basicData,
    size: 200 * 1024,
    make: 'ntfs',
    label: 'Windows',
    files: [5_000_000],
  },
  { name: 'Recovery', type: TYPE.recovery, size: 900, make: 'ntfs', label: 'Recovery' },
  {
    name: 'Basic data partition',
    type: TYPE.basicData,
    size: 298 * 1024,
    make: 'ntfs',
    label: 'Archive',
    files: [2_000_000],
  },
];
