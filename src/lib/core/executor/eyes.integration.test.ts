import { shareOf, WHOLE } from '../test/evidence';
import { execFileSync } from 'node:child_process';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { FileDevice } from '../../server/executor/fileDevice';
import { makeVolume } from '../../../../scripts/test/volume';
import { TYPE } from '../disk';
import type { Step } from '../steps';
import { openRun } from './test/openRun';
import { writeDisk, StepMaker, type TestDiskSpec, type PartSpec } from './test/disks';
import { messyVolume } from './test/volumes';
import { cutOut, readEverythingIn, makeFreshFolder, say } from './test/mounted';

/** Files, links and long names that nobody here made up: some thousand, or tens of thousands. */
const TREES = ['/usr/share/zoneinfo', ...(WHOLE ? ['/usr/share/man'] : [])];
const folder = makeFreshFolder('eyes');
const BIG = { 512: join(folder, 'big-512.img'), 4096: join(folder, 'big-4096.img') };
const MESSY = { 512: join(folder, 'messy-512.img'), 4096: join(folder, 'messy-4096.img') };
const USUAL = join(folder, 'usual.img');
const SMALL = join(folder, 'small.img');
const told = new Map<string, string>();

const small = (into: string): void => {
  mkdirSync(join(into, 'Boot'));
  writeFileSync(join(into, 'Boot', 'Winre.wim'), Buffer.alloc(9_000_000, 3));
  for (let i = 0; i < 200; i++) writeFileSync(join(into, `note ${i}`), `${'tide '.repeat(i * 7)}`);
};

const makeBig = (sectorSize: 512 | 4096, trees: readonly string[]) => (path: string) =>
  makeVolume(
    path,
    {
      size: 200,
      make: 'ntfs',
      label: 'Windows',
      inside: (into) => execFileSync('cp', ['-a', ...trees, into]),
    },
    { sectorSize, first: 2048 },
  );
const makeMessy = (sectorSize: 512 | 4096) => (path: string) =>
  messyVolume(path, { size: 200, clusterSize: 4096, full: 0.2, scattered: 3, seed: sectorSize }, sectorSize);
const MAKERS = new Map<string, (path: string) => void>([
  [BIG[512], makeBig(512, TREES)],
  [BIG[4096], makeBig(4096, TREES)],
  [MESSY[512], makeMessy(512)],
  [MESSY[4096], makeMessy(4096)],
  [USUAL, makeBig(512, ['/usr/share/zoneinfo'])],
  [
    SMALL,
    (path) =>
      makeVolume(
        path,
        { size: 40, make: 'ntfs', label: 'Recovery', inside: small },
        { sectorSize: 512, first: 2048 },
      ),
  ],
]);

/** A volume is made for the first route that has it, and read by the driver before anything touches it. */
function prepare(path: string): void {
  if (told.has(path)) return;
  MAKERS.get(path)!(path);
  told.set(path, readEverythingIn(path));
}
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const big = (at: number, more: Partial<PartSpec> = {}): PartSpec => ({
  number: 1,
  at,
  size: 200,
  make: 'ntfs',
  label: 'Windows',
  prepared: BIG[512],
  ...more,
});
/** Some thousand files: what a route does to them is the same. */
const usual = (at: number, more: Partial<PartSpec> = {}): PartSpec => big(at, { prepared: USUAL, ...more });
/** Files in pieces, sparse, compressed, with streams: fewer, and of every kind. */
const messy = (at: number, more: Partial<PartSpec> = {}): PartSpec =>
  big(at, { label: 'Messy', prepared: MESSY[512], ...more });
const recovery = (at: number, more: Partial<PartSpec> = {}): PartSpec => ({
  number: 2,
  at,
  size: 40,
  make: 'ntfs',
  label: 'Recovery',
  prepared: SMALL,
  type: TYPE.recovery,
  name: 'Recovery',
  attributes: 0x8000000000000001n,
  ...more,
});
const logical = { kind: 'logical' as const };

const ROUTES: { name: string; spec: TestDiskSpec; steps: (make: StepMaker) => StepMaker }[] = [
  {
    name: 'recovery moves right, Windows extends',
    spec: { size: 400, parts: [big(1), recovery(201)] },
    steps: (make) => make.move(2, 350).extend(1, 349),
  },
  {
    name: 'Windows itself moves right over itself by 7 MiB, and extends',
    spec: { size: 300, parts: [big(1)] },
    steps: (make) => make.move(1, 8).extend(1, 290),
  },
  {
    name: 'Windows moves left over itself by 1 MiB, and extends by 1 MiB',
    spec: { size: 260, parts: [usual(2)] },
    steps: (make) => make.move(1, 1).extend(1, 201),
  },
  {
    name: 'Windows moves left over itself by less than a MiB',
    spec: { size: 260, parts: [usual(3, { firstSector: 3 * 2048 + 63 })] },
    steps: (make) => make.move(1, 3),
  },
  {
    name: 'Windows moves to a disjoint place and back',
    spec: { size: 640, parts: [usual(1)] },
    steps: (make) => make.move(1, 400).move(1, 1),
  },
  {
    name: 'recovery set aside, Windows extends, recovery put back',
    spec: { size: 330, parts: [usual(1), recovery(201)] },
    steps: (make) => make.setAside(2).extend(1, 280).putBack(2, 281),
  },
  {
    name: 'recovery moves over itself twice, Windows extends twice',
    spec: { size: 330, parts: [usual(1), recovery(201)] },
    steps: (make) => make.move(2, 205).extend(1, 204).move(2, 280).extend(1, 279),
  },
  {
    name: 'the disk is enlarged, its table relocated, recovery moves to its end, Windows extends to 3 TiB',
    spec: { size: 260, parts: [usual(1), recovery(201)] },
    steps: (make) => make.enlarge(3_200_000).relocate().move(2, 3_199_900).extend(1, 3_199_899),
  },
  {
    name: 'a table that was left behind is relocated, Windows extends',
    spec: { size: 400, tableSize: 260, parts: [usual(1)] },
    steps: (make) => make.relocate().extend(1, 398),
  },
  {
    name: 'a data partition is deleted, Windows extends over its place',
    spec: { size: 400, parts: [usual(1), recovery(201, { type: TYPE.basicData })] },
    steps: (make) => make.remove(2).extend(1, 390),
  },
  {
    name: '4Kn: Windows moves right over itself, and extends',
    spec: { size: 300, sectorSize: 4096, parts: [big(1, { prepared: BIG[4096] })] },
    steps: (make) => make.move(1, 20).extend(1, 270),
  },
  {
    name: '4Kn: enlarged, relocated, extended',
    spec: { size: 260, sectorSize: 4096, parts: [messy(1, { prepared: MESSY[4096] })] },
    steps: (make) => make.enlarge(70_000).relocate().extend(1, 69_000),
  },
  {
    name: 'MBR: recovery set aside, Windows extends, recovery put back',
    spec: { size: 330, table: 'mbr', parts: [usual(1), recovery(201, { mbrType: 0x27 })] },
    steps: (make) => make.setAside(2).extend(1, 259).putBack(2, 260),
  },
  {
    name: 'MBR: recovery moves right, Windows extends',
    spec: { size: 330, table: 'mbr', parts: [usual(1), recovery(201, { mbrType: 0x27 })] },
    steps: (make) => make.move(2, 260).extend(1, 259),
  },
  {
    name: 'logical drives: the second moves left over its record, the frame grows, the first record moves with it',
    spec: {
      size: 400,
      table: 'mbr',
      extended: { at: 20, size: 360 },
      parts: [recovery(21, { number: 5, ...logical }), usual(80, { number: 6, ...logical })],
    },
    steps: (make) => make.move(6, 79).frame('extend', 10, 385).move(5, 11).move(6, 60).extend(6, 300),
  },
  {
    name: 'logical drives: the last is deleted, the one before moves right and extends',
    spec: {
      size: 400,
      table: 'mbr',
      extended: { at: 1, size: 390 },
      parts: [usual(2, { number: 5, ...logical }), recovery(210, { number: 6, ...logical })],
    },
    steps: (make) => make.remove(6).move(5, 100).extend(5, 280),
  },
  {
    name: 'a full volume with small clusters, whose map of clusters moves, beside FAT32 and exFAT that move',
    spec: {
      size: 900,
      parts: [
        { number: 3, at: 1, size: 40, make: 'fat32', label: 'EFI', type: TYPE.efi },
        { number: 1, at: 100, size: 30, make: 'ntfs', clusterSize: 512, label: 'Small', inside: small },
        { number: 4, at: 140, size: 30, make: 'exfat', label: 'Idents' },
      ],
    },
    steps: (make) => make.move(3, 20).move(4, 860).extend(1, 750),
  },
  {
    name: 'Windows shrinks, recovery moves to the left over itself',
    spec: { size: 330, parts: [messy(1), recovery(280)] },
    steps: (make) => make.shrink(1, 150).move(2, 260),
  },
  {
    name: 'a data volume shrinks and moves right, Windows extends',
    spec: {
      size: 420,
      parts: [recovery(1, { number: 2, type: TYPE.basicData }), messy(41, { number: 1 })],
    },
    steps: (make) => make.shrink(1, 170).move(1, 240).extend(2, 239),
  },
  {
    name: '4Kn: Windows shrinks, and extends again',
    spec: { size: 260, sectorSize: 4096, parts: [messy(1, { prepared: MESSY[4096] })] },
    steps: (make) => make.shrink(1, 160).extend(1, 250),
  },
  {
    name: 'MBR: the volume in the extended partition shrinks, its frame ends earlier, Windows extends',
    spec: {
      size: 420,
      table: 'mbr',
      extended: { at: 45, size: 370 },
      parts: [recovery(1, { mbrType: 0x07 }), messy(46, { number: 5, ...logical })],
    },
    steps: (make) => make.shrink(5, 170).move(5, 240).frame('shrink', 200, 215).extend(2, 190),
  },
  {
    name: 'recovery comes back smaller than it was',
    spec: { size: 330, parts: [messy(1), recovery(201)] },
    steps: (make) => make.setAside(2).extend(1, 285).putBack(2, 286, 30),
  },
  {
    name: 'recovery comes back larger than it was',
    spec: { size: 330, parts: [messy(1), recovery(201)] },
    steps: (make) => make.setAside(2).extend(1, 220).putBack(2, 221, 80),
  },
  {
    name: 'a data volume is copied into a smaller one behind, the old one is deleted, Windows extends',
    spec: { size: 560, parts: [recovery(1, { type: TYPE.basicData }), messy(41, { number: 1 })] },
    steps: (make) => make.create(3, 370, 165, 1).copy(1, 3).remove(1).extend(2, 369),
  },
  {
    name: 'a data volume is copied into a larger one behind, the old one is deleted, Windows extends',
    spec: { size: 660, parts: [recovery(1, { type: TYPE.basicData }), messy(41, { number: 1 })] },
    steps: (make) => make.create(3, 370, 265, 1).copy(1, 3).remove(1).extend(2, 369),
  },
  {
    name: 'a data volume is copied out, deleted, and copied back into a smaller one',
    spec: { size: 300, parts: [recovery(1, { type: TYPE.basicData }), messy(41, { number: 1 })] },
    steps: (make) => make.copyOut(1).remove(1).extend(2, 120).create(3, 121, 170, 1).copyBack(3, 1),
  },
  {
    name: 'MBR: a data volume is copied into a new logical drive',
    spec: {
      size: 500,
      table: 'mbr',
      extended: { at: 250, size: 240 },
      parts: [recovery(1, { mbrType: 0x07 }), messy(41)],
    },
    steps: (make) => make.create(5, 251, 200, 1).copy(1, 5).remove(1).extend(2, 230),
  },
  {
    name: 'new volumes: NTFS, FAT32 and exFAT',
    spec: { size: 400, parts: [recovery(1)] },
    steps: (make) =>
      make
        .create(3, 50, 60, 2, { label: 'Flut – 潮', type: TYPE.basicData, clusterSize: 8192 })
        .create(4, 120, 100, 2, { fileSystem: 'fat32', label: 'EBB', type: TYPE.basicData })
        .create(5, 250, 60, 2, { fileSystem: 'exfat', label: 'Neap', type: TYPE.basicData })
        .extend(3, 65),
  },
  {
    name: 'Windows shrinks to the left of a new data volume',
    spec: { size: 330, parts: [messy(1)] },
    steps: (make) => make.shrink(1, 120).create(3, 130, 150, 1, { label: 'Store' }).extend(3, 190),
  },
  {
    name: 'a data volume shrinks, is copied behind, deleted, and Windows extends twice',
    spec: { size: 420, parts: [recovery(1, { type: TYPE.basicData }), messy(41, { number: 1 })] },
    steps: (make) =>
      make.shrink(1, 150).extend(2, 40).create(3, 230, 150, 1).copy(1, 3).remove(1).extend(2, 200),
  },
  {
    name: 'Windows shrinks, moves right over itself, and extends again',
    spec: { size: 300, parts: [messy(1)] },
    steps: (make) => make.shrink(1, 130).move(1, 60).extend(1, 220),
  },
  {
    name: 'a FAT32 data volume shrinks, and Windows before it moves there',
    spec: {
      size: 640,
      parts: [messy(1), { number: 3, at: 220, size: 400, make: 'fat32', label: 'EBB' }],
    },
    steps: (make) => make.shrink(3, 280).move(3, 350).extend(1, 340),
  },
  {
    name: 'a FAT16 volume moves and extends, an exFAT one moves',
    spec: {
      size: 400,
      parts: [
        { number: 3, at: 1, size: 40, make: 'fat16', label: 'TILL' },
        { number: 4, at: 50, size: 30, make: 'exfat', label: 'Idents' },
        messy(100),
      ],
    },
    steps: (make) => make.move(4, 360).extend(3, 90),
  },
  {
    name: 'an exFAT volume is copied into one of the same size',
    spec: {
      size: 400,
      parts: [recovery(1), { number: 4, at: 50, size: 30, make: 'exfat', label: 'Idents' }],
    },
    steps: (make) => make.create(5, 100, 30, 4).copy(4, 5).remove(4),
  },
  {
    name: 'a FAT32 volume is copied out, and back into a larger one',
    spec: {
      size: 400,
      parts: [recovery(1), { number: 3, at: 50, size: 100, make: 'fat32', label: 'EBB' }],
    },
    steps: (make) => make.copyOut(3).remove(3).extend(2, 90).create(5, 100, 260, 3).copyBack(5, 3),
  },
  {
    name: 'the disk is enlarged, its table relocated, a data volume copied to its end, Windows extends',
    spec: { size: 260, parts: [recovery(1, { type: TYPE.basicData }), messy(41, { number: 1 })] },
    steps: (make) => make.enlarge(600).relocate().create(3, 390, 200, 1).copy(1, 3).remove(1).extend(2, 380),
  },
  {
    name: '4Kn: a data volume is copied into a smaller one',
    spec: { size: 460, sectorSize: 4096, parts: [messy(1, { prepared: MESSY[4096] })] },
    steps: (make) => make.create(3, 230, 160, 1).copy(1, 3).remove(1),
  },
  {
    name: 'MBR: a logical drive is set aside, the frame ends later, and it comes back as a logical drive',
    spec: {
      size: 420,
      table: 'mbr',
      extended: { at: 205, size: 100 },
      parts: [messy(1), recovery(210, { number: 5, mbrType: 0x27, ...logical })],
    },
    steps: (make) => make.setAside(5).frame('extend', 205, 200).putBack(5, 350),
  },
  {
    name: 'MBR: Windows shrinks, the extended partition begins earlier, its drive moves and extends',
    spec: {
      size: 420,
      table: 'mbr',
      extended: { at: 205, size: 100 },
      parts: [messy(1), recovery(210, { number: 5, ...logical })],
    },
    steps: (make) => make.shrink(1, 150).frame('extend', 160, 145).move(5, 165).extend(5, 130),
  },
  {
    name: 'a hole on each side of a data volume: it shrinks, moves and extends again',
    spec: { size: 500, parts: [recovery(1, { type: TYPE.basicData }), messy(120, { number: 1 })] },
    steps: (make) => make.shrink(1, 150).move(1, 60).extend(1, 400),
  },
];

describe('a route on real volumes, seen by programs that know nothing of it', () => {
  for (const { name, spec, steps } of shareOf(ROUTES, 10)) {
    it(
      name,
      async () => {
        const path = join(folder, 'disk.img');
        const sectorSize = spec.sectorSize ?? 512;
        rmSync(path, { force: true });
        execFileSync('truncate', ['-s', `${spec.size}M`, path]);
        for (const { prepared } of spec.parts) if (prepared) prepare(prepared);
        const disk = await FileDevice.open(path, { sectorSize });
        await writeDisk(spec, disk);
        const route = steps(new StepMaker(spec)).all;
        const run = await openRun({
          disk,
          steps: route,
          newId: (step) => `47540000-0000-4000-8000-0000000000A${step}`,
        });
        expect(run.ok ? [] : run.problems).toEqual([]);
        if (!run.ok) return;
        expect(await run.value.forward()).toEqual({ ok: true, value: null });
        await disk.close();

        const places = placesAfter(spec, route);
        expect(partitionsSeen(path, sectorSize)).toEqual(
          [...places.values()].map(({ first, sectors }) => `${first} ${sectors}`).sort(),
        );
        const copied = copiesOf(route);
        for (const [number, place] of places) {
          const part = spec.parts.find((one) => one.number === (copied.get(number) ?? number));
          if (!part || part.make !== 'ntfs') continue;
          const volume = join(folder, 'volume.img');
          cutOut(path, place.first * sectorSize, place.sectors * sectorSize, volume);
          const resized = place.sectors !== part.size * (2 ** 20 / sectorSize);
          const onTheWay = route.some(
            ({ verb, partition }) => partition === number && (verb === 'extend' || verb === 'shrink'),
          );
          seenByDriver(volume, part, resized || onTheWay);
          const information = say('ntfsinfo', '-m', '-f', volume);
          const clusters = Number(/Volume Size in Clusters: (\d+)/.exec(information)?.[1]);
          const clusterSize = Number(/Cluster Size: (\d+)/.exec(information)?.[1]);
          if (resized) expect(clusters).toBe(Math.floor(((place.sectors - 1) * sectorSize) / clusterSize));
          rmSync(volume);
        }
        rmSync(path);
      },
      120_000,
    );
  }
});

/** Where a route leaves each partition, by what its steps say; the frame of logical drives is not among them. */
function placesAfter(spec: TestDiskSpec, route: ReturnType<StepMaker['frame']>['all']) {
  const perMib = 2 ** 20 / (spec.sectorSize ?? 512);
  const places = new Map(
    spec.parts.map((part) => [
      part.number,
      { first: part.firstSector ?? part.at * perMib, sectors: part.size * perMib },
    ]),
  );
  for (const step of route) {
    if (step.partition === null || step.partition === 0 || step.verb === 'copy') continue;
    if (step.to) places.set(step.partition, step.to);
    else places.delete(step.partition);
  }
  return places;
}

/** The volume that a new one holds the files of. */
const copiesOf = (route: readonly Step[]): Map<number, number> =>
  new Map(
    route.flatMap((step) => {
      if (step.verb !== 'copy') return [];
      if ('fromOutside' in step) return [[step.partition, step.of] as const];
      return 'partition' in step.into ? [[step.into.partition, step.partition] as const] : [];
    }),
  );

/** Start and length of every partition but frames, in sectors of the disk, as `partx` reads the table. */
function partitionsSeen(path: string, sectorSize: number): string[] {
  const lines = say(
    'partx',
    '--sector-size',
    String(sectorSize),
    '-b',
    '-g',
    '-o',
    'START,SECTORS,TYPE',
    path,
  );
  return lines
    .trim()
    .split('\n')
    .map((line) => line.trim().split(/\s+/))
    .filter(([, , type]) => !['0x5', '0xf', '0x05', '0x0f'].includes(type!))
    .map(
      ([start, sectors]) => `${(Number(start) * 512) / sectorSize} ${(Number(sectors) * 512) / sectorSize}`,
    )
    .sort();
}

function seenByDriver(volume: string, part: PartSpec, extended: boolean): void {
  expect(say('blkid', '-p', '-o', 'export', volume)).toContain(`LABEL=${part.label}`);
  const fix = say('ntfsfix', '--no-action', volume);
  expect(fix).toContain('was processed successfully');
  expect(fix).toContain('$MFT and $MFTMirr completed successfully');
  expect(say('ntfsinfo', '-m', '-f', volume).includes('DIRTY')).toBe(extended);
  const before = part.prepared ? told.get(part.prepared) : null;
  if (before) expect(readEverythingIn(volume) === before).toBe(true);
  else expect(readEverythingIn(volume).split('\n').length).toBeGreaterThan(400);
}
