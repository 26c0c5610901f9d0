import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { GIB } from '../units';
import { accountsOf } from './accounts';
import { checkHoldings } from './check';
import { sumOf } from './choice';
import { HOLDINGS_FORMAT, type VolumeHoldings } from './document';
import { findFreeable } from './freeable';
import { sketchedHoldings, type SketchEntry, type VolumeSketch } from './sketch';
import { HoldingsTree } from './tree';

const TAKEN = '2026-11-20T09:30:00Z';
const held = (
  folders: SketchEntry[],
  files: SketchEntry[] = [],
  more: Partial<VolumeSketch> = {},
): VolumeHoldings =>
  sketchedHoldings({ partition: 3, letter: 'C', size: 200 * GIB, used: 150 * GIB, folders, files, ...more });
const ids = (volume: VolumeHoldings): Record<string, number> =>
  Object.fromEntries(findFreeable(volume, TAKEN).goes.map(({ id, bytes }) => [id, bytes / GIB]));

describe('what can go from a volume', () => {
  it('is told apart by where Windows keeps it, whatever the case and whoever the user', () => {
    const volume = held(
      [
        { path: 'Windows.old', gib: 21 },
        { path: '$RECYCLE.BIN', gib: 3 },
        { path: 'WINDOWS\\temp', gib: 1 },
        { path: 'Users\\ida\\AppData\\Local\\Temp', gib: 2 },
        { path: 'Users\\tom\\AppData\\Local\\Temp', gib: 0.5 },
        { path: 'Windows\\SoftwareDistribution\\Download', gib: 4 },
        { path: 'Users\\ida\\AppData\\Local\\Some Browser\\User Data\\Default\\Cache', gib: 1.5 },
        { path: 'Windows\\WinSxS', gib: 9 },
        { path: 'Windows\\Installer', gib: 6 },
      ],
      [
        { path: 'hiberfil.sys', gib: 6 },
        { path: 'pagefile.sys', gib: 24 },
        { path: 'Windows\\MEMORY.DMP', gib: 0.75 },
      ],
      { restorePoints: 5 * GIB },
    );
    expect(ids(volume)).toEqual({
      'earlier-windows': 21,
      'page-file': 16,
      hibernation: 6,
      'restore-points': 5,
      updates: 4,
      temporary: 3.5,
      'recycle-bins': 3,
      caches: 1.5,
      'crash-dumps': 0.75,
    });
  });

  it('is nothing that only looks alike: the same names elsewhere stay', () => {
    const volume = held(
      [
        { path: 'Archive\\Windows.old', gib: 21 },
        { path: 'Users\\ida\\Documents\\Temp', gib: 2 },
        { path: 'Program Files\\Cache', gib: 2 },
        { path: 'Users\\ida\\AppData\\Roaming\\Cache', gib: 2 },
      ],
      [
        { path: 'Users\\ida\\hiberfil.sys', gib: 6 },
        { path: 'pagefile.sys', gib: 11 },
      ],
    );
    expect(ids(volume)).toEqual({});
  });

  it('names no folder twice, though the document does: a folder is told by its path', () => {
    const volume = held([{ path: 'Users\\ida\\Pictures', gib: 4 }]);
    volume.folders.push({ ...volume.folders.at(-1)!, bytes: 2 * GIB });
    for (const at of [0, 1, 2]) volume.folders[at]!.bytes += 2 * GIB;
    expect(findFreeable(volume, TAKEN).moves.map(({ path, bytes }) => [path, bytes / GIB])).toEqual([
      ['\\Users\\ida\\Pictures', 4],
    ]);
  });

  it('counts no byte twice: a cache in a temporary folder goes with it', () => {
    const volume = held([
      { path: 'Users\\ida\\AppData\\Local\\Temp\\Setup\\Cache', gib: 1 },
      { path: 'Users\\ida\\AppData\\Local\\Temp', gib: 1 },
      { path: 'Users\\ida\\AppData\\Local\\App\\Cache\\Code Cache', gib: 1 },
      { path: 'Users\\ida\\AppData\\Local\\App\\Cache', gib: 1 },
    ]);
    expect(ids(volume)).toEqual({ temporary: 2, caches: 2 });
  });

  it('of downloads only the big ones that nobody used for a year; a day that is not told counts as new', () => {
    const volume = held(
      [{ path: 'Users\\ida\\Downloads', gib: 1 }],
      [
        { path: 'Users\\ida\\Downloads\\old.iso', gib: 4, changed: '2025-11-19' },
        { path: 'Users\\ida\\Downloads\\within\\older.iso', gib: 2, changed: '2021-01-01' },
        { path: 'Users\\ida\\Downloads\\new.iso', gib: 4, changed: '2025-11-21' },
        { path: 'Users\\ida\\Documents\\old.iso', gib: 4, changed: '2019-01-01' },
      ],
    );
    volume.files.push({
      in: volume.files[0]!.in,
      name: 'no day',
      bytes: 0.5 * GIB,
      created: null,
      changed: null,
      opened: null,
    });
    expect(ids(volume)).toEqual({ 'old-downloads': 6 });
  });

  it('offers large personal folders for moving, and what goes from them is not moved', () => {
    const volume = held(
      [
        { path: 'Users\\ida\\Pictures', gib: 30 },
        { path: 'Users\\ida\\Downloads', gib: 2 },
        { path: 'Users\\ida\\Music', gib: 0.5 },
      ],
      [{ path: 'Users\\ida\\Downloads\\old.iso', gib: 4, changed: '2024-01-01' }],
    );
    const found = { used: volume.used, ...findFreeable(volume, TAKEN) };
    expect(found.moves.map(({ path }) => path)).toEqual([
      '\\Users\\ida\\Pictures',
      '\\Users\\ida\\Downloads',
    ]);
    const to = { disk: 0, partition: 5 };
    const moves = [{ path: '\\Users\\ida\\Downloads', to }];
    expect(sumOf(found, { goes: [], moves }).moved).toBe(6 * GIB);
    expect(sumOf(found, { goes: ['old-downloads'], moves })).toMatchObject({
      goes: 4 * GIB,
      moved: 2 * GIB,
      stays: 144 * GIB,
    });
  });

  it('finds areas of restore points among the files of an image, and not a second time beside them', () => {
    const area = '{1f0e}{3808876b-c176-4e48-b7ae-04046e6cc752}';
    const volume = held([], [{ path: `System Volume Information\\${area}`, gib: 7 }]);
    expect(ids({ ...volume, restorePoints: 7 * GIB })).toEqual({ 'restore-points': 7 });
  });
});

/** Trees of names that mean something and names that do not, in any order and depth. */
const NAMES = [
  'Users',
  'ida',
  'AppData',
  'Local',
  'Temp',
  'Cache',
  'Windows',
  'Downloads',
  'Pictures',
  'Windows.old',
  '$Recycle.Bin',
  'tide',
];
const path = fc
  .array(fc.constantFrom(...NAMES), { minLength: 1, maxLength: 7 })
  .map((parts) => parts.join('\\'));
const anyVolume = fc
  .record({
    folders: fc.array(fc.record({ path, gib: fc.double({ min: 0, max: 3, noNaN: true }) }), {
      maxLength: 30,
    }),
    files: fc.array(
      fc.record({
        path: path.map((one) => `${one}\\file`),
        gib: fc.double({ min: 0, max: 3, noNaN: true }),
        changed: fc.constantFrom('2019-01-01', '2026-01-01'),
      }),
      { maxLength: 15 },
    ),
    short: fc.integer({ min: 0, max: 60 }),
    restorePoints: fc.integer({ min: 0, max: 9 * GIB }),
  })
  .map(({ folders, files, short, restorePoints }) => {
    const volume = held(folders, files, { restorePoints });
    // Lengths of files may come to more than is in use.
    return { ...volume, used: Math.max(0, volume.used - short * GIB) };
  });

describe('laws', () => {
  it('what goes, what moves and what stays is what was used, whatever is chosen', () =>
    fc.assert(
      fc.property(anyVolume, fc.infiniteStream(fc.boolean()), (volume, coin) => {
        const found = { used: volume.used, ...findFreeable(volume, TAKEN) };
        const toss = () => coin.next().value as boolean;
        const choice = {
          goes: found.goes.filter(toss).map(({ id }) => id),
          moves: found.moves.filter(toss).map((one) => ({ path: one.path, to: { disk: 0, partition: 5 } })),
        };
        const sum = sumOf(found, choice);
        expect(sum.goes + sum.moved + sum.stays).toBe(volume.used);
        expect(Math.min(sum.goes, sum.moved, sum.stays)).toBeGreaterThanOrEqual(0);
        expect(sumOf(found, { goes: [], moves: [] }).stays).toBe(volume.used);
      }),
    ));

  it('all that can go is disjoint: it never comes to more than the folders, the areas and the page file hold', () =>
    fc.assert(
      fc.property(anyVolume, (volume) => {
        const { goes } = findFreeable(volume, TAKEN);
        const inFolders = goes.filter(({ id }) => id !== 'restore-points');
        expect(inFolders.reduce((sum, one) => sum + one.bytes, 0)).toBeLessThanOrEqual(
          volume.folders[0]!.bytes,
        );
        for (const one of goes)
          expect(one.places.reduce((sum, place) => sum + place.bytes, 0)).toBe(one.bytes);
      }),
    ));

  it('the accounts of a volume come to what is in use, and a folder to what lies in it', () =>
    fc.assert(
      fc.property(anyVolume, (volume) => {
        const { folders, own, other, used } = accountsOf(volume);
        expect(folders + own + other).toBe(used);
        expect(Math.min(folders, own, other)).toBeGreaterThanOrEqual(0);
        const tree = new HoldingsTree(volume);
        volume.folders.forEach(({ bytes }, place) => {
          const within = tree.foldersIn(place).reduce((sum, one) => sum + tree.folder(one).bytes, 0);
          expect(within + tree.restOf(place)).toBe(bytes);
        });
        const asDocument = {
          format: HOLDINGS_FORMAT,
          version: 1,
          takenAt: TAKEN,
          machine: 'made up',
          volumes: [volume],
        } as const;
        expect(checkHoldings({ ...asDocument, volumes: [{ ...volume, files: tree.volume.files }] })).toEqual(
          [],
        );
      }),
    ));
});
