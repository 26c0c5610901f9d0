import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { TYPE } from '../../disk';
import type { Scenario } from './cuts';
import { memoryDisk, StepMaker, type DiskSpec, type PartSpec } from './disks';

/** A handful of files, small enough for thousands of runs: in the record, outside of it, in a folder. */
const inside = (folder: string): void => {
  mkdirSync(join(folder, 'Tide tables'));
  for (let i = 0; i < 12; i++)
    writeFileSync(join(folder, 'Tide tables', `week ${i}.txt`), Buffer.alloc(40 * i * i, 65 + i));
  writeFileSync(join(folder, 'harbour.bin'), Buffer.alloc(300_000, 7));
};

const ntfs = (number: number, at: number, size: number, more: Partial<PartSpec> = {}): PartSpec => ({
  number,
  at,
  size,
  make: 'ntfs',
  label: `V${number}`,
  inside,
  ...more,
});
const recovery = { type: TYPE.recovery, name: 'Recovery', attributes: 0x8000000000000001n };

const CASES: { name: string; spec: DiskSpec; steps: (make: StepMaker) => StepMaker }[] = [
  {
    name: 'NTFS to the right, over itself',
    spec: { size: 20, parts: [ntfs(1, 1, 6), ntfs(2, 8, 6)] },
    steps: (make) => make.move(2, 10),
  },
  {
    name: 'NTFS to the left, over itself, by less than a MiB',
    spec: { size: 20, parts: [ntfs(1, 1, 4), ntfs(2, 7, 6, { firstSector: 7 * 2048 - 500 })] },
    steps: (make) => make.move(2, 6),
  },
  {
    name: 'NTFS clear of its place, and the volume before it extended',
    spec: { size: 32, parts: [ntfs(1, 1, 5), ntfs(2, 6, 5)] },
    steps: (make) => make.move(2, 26).extend(1, 25),
  },
  {
    name: 'extended so far that the map of clusters has to move',
    spec: { size: 64, parts: [ntfs(1, 1, 4, { clusterSize: 512 })] },
    steps: (make) => make.extend(1, 62),
  },
  {
    name: 'FAT16 to the right, over itself',
    spec: { size: 32, parts: [{ number: 1, at: 1, size: 10, make: 'fat16', label: 'TILL' }] },
    steps: (make) => make.move(1, 4),
  },
  {
    name: 'FAT32 to the left, over itself',
    spec: { size: 64, parts: [{ number: 1, at: 20, size: 40, make: 'fat32', label: 'EFI', type: TYPE.efi }] },
    steps: (make) => make.move(1, 12),
  },
  {
    name: 'exFAT clear of its place',
    spec: { size: 24, parts: [{ number: 1, at: 2, size: 8, make: 'exfat', label: 'Idents' }] },
    steps: (make) => make.move(1, 12),
  },
  {
    name: 'unknown to the right, over itself',
    spec: { size: 16, parts: [{ number: 1, at: 1, size: 4, make: 'noise' }] },
    steps: (make) => make.move(1, 3),
  },
  {
    name: 'recovery set aside, the volume before it extended, recovery put back',
    spec: { size: 24, parts: [ntfs(1, 1, 6), ntfs(2, 7, 4, recovery)] },
    steps: (make) => make.setAside(2).extend(1, 15).putBack(2, 17),
  },
  {
    name: 'deleted, the disk enlarged, its table relocated, extended',
    spec: { size: 16, parts: [ntfs(1, 1, 6), { number: 2, at: 8, size: 2, make: 'noise' }] },
    steps: (make) => make.remove(2).enlarge(24).relocate().extend(1, 20),
  },
  {
    name: 'a table that was left behind, relocated',
    spec: { size: 20, tableSize: 12, parts: [ntfs(1, 1, 6)] },
    steps: (make) => make.relocate().extend(1, 16),
  },
  {
    name: '4Kn, to the right over itself, the volume before it extended',
    spec: { size: 24, sectorSize: 4096, parts: [ntfs(1, 1, 5), ntfs(2, 6, 5)] },
    steps: (make) => make.move(2, 8).extend(1, 7),
  },
  {
    name: 'MBR, a primary one to the right, extended',
    spec: { size: 24, table: 'mbr', parts: [ntfs(1, 1, 5), ntfs(2, 7, 5)] },
    steps: (make) => make.move(2, 9).extend(1, 8),
  },
  {
    name: 'logical drives, to the left over their record, to the right, deleted, the frame at both ends',
    spec: {
      size: 40,
      table: 'mbr',
      extended: { at: 8, size: 24 },
      parts: [
        ntfs(1, 1, 5),
        ntfs(5, 9, 4, { kind: 'logical' }),
        ntfs(6, 16, 4, { kind: 'logical' }),
        ntfs(7, 22, 4, { kind: 'logical' }),
      ],
    },
    steps: (make) =>
      make
        .move(6, 15)
        .move(7, 25)
        .extend(6, 6)
        .frame('extend', 7, 29)
        .remove(7)
        .move(5, 8)
        .frame('shrink', 7, 24),
  },
];

export const SCENARIOS: readonly { name: string; lay: () => Promise<Scenario> }[] = CASES.map(
  ({ name, spec, steps }) => ({
    name,
    lay: async () => ({ name, disk: await memoryDisk(spec), steps: steps(new StepMaker(spec)).all }),
  }),
);
