import { shareOf, WHOLE } from '$core/test/evidence';
import { describe, expect, it } from 'vitest';
import {
  makeDynamicVhd,
  MemoryDevice,
  prove,
  takeInventory,
  withLayout,
  type ExecutionProof,
} from '$core/executor';
import { openRun } from '$core/executor/test/openRun';
import { makeStandIn } from '$core/executor/standIn/standIn';
import { drawingOf } from '$core/drawing';
import { planRoutes, type Route } from '$core/planning';
import { machineOf } from '$core/survey';
import { MIB } from '$core/units';
import { newHash } from '../../executor/hashAside';
import { DEMO_JOBS, type DemoJob } from '../../demo/machines';
import { proveStandInLayout } from './layout';

const KEEP_FREE = 10;
const targetOf = ({ survey }: DemoJob) => {
  const disk = machineOf(survey).disks[0]!;
  return { disk, windows: disk.partitions.find(({ role }) => role === 'windows')! };
};

/**
 * The first route of a demo job with one of two kits, in turn, and with the size that it reaches; with the other where
 * it has none.
 */
function routeOf(job: DemoJob, place: number): { route: Route; size: number } {
  const { disk, windows } = targetOf(job);
  const wanted = job.goal ?? Math.ceil((windows.sectors * disk.sectorSize * 1.25) / MIB) * MIB;
  const kits = ['windows-only', 'offline-mover'];
  if (place % 2 === 1) kits.reverse();
  for (const kit of kits) {
    const first = (size: { size: number } | { max: true }): Route | undefined => {
      const goal = { partition: windows.number, ...size };
      const asked = {
        survey: job.survey,
        disk: disk.number,
        goal,
        kits: [kit],
        keepFree: { percent: KEEP_FREE },
      };
      const answer = planRoutes(asked);
      return answer.ok ? answer.value.routes[0] : undefined;
    };
    const route = first({ size: wanted }) ?? first({ max: true });
    if (!route) continue;
    const reached = route.asLeft.partitions.find(({ number }) => number === windows.number)!;
    const size = reached.sectors * disk.sectorSize;
    return { route, size };
  }
  throw new Error('no route');
}

async function proofOf(
  job: DemoJob,
  { route, size }: { route: Route; size: number },
): Promise<ExecutionProof> {
  const { disk, windows } = targetOf(job);
  const { survey } = job;
  const { steps } = route;
  // In memory: what the workshop writes is flushed a thousand times.
  const vhd = new MemoryDevice(0);
  const device = await makeDynamicVhd(vhd, disk.sectors * disk.sectorSize, disk.sectorSize, 1);
  const { backupHeader, entries, entrySize } = survey.disks[0]!;
  const table = {
    backupHeader: backupHeader ?? null,
    entries: entries ?? null,
    entrySize: entrySize ?? null,
  };
  await makeStandIn(device, disk, { seed: job.number, steps, table, time: Date.parse(survey.takenAt) });
  const options = { newHash, extent: 'whole', steps, fingerprintAbove: 2 * MIB } as const;
  const before = await takeInventory(device, { ...options, before: null });
  if (!before.ok) throw new Error('no inventory');
  const asides = new Map<string, MemoryDevice>();
  const run = await openRun({
    disk: device,
    aside: async (name) => {
      const known = asides.get(name) ?? new MemoryDevice(0, disk.sectorSize);
      asides.set(name, known);
      return known;
    },
    steps,
  });
  if (!run.ok) throw new Error(run.problems[0]!.message);
  expect(await run.value.forward()).toEqual({ ok: true, value: null });
  const after = await takeInventory(device, { ...options, before: before.value });
  if (!after.ok) throw new Error('no inventory');
  const { written, relocated, cuts } = run.value.state;
  const takenAt = '2026-11-27T08:00:00Z';
  const proof = prove({ takenAt, steps, before: before.value, after: after.value, written, relocated, cuts });
  const source = {
    disk: disk.number,
    partition: windows.number,
    size,
    keepFreePercent: KEEP_FREE,
    options: { kits: [route.kit] },
    tools: {},
    drawing: drawingOf(route),
  };
  const layout = await proveStandInLayout(device, { survey, disk: disk.number, steps, source });
  if (!layout.ok) throw new Error(layout.problems[0]!.message);
  return withLayout(proof, layout.value);
}

describe('the routes of each demo job, rehearsed: every file as it was, and the layout as a work sheet promises it', () => {
  const verbs = new Set<string>();
  for (const [i, job] of shareOf([...DEMO_JOBS.entries()], 8))
    it(`${job.number}`, async () => {
      const one = routeOf(job, i);
      for (const { verb } of one.route.steps) verbs.add(verb);
      const proof = await proofOf(job, one);
      expect([one.route.title, proof.differences, proof.verdict]).toEqual([one.route.title, [], 'proved']);
      // What the route itself explains is no difference.
      expect(proof.layout!.differences.filter(({ grade }) => grade !== 'explained')).toEqual([]);
      const files = proof.partitions.reduce((sum, { files }) => sum + (files?.before.files ?? 0), 0);
      expect(files).toBeGreaterThan(1000);
    }, 120_000);

  it.runIf(WHOLE)('among them every verb that the planner has for them', () => {
    expect([...verbs].sort()).toEqual(
      expect.arrayContaining(['copy', 'create', 'extend', 'move', 'put-back', 'set-aside', 'shrink']),
    );
  });
});
