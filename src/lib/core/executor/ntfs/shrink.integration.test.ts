import { DAY, share, shareOf, WHOLE } from '../../test/evidence';
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it, vi } from 'vitest';
import { makeVolume } from '../../../../../scripts/test/volume';
import { makeBytesSource } from '../../images/source';
import { randomFrom } from '../../random';
import { checkNtfs } from '../test/checkNtfs';
import { openRun } from '../test/openRun';
import { DAMAGE, factsOf, volumeToDamage } from '../test/damage';
import { memoryDisk, StepMaker, type TestDiskSpec } from '../test/disks';
import { moveMftToTheEnd } from '../test/mftElsewhere';
import { readEverythingIn, makeFreshFolder, say } from '../test/mounted';
import { holeyVolume, messyVolume, type Mess } from '../test/volumes';
import { ClusterSet } from './clusterSet';

const folder = makeFreshFolder('shrink');
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const MIB = 2 ** 20;

/** A volume on a disk of its own, and a step that makes it smaller. */
async function shrunk(bytes: Uint8Array, to: number) {
  const size = bytes.length / MIB;
  const spec: TestDiskSpec = { size: size + 4, parts: [{ number: 1, at: 1, size, make: 'none' }] };
  const disk = await memoryDisk(spec);
  await disk.write(MIB, bytes);
  const run = await openRun({ disk, steps: new StepMaker(spec).shrink(1, to).all });
  const outcome = run.ok ? await run.value.forward() : run;
  const after = (await disk.read(MIB, (outcome.ok ? to : size) * MIB)).slice();
  return { outcome, after, relocated: run.ok ? (run.value.state.relocated[0] ?? null) : null };
}

/** What independent programs say of a volume, held against what they said before. */
async function expectSound(after: Uint8Array, before: string): Promise<void> {
  expect(await checkNtfs(makeBytesSource(after))).toEqual([]);
  const path = join(folder, 'after.img');
  writeFileSync(path, after);
  expect(say('ntfsfix', '--no-action', path)).toContain('was processed successfully');
  expect(readEverythingIn(path) === before).toBe(true);
}

const CASES: (Mess & { to: number })[] = [
  { size: 48, clusterSize: 4096, full: 0.6, scattered: 3, seed: 1, to: 36 },
  { size: 32, clusterSize: 512, full: 0.7, scattered: 4, seed: 2, to: 26 },
  { size: 48, clusterSize: 1024, full: 0.6, scattered: 4, seed: 3, to: 34 },
  { size: 64, clusterSize: 8192, full: 0.6, scattered: 3, seed: 4, to: 50 },
  { size: 96, clusterSize: 65536, full: 0.5, scattered: 2, seed: 5, to: 62 },
  { size: 40, clusterSize: 4096, full: 0.97, scattered: 3, seed: 6, to: 39 },
];

describe('an NTFS volume made smaller', () => {
  for (const { to, ...mess } of shareOf(CASES, 3)) {
    it(`${mess.size} MiB, ${mess.full * 100} % full in clusters of ${mess.clusterSize}, to ${to} MiB`, async () => {
      const path = join(folder, `${mess.seed}.img`);
      messyVolume(path, mess);
      const before = readEverythingIn(path);
      const { outcome, after, relocated } = await shrunk(new Uint8Array(readFileSync(path)), to);
      expect(outcome).toEqual({ ok: true, value: null });
      expect(relocated!.files).toBeGreaterThan(0);
      // Together where that can be: no more pieces than there were, but where nearly all is full.
      if (mess.full < 0.9) expect(relocated!.piecesAfter).toBeLessThanOrEqual(relocated!.piecesBefore + 1);
      await expectSound(after, before);
    }, 60_000);
  }

  it('whose free room is holes: files part, and go on in new records of an $MFT that grows', async () => {
    const path = join(folder, 'holes.img');
    holeyVolume(path, { size: 24, clusterSize: 2048, holes: 900, keepRecords: true });
    const before = readEverythingIn(path);
    const { outcome, after, relocated } = await shrunk(new Uint8Array(readFileSync(path)), 22.5);
    expect(outcome).toEqual({ ok: true, value: null });
    expect(relocated!.piecesAfter).toBeGreaterThan(relocated!.piecesBefore + 300);
    await expectSound(after, before);
  }, 60_000);

  it('in so many pieces that the list of a file’s records has to lie outside of its own', async () => {
    const path = join(folder, 'list.img');
    const names: string[] = [];
    const inside = (into: string) => {
      for (let i = 0; i < 24; i++) {
        try {
          writeFileSync(join(into, `reel ${i}`), Buffer.alloc(3 * MIB, `tide ${i} `));
        } catch {
          return rmSync(join(into, `reel ${i}`));
        }
        names.push(`reel ${i}`);
      }
    };
    makeVolume(
      path,
      { size: 48, make: 'ntfs', label: 'Reels', clusterSize: 512, inside },
      { sectorSize: 512, first: 2048 },
    );
    // Only what lies beyond the new end stays, and a file for each record that will be wanted goes again.
    const endOf = (name: string): number => {
      const printed = say('ntfscluster', '-f', '-F', name, path);
      const runs = printed.matchAll(/^\s+\d+\s+(\d+)\s+(\d+)\s*$/gm);
      return Math.max(...[...runs].map(([, lcn, length]) => Number(lcn) + Number(length)));
    };
    const beyond = names.filter((name) => endOf(name) * 512 > 34 * MIB).slice(0, 2);
    expect(beyond.length).toBe(2);
    const into = join(folder, 'list');
    mkdirSync(into);
    execFileSync('ntfs-3g', [path, into]);
    for (const name of names) if (!beyond.includes(name)) rmSync(join(into, name));
    for (let i = 0; i < 99; i++) writeFileSync(join(into, `${i}`), '');
    for (let i = 0; i < 99; i++) rmSync(join(into, `${i}`));
    execFileSync('umount', [into]);
    const before = readEverythingIn(path);
    // As if every second cluster were taken.
    const gaps = ClusterSet.prototype.gaps;
    vi.spyOn(ClusterSet.prototype, 'gaps').mockImplementation(function* (this: ClusterSet, end: number) {
      for (const { first, count } of gaps.call(this, end))
        for (let at = first; at < first + count; at += 2) yield { first: at, count: 1 };
    });
    const { outcome, after, relocated } = await shrunk(new Uint8Array(readFileSync(path)), 34);
    vi.restoreAllMocks();
    expect(outcome).toEqual({ ok: true, value: null });
    expect(relocated!.piecesAfter).toBeGreaterThan(6000);
    await expectSound(after, before);
    expect(say('ntfsinfo', '-f', '-v', '-F', beyond[0]!, join(folder, 'after.img'))).toMatch(
      /\$ATTRIBUTE_LIST \(0x20\)[\s\S]*?Resident:\s+No/,
    );
    // And once more, with the list where it is now.
    writeFileSync(path, after);
    say('ntfsfix', '--clear-dirty', path);
    const again = await shrunk(new Uint8Array(readFileSync(path)), 33);
    expect(again.outcome).toEqual({ ok: true, value: null });
    await expectSound(again.after, before);
  }, 60_000);

  it('whose $MFT, with record 0, lies beyond its new end', async () => {
    const path = join(folder, 'mft.img');
    messyVolume(path, { size: 32, clusterSize: 4096, full: 0.4, scattered: 2, seed: 7 });
    const moved = await moveMftToTheEnd(new Uint8Array(readFileSync(path)));
    writeFileSync(path, moved);
    const before = readEverythingIn(path);
    const { outcome, after } = await shrunk(moved, 20);
    expect(outcome).toEqual({ ok: true, value: null });
    await expectSound(after, before);
  }, 60_000);

  it('to the last cluster that its files leave, and says what is in the way of less', async () => {
    const path = join(folder, 'floor.img');
    messyVolume(path, { size: 24, clusterSize: 4096, full: 0.5, scattered: 2, seed: 8 });
    const bytes = new Uint8Array(readFileSync(path));
    const before = readEverythingIn(path);
    // What is in use, told by a program that knows nothing of us.
    const free = Number(/Free Clusters: (\d+)/.exec(say('ntfsinfo', '-m', '-f', path))?.[1]);
    const used = 24 * MIB - free * 4096;
    const start = WHOLE ? 23 : Math.ceil(used / MIB) + 3;
    let least = start;
    let refusal = '';
    for (let to = start; refusal === ''; to -= 0.5) {
      const { outcome, after } = await shrunk(bytes, to);
      if (outcome.ok) {
        least = to;
        if (to % 4 === 0 || to === start) await expectSound(after, before);
      } else {
        refusal = outcome.problems[0]!.message;
        expect(Buffer.compare(after, bytes)).toBe(0);
      }
    }
    expect(refusal).toMatch(
      /clusters too many lie beyond its new end. Most of it: \\.*\(\d+ clusters, up to cluster \d+\)/,
    );
    expect(least * MIB).toBeLessThan(used + MIB);
  }, 120_000);

  it('is refused while it holds shadow copies, and not for a header without any', async () => {
    const path = join(folder, 'shadow.img');
    messyVolume(path, { size: 24, clusterSize: 4096, full: 0.4, scattered: 1, seed: 9 });
    const bytes = new Uint8Array(readFileSync(path));
    const id = [
      0x6b, 0x87, 0x08, 0x38, 0x76, 0xc1, 0x48, 0x4e, 0xb7, 0xae, 0x04, 0x04, 0x6e, 0x6c, 0xc7, 0x52,
    ];
    const codeWith = async (catalogAt: number, entry: number) => {
      const mine = bytes.slice();
      const view = new DataView(mine.buffer);
      mine.set(id, 0x1e00);
      view.setUint32(0x1e30, catalogAt, true);
      if (catalogAt > 0) mine.fill(0, catalogAt, catalogAt + 16_384);
      if (catalogAt > 0) mine.set(id, catalogAt);
      if (entry > 0) mine[catalogAt + 128 + 128] = entry;
      const { outcome } = await shrunk(mine, 18);
      return outcome.ok ? 'done' : outcome.problems[0]!.code;
    };
    const free = 8 * MIB;
    expect(await codeWith(0, 0)).toBe('done');
    expect(await codeWith(free, 2)).toBe('shadow-copies');
    expect(await codeWith(free, 3)).toBe('shadow-copies');
    // Empty, but its place is beyond the new end.
    expect(await codeWith(20 * MIB, 0)).toBe('shadow-copies');
  }, 60_000);

  it('that is damaged is refused with nothing written, or made smaller and no worse than before', async () => {
    const sound = volumeToDamage();
    const facts = await factsOf(sound);
    const kinds = Object.entries(DAMAGE);
    const tally = { refused: 0, done: 0 };
    const turns = share(6, 6);
    for (let turn = 0; turn < turns * kinds.length; turn++) {
      const seed = WHOLE ? turn : turn + kinds.length * DAY;
      const [name, damage] = kinds[turn % kinds.length]!;
      const bytes = sound.slice();
      damage(bytes, randomFrom(seed), facts);
      const before = await checkNtfs(makeBytesSource(bytes));
      const { outcome, after } = await shrunk(bytes, 14);
      if (!outcome.ok) {
        tally.refused++;
        expect([name, seed, Buffer.compare(after, bytes)]).toEqual([name, seed, 0]);
        continue;
      }
      tally.done++;
      const worse = (await checkNtfs(makeBytesSource(after))).length > before.length;
      expect([name, seed, worse]).toEqual([name, seed, false]);
    }
    // Both happen: damage that has nothing to do with clusters is no reason to refuse.
    expect([tally.refused > 4 * turns, tally.done > turns]).toEqual([true, true]);
  }, 120_000);
});
