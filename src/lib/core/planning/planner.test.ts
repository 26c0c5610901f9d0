import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { bytesOf, contains, endOf, overlaps } from '../disk';
import { diskSpec, surveyWith, type PartitionSpec } from '../survey/sketch';
import { clinic } from '../test/clinic';
import { machineOf } from '../survey';
import { GIB, MIB } from '../units';
import { fewestBytes, type SmallPartition } from './test/exhaustive';
import { layoutsAlong, planRoutes, type RoutesAnswer, type RoutesRequest } from '.';

const plan = (request: Omit<RoutesRequest, 'kits'>): RoutesAnswer => {
  const answer = planRoutes({ ...request, kits: ['offline-mover'] });
  if (!answer.ok) throw new Error(JSON.stringify(answer.problems));
  return answer.value;
};

/** Donors of any size, obstacles of any role, gaps anywhere; margins are kept small by a smallest size. */
const partitionSpec: fc.Arbitrary<PartitionSpec> = fc
  .record({
    role: fc.constantFrom('data', 'data', 'data', 'recovery', 'efi', 'reserved', 'unknown'),
    size: fc.integer({ min: 1, max: 60 }),
    gap: fc.oneof({ weight: 2, arbitrary: fc.constant(0) }, fc.integer({ min: 0, max: 9 })),
    fill: fc.double({ min: 0, max: 1, noNaN: true }),
    packed: fc.double({ min: 0, max: 1, noNaN: true }),
    clusterSize: fc.constantFrom(4096, 65536, 262144),
  })
  .map(({ role, size, gap, fill, packed, clusterSize }): PartitionSpec => {
    const used = (Math.floor((size * MIB * fill) / clusterSize) * clusterSize) / MIB;
    const smallestOffline = Math.min(size, Math.ceil(used + (size - used) * packed));
    if (role === 'reserved' || role === 'unknown') return { role, size, gap };
    return {
      role,
      size,
      gap,
      used,
      clusterSize,
      smallestOffline,
      fileSystem: role === 'efi' ? 'fat32' : 'ntfs',
    };
  });

const madeUpDisk = (most: number) =>
  fc
    .record({
      before: fc.array(partitionSpec, { maxLength: 2 }),
      target: fc.integer({ min: 8, max: 40 }),
      behind: fc.array(partitionSpec, { maxLength: most - 3 }),
      rest: fc.integer({ min: 0, max: 20 }),
      grow: fc.integer({ min: 1, max: 80 }),
      sectorSize: fc.constantFrom(512, 4096),
    })
    .map(({ before, target, behind, rest, grow, sectorSize }) => {
      const partitions: PartitionSpec[] = [
        ...before,
        { role: 'windows', size: target, used: target * 0.9 },
        ...behind,
      ];
      const length = partitions.reduce((sum, spec) => sum + spec.size + (spec.gap ?? 0), 0) + rest + 2;
      const survey = surveyWith(diskSpec({ size: length, sectorSize }, partitions));
      return { survey, number: before.length + 1, size: (target + grow) * MIB };
    });

describe('every route', () => {
  it('keeps to the disk: no overlap, inside the usable area, data fits, the goal met exactly', () => {
    let reached = 0;
    fc.assert(
      fc.property(madeUpDisk(12), ({ survey, number, size }) => {
        const answer = plan({ survey, disk: 0, goal: { partition: number, size } });
        const disk = machineOf(survey).disks[0]!;
        if (!answer.reached) {
          expect(answer.routes).toEqual([]);
          expect(answer.findings.length).toBeGreaterThan(0);
          expect(answer.largest).toBeLessThan(size);
          return;
        }
        reached++;
        const [route] = answer.routes;
        // layoutsAlong throws if a step is impossible on the layout before it; the laws are checked again here.
        for (const { partitions, usable } of layoutsAlong(disk, route!.steps)) {
          for (const [i, partition] of partitions.entries()) {
            expect(contains(usable, partition)).toBe(true);
            expect(partition.volume?.used ?? 0).toBeLessThanOrEqual(bytesOf(disk, partition));
            if (i > 0) expect(overlaps(partitions[i - 1]!, partition)).toBe(false);
          }
        }
        const left = route!.asLeft.partitions;
        expect(left.map((p) => p.number)).toEqual(disk.partitions.map((p) => p.number));
        expect(
          bytesOf(
            disk,
            left.find((p) => p.number === number)!,
          ),
        ).toBe(size);
        for (const step of route!.steps) {
          if (step.verb === 'move') expect(step.to.first % (MIB / disk.sectorSize)).toBe(0);
        }
        const sum = route!.steps.reduce((total, step) => total + step.bytesCopied, 0);
        expect(route!.totals.bytesCopied).toBe(sum);
      }),
      { numRuns: 400 },
    );
    expect(reached).toBeGreaterThan(100); // the law would be empty if nothing were ever reached
  });

  it('reaches the largest size it names, and nothing above it', () => {
    fc.assert(
      fc.property(madeUpDisk(12), ({ survey, number }) => {
        const most = plan({ survey, disk: 0, goal: { partition: number, max: true } });
        const { sectorSize } = survey.disks[0]!;
        const above = plan({ survey, disk: 0, goal: { partition: number, size: most.largest + sectorSize } });
        expect(above.reached).toBe(false);
        if (!most.reached) return;
        const again = plan({ survey, disk: 0, goal: { partition: number, size: most.largest } });
        expect(again.routes).toEqual(most.routes);
      }),
      { numRuns: 300 },
    );
  });
});

describe('fewest bytes', () => {
  it('no cheaper order-keeping way exists, by exhaustive search on small disks', () => {
    let compared = 0;
    let withShrink = 0;
    const small = fc.record({
      behind: fc.array(
        fc.record({
          size: fc.integer({ min: 1, max: 6 }),
          gap: fc.constantFrom(0, 0, 0, 0, 1),
          role: fc.constantFrom('data', 'data', 'data', 'data', 'data', 'recovery', 'reserved', 'unknown'),
          fill: fc.double({ min: 0, max: 0.8, noNaN: true }),
          least: fc.integer({ min: 1, max: 4 }),
          clusterSize: fc.constantFrom(4096, 65536, 262144, 524288),
          fixed: fc.constantFrom(...Array<boolean>(9).fill(false), true),
        }),
        { minLength: 1, maxLength: 4 },
      ),
      rest: fc.constantFrom(0, 0, 0, 1),
      goal: fc.integer({ min: 1, max: 8 }),
    });
    fc.assert(
      fc.property(small, ({ behind, rest, goal }) => {
        const target = 4;
        const specs: PartitionSpec[] = behind.map(
          ({ size, gap, role, fill, least, clusterSize }): PartitionSpec => {
            if (role === 'reserved' || role === 'unknown') return { role, size, gap };
            const used = (Math.floor((size * MIB * fill) / clusterSize) * clusterSize) / MIB;
            return {
              role,
              size,
              gap,
              used,
              clusterSize,
              smallestOffline: Math.min(size, Math.max(least, Math.ceil(used))),
            };
          },
        );
        const length =
          1 + target + specs.reduce((sum, spec) => sum + spec.size + (spec.gap ?? 0), 0) + rest + 1;
        const survey = surveyWith(
          diskSpec({ size: length }, [{ role: 'windows', size: target, used: 3 }, ...specs]),
        );
        const fixed = behind.flatMap((spec, i) => (spec.fixed ? [i + 2] : []));
        const answer = plan({ survey, disk: 0, goal: { partition: 1, size: (target + goal) * MIB }, fixed });

        let at = 1 + target;
        const parts = specs.map((spec, i): SmallPartition => {
          at += spec.gap ?? 0;
          const first = at;
          at += spec.size;
          const used = Math.round((spec.used ?? 0) * MIB);
          const gives = spec.role === 'data' && !behind[i]!.fixed;
          const moveBytes = spec.role === 'reserved' ? 0 : spec.role === 'unknown' ? spec.size * MIB : used;
          const least = gives
            ? Math.min(spec.size, Math.max(1, spec.smallestOffline!, Math.ceil(spec.used!)))
            : spec.size;
          return {
            first,
            size: spec.size,
            used,
            moveBytes,
            least,
            cluster: spec.clusterSize ?? 4096,
            movable: !behind[i]!.fixed,
          };
        });
        // The backup table takes the last 33 sectors, so the last slot of the disk can't be filled.
        const best = fewestBytes(
          { end: length - 1, target: { first: 1, size: target }, behind: parts },
          target + goal,
        );
        expect(answer.reached ? answer.routes[0]!.totals.bytesCopied : null).toBe(best);
        compared++;
        if (answer.routes[0]?.steps.some((step) => step.verb === 'shrink')) withShrink++;
      }),
      { numRuns: 600 },
    );
    expect(compared).toBe(600);
    expect(withShrink).toBeGreaterThan(100);
  });
});

describe('the clinic', () => {
  const survey = clinic();
  const answer = plan({ survey, disk: 0, goal: { partition: 3, size: 200 * GIB } });
  const [route] = answer.routes;

  it('shrinks Archive, shifts Archive and Recovery, and extends C:', () => {
    expect(route!.steps.map((step) => [step.verb, step.partition])).toEqual([
      ['shrink', 5],
      ['move', 5],
      ['move', 4],
      ['extend', 3],
    ]);
    expect(route!.title).toBe('Shrink Archive, shift Archive and Recovery');
    expect(route!.keepsRecoveryBehind).toBe(true);
    expect(route!.totals).toMatchObject({ restarts: 2, handOvers: 0, idle: 0, stranded: 0, steps: 4 });
  });

  it('copies what the facts say: B(x) for the shrink, used bytes for each move, exposure where places intersect', () => {
    const [shrink, moveData, moveRecovery] = route!.steps;
    const [used, size, left] = [141 * GIB, 355 * GIB, 355 * GIB - shrunkBy(route!.steps[0]!)];
    expect(shrink!.bytesCopied).toBe(Math.ceil((used * (size - left)) / size / 4096) * 4096);
    expect(moveData).toMatchObject({ bytesCopied: used, exposedBytes: used });
    expect(moveRecovery).toMatchObject({ bytesCopied: 720 * MIB, exposedBytes: 0 });
    expect(shrink!.exposedBytes).toBe(0);
  });

  it('uses unallocated space first: what lies behind Archive is taken before Archive gives', () => {
    const unallocatedBehind = 477 * GIB;
    const roomy = structuredClone(survey);
    roomy.disks[0]!.sectors += unallocatedBehind / 512;
    const [moved] = plan({ survey: roomy, disk: 0, goal: { partition: 3, size: 200 * GIB } }).routes;
    expect(moved!.steps.map((step) => step.verb)).toEqual(['move', 'move', 'extend']);
    expect(moved!.totals.exposedBytes).toBe(141 * GIB);
  });

  it('heeds what the technician holds: gives, keepFree, donors, fixed', () => {
    const goal = { partition: 3, size: 150 * GIB };
    const held = plan({ survey, disk: 0, goal, gives: { 5: 50 * GIB } });
    expect(shrunkBy(held.routes[0]!.steps[0]!)).toBe(50 * GIB);
    expect(held.routes[0]!.totals.idle).toBeGreaterThan(18 * GIB);
    const kept = plan({ survey, disk: 0, goal: { partition: 3, max: true }, keepFree: { percent: 50 } });
    const archive = kept.routes[0]!.asLeft.partitions.find((p) => p.number === 5)!;
    expect(archive.sectors * 512).toBe(282 * GIB);
    const noDonor = plan({ survey, disk: 0, goal, donors: [] });
    expect(noDonor.reached).toBe(false);
    const fixed = plan({ survey, disk: 0, goal, fixed: [4] });
    expect(fixed.findings.map((finding) => finding.code)).toEqual(['stopped-fixed']);
  });
});

const shrunkBy = (step: RoutesAnswer['routes'][0]['steps'][0]): number =>
  step.verb === 'shrink' ? (step.from.sectors - step.to.sectors) * 512 : 0;

describe('special cases', () => {
  it('lets Windows extend at once, without a restart, where room is in reach', () => {
    const survey = surveyWith(diskSpec({ size: 200 }, [{ role: 'windows', size: 50, used: 45 }]));
    const { routes } = plan({ survey, disk: 0, goal: { partition: 1, grow: 20 * MIB } });
    expect(routes[0]!.steps).toMatchObject([{ verb: 'extend', tool: 'windows' }]);
    expect(routes[0]!.totals.restarts).toBe(0);
  });

  it('hands over to Windows for an encrypted target that the mover leaves alone', () => {
    const survey = surveyWith(
      diskSpec({ size: 200 }, [
        { role: 'windows', size: 50, used: 45, encrypted: true, letter: 'C' },
        { role: 'recovery', size: 10, used: 8 },
      ]),
    );
    const { routes } = plan({ survey, disk: 0, goal: { partition: 1, grow: 20 * MIB } });
    expect(routes[0]!.steps.map((step) => step.tool)).toEqual(['offline-mover', 'windows']);
    expect(routes[0]!.totals).toMatchObject({ handOvers: 1, restarts: 2 });
  });

  it('moves the backup table first where the disk was enlarged, and only where that room is needed', () => {
    const spec = diskSpec({ size: 300, backupHeader: 200 * 2048 - 1 }, [
      { role: 'windows', size: 100, used: 95 },
    ]);
    const grow = (mib: number) =>
      plan({ survey: surveyWith(spec), disk: 0, goal: { partition: 1, grow: mib * MIB } }).routes[0]!;
    expect(grow(50).steps.map((step) => step.verb)).toEqual(['extend']);
    expect(grow(150).steps.map((step) => step.verb)).toEqual(['relocate-table', 'extend']);
    expect(grow(150).totals.idle).toBe(0);
  });

  it('leaves a misaligned start alone that need not move', () => {
    const disk = diskSpec({ size: 100 }, [
      { role: 'windows', size: 20, used: 18 },
      { size: 10, used: 5, gap: 30.5 },
    ]);
    const [route] = plan({
      survey: surveyWith(disk),
      disk: 0,
      goal: { partition: 1, grow: 30.5 * MIB },
    }).routes;
    expect(route!.steps).toHaveLength(1);
    expect(endOf(route!.asLeft.partitions[0]!)).toBe(disk.partitions[1]!.first);
  });

  it.each([
    ['hibernated', { hibernated: true }, {}, 'hibernated'],
    ['a dynamic disk', {}, { dynamic: true }, 'dynamic-disk'],
  ])('refuses %s with a reason', (_, machine, disk, code) => {
    const survey = clinic();
    Object.assign(survey.machine, machine);
    Object.assign(survey.disks[0]!, disk);
    const answer = plan({ survey, disk: 0, goal: { partition: 3, grow: GIB } });
    expect(answer).toMatchObject({ reached: false, routes: [] });
    expect(answer.findings[0]).toMatchObject({ code, severity: 'blocks' });
  });

  it('refuses bad requests at their field', () => {
    const survey = clinic();
    const problem = (request: Partial<RoutesRequest>) => {
      const answer = planRoutes({ survey, disk: 0, goal: { partition: 3, grow: GIB }, ...request });
      return answer.ok ? null : answer.problems.map(({ path, code }) => `${path} ${code}`).join();
    };
    expect(problem({})).toBeNull();
    expect(problem({ disk: 3 })).toBe('/disk no-disk');
    expect(problem({ goal: { partition: 9, grow: GIB } })).toBe('/goal/partition no-partition');
    expect(problem({ goal: { partition: 3, size: 100 * GIB } })).toBe('/goal/size goal-too-small');
    expect(problem({ goal: { partition: 3, grow: 100 } })).toBe('/goal/grow not-sectors');
    expect(problem({ goal: { partition: 3, grow: GIB, max: true } })).toBe('/goal goal-unclear');
    expect(problem({ donors: [1] })).toBe('/donors/0 never-gives');
    expect(problem({ gives: { 5: 300 * GIB } })).toBe('/gives/5 gives-too-much');
  });

  it('says which kits and permissions are not used yet', () => {
    const answer = planRoutes({
      survey: clinic(),
      disk: 0,
      goal: { partition: 3, grow: GIB },
      mayDelete: [4],
    });
    expect(answer.ok && answer.value.findings.map((finding) => finding.code)).toEqual([
      'kit-not-offered',
      'kit-not-offered',
      'permission-not-used',
    ]);
  });
});
