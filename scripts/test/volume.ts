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

/** A volume made by an independent formatter. */
export interface VolumeSpec {
  /** MiB. */
  size: number;
  make: 'ntfs' | 'fat32' | 'fat16' | 'exfat' | 'none';
  label?: string;
  clusterSize?: number;
  /** Files to be copied in (NTFS), in bytes each. */
  files?: number[];
  /** What to do inside the mounted volume (NTFS). */
  inside?: (folder: string) => void;
}

const MIB = 1024 * 1024;
const run = (command: string, ...args: string[]) => execFileSync(command, args, { stdio: 'pipe' });

/** Formats the file `path` as a volume that will lie at sector `first` of a disk. */
export function makeVolume(
  path: string,
  spec: VolumeSpec,
  place: { sectorSize: number; first: number },
): void {
  const file = openSync(path, 'w');
  ftruncateSync(file, spec.size * MIB);
  closeSync(file);
  const sectorSize = String(place.sectorSize);
  if (spec.make === 'fat32' || spec.make === 'fat16') {
    const label = spec.label ? ['-n', spec.label] : [];
    run('mkfs.fat', '-F', spec.make === 'fat32' ? '32' : '16', '-S', sectorSize, ...label, path);
  } else if (spec.make === 'exfat') {
    run('mkfs.exfat', ...(spec.label ? ['-L', spec.label] : []), path);
  } else if (spec.make === 'ntfs') {
    const cluster = spec.clusterSize ? ['-c', String(spec.clusterSize)] : [];
    const geometry = ['-s', sectorSize, '-p', String(place.first), '-H', '16', '-S', '63'];
    run('mkntfs', '-F', '-f', '-q', ...geometry, ...cluster, '-L', spec.label ?? '', path);
    fillNtfs(path, spec);
  }
}

function fillNtfs(path: string, spec: VolumeSpec): void {
  spec.files?.forEach((bytes, i) => {
    const source = `${path}.payload`;
    writeFileSync(source, Buffer.alloc(bytes, i + 1));
    run('ntfscp', '-f', path, source, `file${i}.bin`);
    rmSync(source);
  });
  if (!spec.inside) return;
  const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-mount-'));
  run('ntfs-3g', path, folder);
  try {
    spec.inside(folder);
  } finally {
    run('umount', folder);
    rmSync(folder, { recursive: true });
  }
}

/** Copies a volume into the image, leaving out its holes. */
export function copySparse(from: string, to: number, offset: number): void {
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
