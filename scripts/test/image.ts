import { closeSync, ftruncateSync, mkdtempSync, openSync, rmSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { TYPE } from '$core/disk';
import { writeGpt, type GptTable } from '$core/tables';
import { testGpt, testId } from './gpt';
import { copySparse, makeVolume, type VolumeSpec } from './volume';

export interface ImageVolume extends VolumeSpec {
  name: string;
  type: string;
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
  const table = testGpt(
    sectorSize,
    sectors,
    volumes.map(({ spec, first }, slot) => ({
      slot,
      type: spec.type,
      id: testId(slot + 1),
      first,
      last: first + spec.size * perMib - 1,
      attributes: spec.type === TYPE.recovery ? 0x8000000000000001n : 0n,
      name: spec.name,
    })),
  );
  const image = openSync(path, 'w');
  ftruncateSync(image, sectors * sectorSize);
  for (const { offset, bytes } of writeGpt(table)) writeSync(image, bytes, 0, bytes.length, offset);
  for (const volume of volumes) {
    if (volume.spec.make === 'none') continue;
    makeVolume(volume.path, volume.spec, { sectorSize, first: volume.first });
    copySparse(volume.path, image, volume.first * sectorSize);
  }
  closeSync(image);
  return { path, table, volumes, remove: () => rmSync(folder, { recursive: true, force: true }) };
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

/** The same on a disk of 1 TiB with one volume more, nearly all of it holes. */
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
  {
    name: 'Basic data partition',
    type: TYPE.basicData,
    size: 500 * 1024,
    make: 'ntfs',
    label: 'Sessions',
    files: [],
  },
];
