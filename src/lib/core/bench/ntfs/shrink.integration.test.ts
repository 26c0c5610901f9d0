import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { bytesSource } from '../../images/source';
import { checkNtfs } from '../check/checkNtfs';
import { MemoryDevice } from '../devices/memory';
import { Run } from '../run';
import { memoryDisk, StepMaker, type DiskSpec } from '../test/disks';
import { everythingIn, freshFolder, say } from '../test/mounted';
import { messyVolume, type Mess } from '../test/volumes';

const folder = freshFolder('shrink');
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const MIB = 2 ** 20;

/** A volume on a disk of its own, and a step that makes it smaller. */
async function shrunk(path: string, size: number, to: number) {
  const spec: DiskSpec = {
    size: size + 4,
    parts: [{ number: 1, at: 1, size, make: 'ntfs', label: 'Messy', prepared: path }],
  };
  const disk = await memoryDisk(spec);
  const run = await Run.open({
    disk,
    journal: new MemoryDevice(64 * MIB),
    aside: async () => new MemoryDevice(0),
    steps: new StepMaker(spec).shrink(1, to).all,
    run: 'shrink',
    route: 'shrink',
    newId: () => '47540000-0000-4000-8000-0000000000A1',
  });
  if (!run.ok) throw new Error(run.problems[0]!.message);
  const outcome = await run.value.forward();
  const after = join(folder, `after-${size}-${to}.img`);
  writeFileSync(after, await disk.read(MIB, (outcome.ok ? to : size) * MIB));
  return { outcome, after, state: run.value.state };
}

const CASES: (Mess & { to: number })[] = [
  { size: 48, clusterSize: 4096, full: 0.6, scattered: 3, seed: 1, to: 36 },
  { size: 32, clusterSize: 512, full: 0.7, scattered: 4, seed: 2, to: 26 },
  { size: 48, clusterSize: 1024, full: 0.6, scattered: 4, seed: 3, to: 34 },
  { size: 64, clusterSize: 8192, full: 0.6, scattered: 3, seed: 4, to: 50 },
  { size: 96, clusterSize: 65536, full: 0.5, scattered: 2, seed: 5, to: 80 },
  { size: 40, clusterSize: 4096, full: 0.97, scattered: 3, seed: 6, to: 39 },
];

describe('an NTFS volume made smaller', () => {
  for (const { to, ...mess } of CASES) {
    it(`${mess.size} MiB, ${mess.full * 100} % full in clusters of ${mess.clusterSize}, to ${to} MiB`, async () => {
      const path = join(folder, `before-${mess.seed}.img`);
      messyVolume(path, mess);
      const before = everythingIn(path);
      const { outcome, after, state } = await shrunk(path, mess.size, to);
      expect(outcome).toEqual({ ok: true, value: null });
      expect(state.relocated[0]!.files).toBeGreaterThan(0);
      expect(await checkNtfs(bytesSource(new Uint8Array(readFileSync(after))))).toEqual([]);
      expect(say('ntfsfix', '--no-action', after)).toContain('was processed successfully');
      expect(everythingIn(after)).toBe(before);
    }, 60_000);
  }
});
