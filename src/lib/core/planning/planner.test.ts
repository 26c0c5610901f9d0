import { share, shareOf } from '../test/evidence';
import { sidedSurvey } from '../../../../scripts/bench/disks';
import { unwrap } from '../problem';
import { SHIPPED_TOOLS, canExtend, canShrink, donorBound } from '../tools';
import { computeLayouts, type Step } from '../steps';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { alignment, bytesOf, contains, overlaps, type Disk } from '../disk';
import { diskSpec, surveyWith, type PartitionSpec } from '../survey/sketch';
import { clinic } from '../test/clinic';
import { machineOf } from '../survey';
import { GIB, MIB } from '../units';
import { smallCase } from './test/smallDisks';
import { criteriaOf, planRoutes, type Planning, type RoutesAnswer, type RoutesRequest } from '.';

/** Counted, not timed: the same on every machine. */
const SHORT: Planning = { milliseconds: 60_000, nodes: 400 };

const plan = (request: RoutesRequest, planning = SHORT): RoutesAnswer => {
  const answer = planRoutes(request, planning);
  if (!answer.ok) throw new Error(JSON.stringify(answer.problems));
  return answer.value;
};
type Criteria = ReturnType<typeof criteriaOf>;
const KEYS = ['bytesCopied', 'exposedBytes', 'restarts', 'steps', 'idle', 'givesUp'] as const;
const covers = (a: Criteria, b: Criteria) => KEYS.every((key) => a[key] <= b[key]);

const partitionSpec: fc.Arbitrary<PartitionSpec> = fc
  .record({
    role: fc.constantFrom('data', 'data', 'data', 'data', 'recovery', 'efi', 'reserved', 'unknown'),
    size: fc.integer({ min: 1, max: 60 }),
    gap: fc.oneof({ weight: 2, arbitrary: fc.constant(0) }, fc.integer({ min: 0, max: 9 })),
    fill: fc.double({ min: 0, max: 1, noNaN: true }),
    packed: fc.double({ min: 0, max: 1, noNaN: true }),
    fileSystem: fc.constantFrom('ntfs', 'ntfs', 'fat32', 'fat16', 'exfat', 'refs'),
    encrypted: fc.integer({ min: 0, max: 8 }).map((one) => one === 0),
  })
  .map(({ role, size, gap, fill, packed, fileSystem, encrypted }): PartitionSpec => {
    const used = (Math.floor((size * MIB * fill) / 4096) * 4096) / MIB;
    const smallest = Math.min(size, Math.ceil(used + (size - used) * packed));
    if (role === 'reserved' || role === 'unknown') return { role, size, gap };
    const made = {
      role,
      size,
      gap,
      used,
      clusterSize: 4096,
      smallestOffline: smallest,
      smallestRunning: smallest,
    } as const;
    if (role !== 'data') return { ...made, fileSystem: role === 'efi' ? 'fat32' : 'ntfs' };
    return { ...made, fileSystem, ...(encrypted && fileSystem === 'ntfs' ? { encrypted } : {}) };
  });

const madeUpDisk = (most: number) =>
  fc
    .record({
      before: fc.array(partitionSpec, { maxLength: 3 }),
      target: fc.integer({ min: 8, max: 40 }),
      behind: fc.array(partitionSpec, { maxLength: most - 4 }),
      rest: fc.integer({ min: 0, max: 20 }),
      grow: fc.integer({ min: 1, max: 60 }),
      sectorSize: fc.constantFrom(512, 4096),
      kit: fc.constantFrom('windows-only', 'live-mover', 'offline-mover'),
      percent: fc.constantFrom(0, 10, 50),
    })
    .map(({ before, target, behind, rest, grow, sectorSize, kit, percent }) => {
      const partitions: PartitionSpec[] = [
        ...before,
        { role: 'windows', size: target, used: Math.floor(target * 0.9) },
        ...behind,
      ];
      const length = partitions.reduce((sum, spec) => sum + spec.size + (spec.gap ?? 0), 0) + rest + 2;
      const survey = surveyWith(diskSpec({ size: length, sectorSize }, partitions));
      const number = before.length + 1;
      const request: RoutesRequest = {
        survey,
        disk: 0,
        goal: { partition: number, size: (target + grow) * MIB },
        kits: [kit],
        keepFree: { percent },
      };
      return { request, number, disk: machineOf(survey).disks[0]!, percent };
    });

/** File systems that movers extend and shrink. */
const MOVED = ['ntfs', 'fat32', 'fat16'];

/** What a tool may do, written out again from the table of domain facts 7. */
function within(step: Step, disk: Disk, decrypted: ReadonlySet<number>): boolean {
  const found = disk.partitions.find((one) => one.number === step.partition);
  const windows = step.tool === 'windows';
  if (['set-aside', 'put-back', 'decrypt'].includes(step.verb)) return windows;
  if (!found || ['relocate-table', 'delete', 'create', 'copy'].includes(step.verb)) return true;
  const closed =
    found.volume?.encryption.state !== 'off' && found.volume !== null && !decrypted.has(found.number);
  if (!windows && closed) return false;
  const system = found.volume?.fileSystem ?? '';
  if (step.verb === 'move') return !windows;
  if (step.verb === 'extend') return (windows ? ['ntfs', 'refs'] : MOVED).includes(system);
  return (windows ? ['ntfs'] : MOVED).includes(system);
}

describe('every route', () => {
  it('keeps to the disk and to its tools: no overlap, data fits, donors within bounds, the goal met exactly', () => {
    let reached = 0;
    fc.assert(
      fc.property(madeUpDisk(20), ({ request, number, disk, percent }) => {
        const answer = plan(request);
        if (!answer.reached) {
          expect(answer.routes).toEqual([]);
          expect(answer.findings.length).toBeGreaterThan(0);
          return;
        }
        reached++;
        for (const route of answer.routes) {
          // layoutsAlong throws if a step is impossible on the layout before it; the laws are checked again here.
          const layouts = unwrap(computeLayouts(disk, route.steps));
          for (const { partitions, usable } of layouts) {
            for (const [i, partition] of partitions.entries()) {
              expect(contains(usable, partition)).toBe(true);
              expect(partition.volume?.used ?? 0).toBeLessThanOrEqual(bytesOf(disk, partition));
              if (i > 0) expect(overlaps(partitions[i - 1]!, partition)).toBe(false);
            }
          }
          const left = layouts.at(-1)!.partitions;
          expect(
            bytesOf(
              disk,
              left.find((one) => one.number === number)!,
            ),
          ).toBe(request.goal.size);
          const decrypted = new Set<number>();
          for (const step of route.steps) {
            expect(within(step, disk, decrypted), `${step.verb} by ${step.tool}`).toBe(true);
            if (step.verb === 'decrypt') decrypted.add(step.partition);
            if (step.verb === 'move') expect(step.to.first % alignment(disk)).toBe(0);
            if (step.verb !== 'shrink') continue;
            const donor = disk.partitions.find((one) => one.number === step.partition)!;
            const floor = SHIPPED_TOOLS.find((tool) => tool.id === step.tool)!.floor;
            const bound = donorBound(disk, donor, { percent, bytes: 0 }, floor)!;
            expect(bytesOf(disk, step.to)).toBeGreaterThanOrEqual(bound);
          }
          const copied = route.steps.filter((step) => step.verb === 'copy').length;
          expect(left).toHaveLength(disk.partitions.length);
          expect(route.steps.filter((step) => step.verb === 'delete')).toHaveLength(copied);
          const sum = route.steps.reduce((total, step) => total + step.bytesCopied, 0);
          expect(route.totals.bytesCopied).toBe(sum);
        }
        const vectors = answer.routes.map(criteriaOf);
        // Only the most usual way may be beaten; none is there twice.
        vectors.forEach((one, i) =>
          vectors.forEach((other, k) => {
            if (i === k) return;
            expect(covers(one, other) && (k > 0 || covers(other, one)), `${i} beats ${k}`).toBe(false);
          }),
        );
      }),
      { numRuns: share(120, 6) },
    );
    expect(reached).toBeGreaterThan(share(30, 12)); // the law would be empty if nothing were ever reached
  });

  it('is the same for the same request', () => {
    fc.assert(
      fc.property(madeUpDisk(12), ({ request }) => {
        expect(plan(request)).toEqual(plan(request));
      }),
      { numRuns: share(25, 3) },
    );
  });

  it('reaches the largest size that the answer names', () => {
    fc.assert(
      fc.property(madeUpDisk(12), ({ request, number, disk }) => {
        const most = plan({ ...request, goal: { partition: number, max: true } });
        if (!most.reached) return;
        const left = unwrap(computeLayouts(disk, most.routes[0]!.steps)).at(-1)!.partitions;
        expect(
          bytesOf(
            disk,
            left.find((one) => one.number === number)!,
          ),
        ).toBe(most.largest);
      }),
      { numRuns: share(40, 3) },
    );
  });

  it('reaches it for each kit where there is room on both sides of the target', () => {
    for (const seed of shareOf([1, 2, 3, 4, 5, 6], 3)) {
      const survey = sidedSurvey(8, seed);
      const goal = { partition: 4, max: true };
      const { largestByKit } = plan({ survey, disk: 0, goal });
      for (const [kit, bytes] of Object.entries(largestByKit)) {
        const most = plan({ survey, disk: 0, goal, kits: [kit] });
        expect([seed, kit, most.largest]).toEqual([seed, kit, bytes]);
        expect(most.reached).toBe(bytes > 100_000 * MIB);
        const ends = most.routes.map(
          ({ asLeft }) => asLeft.partitions.find((one) => one.number === 4)!.sectors,
        );
        for (const sectors of ends) expect(sectors * 512).toBe(bytes);
      }
    }
  });
});

describe('fronts', () => {
  const WHOLE: Planning = { milliseconds: 60_000, nodes: 6000, steps: 5 };
  const cases = fc.integer({ min: 1, max: 100_000 }).map((seed) => smallCase(seed, 5, 5));
  const complete = (answer: RoutesAnswer) => answer.findings.every((one) => one.code !== 'stopped-early');

  it('never get worse by more permission', () => {
    fc.assert(
      fc.property(cases, ({ disk, request }) => {
        const less = plan(request, WHOLE);
        const numbers = disk.pieces.map((one) => one.number).filter((one) => one !== request.goal.partition);
        const more = plan(
          {
            ...request,
            fixed: [],
            mayDelete: [...new Set([...(request.mayDelete ?? []), numbers[0]!])],
            outside: [{ name: 'bench disk', bytes: 20 * disk.unit }],
          },
          WHOLE,
        );
        if (!complete(less) || !complete(more)) return;
        for (const route of less.routes) {
          expect(more.routes.some((other) => covers(criteriaOf(other), criteriaOf(route)))).toBe(true);
        }
      }),
      { numRuns: share(60, 3) },
    );
  });

  it('cost no less for a larger goal, idle space aside', () => {
    fc.assert(
      fc.property(cases, ({ disk, request }) => {
        const smaller = plan(request, WHOLE);
        const goal = { partition: request.goal.partition, size: (disk.goal + 1) * disk.unit };
        const larger = plan({ ...request, goal }, WHOLE);
        if (!complete(smaller) || !complete(larger) || !larger.reached) return;
        expect(smaller.reached).toBe(true);
        for (const key of KEYS.filter((one) => one !== 'idle')) {
          const least = (answer: RoutesAnswer) =>
            Math.min(...answer.routes.map((route) => criteriaOf(route)[key]));
          expect(least(larger)).toBeGreaterThanOrEqual(least(smaller));
        }
      }),
      { numRuns: share(60, 3) },
    );
  });
});

describe('what is asked', () => {
  const survey = clinic();
  const goal = { partition: 3, size: 200 * GIB };

  it('is refused with the path of the field where it makes no sense', () => {
    const paths = (request: Partial<RoutesRequest>) => {
      const answer = planRoutes({ survey, disk: 0, goal, ...request });
      return answer.ok ? [] : answer.problems.map((one) => one.path);
    };
    expect(paths({ disk: 3 })).toEqual(['/disk']);
    expect(paths({ goal: { partition: 9, max: true } })).toEqual(['/goal/partition']);
    expect(paths({ goal: { partition: 3, size: GIB } })).toEqual(['/goal/size']);
    expect(paths({ goal: { partition: 3 } })).toEqual(['/goal']);
    expect(paths({ goal: { partition: 3, grow: 100 } })).toEqual(['/goal/grow']);
    expect(paths({ kits: ['swiss-knife'] })).toEqual(['/kits/0']);
    expect(paths({ mayDelete: [3] })).toEqual(['/mayDelete/0']);
    expect(paths({ donors: [1] })).toEqual(['/donors/0']);
    expect(paths({ gives: { '5': 400 * GIB } })).toEqual(['/gives/5']);
    expect(paths({ workshop: { kits: [{ id: 'a', name: 'A', tools: ['none'] }] } })).toEqual([
      '/workshop/kits/0/tools',
    ]);
  });

  it('holds an amount exactly', () => {
    const answer = plan(
      { survey, disk: 0, goal, kits: ['offline-mover'], gives: { '5': 90 * GIB } },
      { ...SHORT, nodes: 1500 },
    );
    expect(answer.reached).toBe(true);
    for (const route of answer.routes) {
      const shrunk = route.steps.find((step) => step.verb === 'shrink')!;
      expect(shrunk).toMatchObject({ partition: 5 });
      expect(shrunk.from!.sectors - shrunk.to!.sectors).toBe((90 * GIB) / 512);
    }
  });

  it('answers for all there is with the kits that get the most only', () => {
    // Windows alone gets no further than the 200 MiB in reach, since the volume behind it can't be copied anywhere.
    const disk = diskSpec({ size: 5202 }, [
      { role: 'windows', size: 2000, used: 1900 },
      { role: 'data', size: 2000, used: 2000, fileSystem: 'ntfs', gap: 200 },
    ]);
    const answer = plan({ survey: surveyWith(disk), disk: 0, goal: { partition: 1, max: true } });
    expect(answer.largestByKit).toEqual({
      'windows-only': 2200 * MIB,
      'live-mover': 3200 * MIB,
      'offline-mover': 3200 * MIB,
    });
    expect([...new Set(answer.routes.map((route) => route.kit))].sort()).toEqual([
      'live-mover',
      'offline-mover',
    ]);
    for (const route of answer.routes) {
      expect(route.asLeft.partitions.find((one) => one.number === 1)!.sectors * 512).toBe(answer.largest);
    }
  });

  it('is stopped when asked to, and says so', () => {
    const answer = plan({ survey, disk: 0, goal }, { cancelled: () => true, nodes: 50_000 });
    expect(answer.findings.map((one) => one.code)).toContain('stopped-early');
    expect(answer.routes.length).toBeGreaterThan(0); // pushing alone is found without any search
  });

  it('orders by the preference', () => {
    const first = (prefer: 'safe' | 'quick' | 'few-steps') => {
      const { routes } = plan(
        { survey, disk: 0, goal, kits: ['offline-mover'], prefer },
        { ...SHORT, nodes: 1500 },
      );
      return { first: criteriaOf(routes[0]!), all: routes.map(criteriaOf) };
    };
    const safe = first('safe');
    expect(safe.first.exposedBytes).toBe(Math.min(...safe.all.map((one) => one.exposedBytes)));
    const quick = first('quick');
    expect(quick.first.bytesCopied).toBe(Math.min(...quick.all.map((one) => one.bytesCopied)));
    const few = first('few-steps');
    expect(few.first.steps).toBe(Math.min(...few.all.map((one) => one.steps)));
  });

  it('finds in a tool of one’s own what it cannot do', () => {
    const weak = { ...SHIPPED_TOOLS[2]!, id: 'weak', name: 'Weak mover', moves: ['data' as const] };
    const workshop = { tools: [weak], kits: [{ id: 'ours', name: 'Ours', tools: ['windows', 'weak'] }] };
    const answer = plan({ survey, disk: 0, goal, kits: ['ours'], workshop }, { ...SHORT, nodes: 1500 });
    const disk = machineOf(survey).disks[0]!;
    for (const route of answer.routes) {
      for (const step of route.steps) if (step.verb === 'move') expect(step.partition).toBe(5);
    }
    // Recovery stands in between and this mover leaves it alone: Windows sets it aside.
    expect(answer.routes.every((route) => route.steps.some((step) => step.verb === 'set-aside'))).toBe(true);
    expect(canExtend(weak, disk.partitions[2]!) && canShrink(weak, disk.partitions[4]!)).toBe(true);
  });
});
