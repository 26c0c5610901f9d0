import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Volume } from '../disk';
import { diskWith, surveyWith, diskSpec } from '../survey/sketch';
import { machineOf } from '../survey';
import { GIB, MIB } from '../units';
import {
  selectAllTools,
  findBendsOfUse,
  both,
  findAsideRoom,
  decryptBytes,
  either,
  computeLeastRecovery,
  NO_TOOLS,
  recoveryBehind,
  findRecoveryInUse,
  countRestartsAdded,
  SHIPPED_TOOLS,
  listTools,
  selectTools,
  countUsedBeyond,
  without,
  type Kit,
  type Tool,
} from '.';

const [windows] = SHIPPED_TOOLS as [Tool];
const kit: Kit = {
  id: 'many',
  name: 'Many',
  tools: Array.from({ length: 8 }, (_, i) => ({ ...windows, id: `tool-${i}` })),
};
const some = fc.subarray(kit.tools.map(({ id }) => id));

describe('sets of tools', () => {
  it('are sets: what is in one, the other, both or only the first', () => {
    fc.assert(
      fc.property(some, some, (a, b) => {
        const set = (ids: string[]) => selectTools(kit, ({ id }) => ids.includes(id));
        const ids = (of: ReturnType<typeof set>) => listTools(kit, of).map(({ id }) => id);
        const all = kit.tools.map(({ id }) => id);
        expect(ids(set(a))).toEqual(a);
        expect(ids(either(set(a), set(b)))).toEqual(all.filter((id) => a.includes(id) || b.includes(id)));
        expect(ids(both(set(a), set(b)))).toEqual(all.filter((id) => a.includes(id) && b.includes(id)));
        expect(ids(without(set(a), set(b)))).toEqual(all.filter((id) => a.includes(id) && !b.includes(id)));
        expect(without(set(a), set(a))).toBe(NO_TOOLS);
        expect(both(set(a), selectAllTools(kit))).toBe(set(a));
      }),
    );
  });
});

describe('restarts (domain facts 7)', () => {
  /** Counted as a person would: cut the list into runs of one tool, and each run into stretches that wait. */
  function counted(steps: readonly { tool: Tool; waits: boolean }[]): number {
    const runs: { tool: Tool; waits: boolean }[][] = [];
    for (const step of steps) {
      if (runs.at(-1)?.[0]!.tool === step.tool) runs.at(-1)!.push(step);
      else runs.push([step]);
    }
    return runs.reduce((sum, run) => {
      const stretches = run
        .map(({ waits }) => (waits ? 'w' : '.'))
        .join('')
        .match(/w+/g);
      return sum + run[0]!.tool.restartsPerRun + (stretches?.length ?? 0);
    }, 0);
  }

  it('are one for each run of a tool that needs one, and one for each unbroken wait', () => {
    const step = fc.record({ tool: fc.constantFrom(...SHIPPED_TOOLS), waits: fc.boolean() });
    fc.assert(
      fc.property(fc.array(step, { maxLength: 12 }), (steps) => {
        const added = steps.map(({ tool, waits }, i) => {
          const before = steps[i - 1];
          const goesOn = before?.tool === tool;
          return countRestartsAdded(tool, waits, goesOn, goesOn && before.waits);
        });
        expect(added.reduce((sum, one) => sum + one, 0)).toBe(counted(steps));
      }),
    );
  });
});

describe('what lies beyond a place of a volume (domain facts 8)', () => {
  const CLUSTER = 4096;
  /** A volume by its clusters, one by one: which of them are in use. */
  const clusters = fc
    .tuple(fc.array(fc.boolean(), { minLength: 1, maxLength: 400 }), fc.integer({ min: 1, max: 40 }))
    .map(([used, perBucket]) => {
      const buckets = Array.from(
        { length: Math.ceil(used.length / perBucket) },
        (_, i) => used.slice(i * perBucket, (i + 1) * perBucket).filter(Boolean).length,
      );
      const volume = {
        fileSystem: 'ntfs',
        size: used.length * CLUSTER,
        used: used.filter(Boolean).length * CLUSTER,
        clusterSize: CLUSTER,
        clusterMap: { clustersPerBucket: perBucket, used: buckets },
        lastUsed: null,
      } as unknown as Volume;
      return { used, perBucket, volume };
    });
  const really = (used: readonly boolean[], from: number): number =>
    used.slice(from).filter(Boolean).length * CLUSTER;

  it('is exact at the bounds of the buckets of a map, and never too little between them', () => {
    fc.assert(
      fc.property(clusters, fc.integer({ min: 0, max: 400 }), ({ used, perBucket, volume }, at) => {
        const counted = countUsedBeyond(volume, Math.min(at, used.length) * CLUSTER);
        expect(counted).toBeGreaterThanOrEqual(really(used, at));
        if (at % perBucket === 0) expect(counted).toBe(really(used, at));
        expect(counted).toBeLessThanOrEqual(really(used, Math.floor(at / perBucket) * perBucket));
      }),
    );
  });

  it('bends where it is told to, and lies on or above the straight lines between', () => {
    fc.assert(
      fc.property(clusters, fc.double({ min: 0, max: 0.99, noNaN: true }), ({ used, volume }, share) => {
        const least = Math.floor(used.length * share) * CLUSTER;
        const bends = findBendsOfUse(volume, least);
        expect([bends[0]!.x, bends.at(-1)!.x]).toEqual([volume.size, least]);
        for (const [i, to] of bends.slice(1).entries()) {
          const from = bends[i]!;
          expect(to.x).toBeLessThan(from.x);
          for (const part of [0, 0.25, 0.5, 0.75, 1]) {
            const x = Math.round(from.x + (to.x - from.x) * part);
            const line = from.bytes + ((to.bytes - from.bytes) * (from.x - x)) / (from.x - to.x);
            expect(countUsedBeyond(volume, x)).toBeGreaterThanOrEqual(line - CLUSTER);
          }
        }
      }),
    );
  });

  it('is spread evenly without a map, in whole clusters, from nothing at the end to all at the start', () => {
    const volume = {
      size: 100 * GIB,
      used: 33 * GIB,
      clusterSize: CLUSTER,
      clusterMap: null,
    } as unknown as Volume;
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 100 * 1024 }), (mib) => {
        const beyond = countUsedBeyond(volume, mib * MIB);
        expect(beyond % CLUSTER).toBe(0);
        expect(beyond).toBeGreaterThanOrEqual(33 * GIB * (1 - (mib * MIB) / volume.size) - 1);
        expect(beyond).toBeLessThan(33 * GIB * (1 - (mib * MIB) / volume.size) + CLUSTER);
      }),
    );
  });
});

describe('decryption (domain facts 8)', () => {
  const volume = (state: string, percent: number, usedOnly: boolean, used: number | null): Volume =>
    ({ size: 100 * GIB, used, encryption: { state, percent, usedOnly } }) as unknown as Volume;
  it.each([
    ['what is used, where only that was encrypted', volume('on', 100, true, 40 * GIB), 40 * GIB],
    ['the whole volume, where all of it was', volume('on', 100, false, 40 * GIB), 100 * GIB],
    ['the whole volume, where it is not known what is used', volume('on', 100, true, null), 100 * GIB],
    ['what is left of one under way', volume('decrypting', 25, true, 40 * GIB), 10 * GIB],
  ])('goes through %s', (_, one, bytes) => expect(decryptBytes(one)).toBe(bytes));
});

describe('the recovery partition (domain facts 6)', () => {
  const survey = (
    recoveries: number,
    environment?: { enabled: boolean; disk: number; partition: number },
  ) => {
    const document = surveyWith(
      diskSpec({ size: 300 * 1024 }, [
        { role: 'windows', size: 100 * 1024, used: 60 * 1024, letter: 'C' },
        ...Array.from({ length: recoveries }, () => ({ role: 'recovery' as const, size: 600, used: 400 })),
        { role: 'data', size: 50 * 1024, used: 1024, letter: 'D' },
      ]),
    );
    return machineOf({
      ...document,
      machine: { ...document.machine, ...(environment ? { recoveryEnvironment: environment } : {}) },
    });
  };

  it('is put back with 250 MiB free at the least, in whole MiB', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 2 * GIB }), (used) => {
        const least = computeLeastRecovery(used);
        expect(least % MIB).toBe(0);
        expect(least - used).toBeGreaterThanOrEqual(250 * MIB);
        expect(least - used).toBeLessThan(251 * MIB);
      }),
    );
  });

  it('in use is the one that the machine names; else the only one there is', () => {
    const used = (machine: ReturnType<typeof survey>) =>
      findRecoveryInUse(machine, machine.disks[0]!)?.number ?? null;
    expect(used(survey(1))).toBe(2);
    expect(used(survey(2))).toBeNull();
    expect(used(survey(2, { enabled: true, disk: 0, partition: 3 }))).toBe(3);
    expect(used(survey(2, { enabled: false, disk: 0, partition: 3 }))).toBeNull();
    expect(used(survey(1, { enabled: true, disk: 1, partition: 2 }))).toBeNull();
    // What it names is no recovery partition: nothing is taken to be one.
    expect(used(survey(1, { enabled: true, disk: 0, partition: 3 }))).toBeNull();
  });

  it('stands behind Windows only where nothing is between', () => {
    const machine = survey(2, { enabled: true, disk: 0, partition: 2 });
    const [disk] = machine.disks as [(typeof machine.disks)[0]];
    expect(recoveryBehind(machine, disk, disk.partitions)?.number).toBe(2);
    const [one, two, three, four] = disk.partitions as typeof disk.partitions & { length: 4 };
    expect(recoveryBehind(machine, disk, [one!, three!, two!, four!])).toBeNull();
    expect(recoveryBehind(machine, disk, [two!, one!, three!, four!])).toBeNull();
  });

  it('is set aside only where Windows has room for its image, and it is not encrypted', () => {
    const machine = survey(1);
    const [disk] = machine.disks as [(typeof machine.disks)[0]];
    const recovery = disk.partitions[1]!;
    const missing = () => findAsideRoom(machine, disk, recovery)!.missing;
    expect(missing()).toBeLessThanOrEqual(0);
    expect(findAsideRoom(machine, disk, disk.partitions[2]!)).toBeNull();
    const full = disk.partitions[0]!.volume!;
    Object.assign(full, { used: full.size - 399 * MIB });
    expect(missing()).toBe(MIB);
    Object.assign(full, { used: full.size - 400 * MIB });
    expect(missing()).toBe(0);
  });

  it('is looked for on the disk that is asked about', () => {
    const other = diskWith({ size: 1000 }, [{ role: 'recovery', size: 600 }]);
    expect(findRecoveryInUse(survey(1), other)).toBeNull();
  });
});
