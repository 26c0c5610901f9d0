import { findBendsOfUse, countUsedBeyond } from '../tools';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Volume } from '../disk';
import { MIB } from '../units';
import { findCheapestShares, type Giver } from './shares';

const CLUSTER = 64 * 1024;
const PER_MIB = MIB / CLUSTER;

const volumeOf = (used: number[], clustersPerBucket: number): Volume => ({
  fileSystem: 'ntfs',
  label: '',
  clusterSize: CLUSTER,
  size: used.length * clustersPerBucket * CLUSTER,
  used: used.reduce((sum, count) => sum + count, 0) * CLUSTER,
  smallestRunning: null,
  smallestOffline: null,
  lastUsed: null,
  lastImmovable: null,
  immovableFile: null,
  bootSectorDamaged: false,
  clusterMap: { clustersPerBucket, used },
  dirty: false,
  encryption: { state: 'off', percent: 0, usedOnly: true },
});

/** Volumes of a few MiB whose used clusters lie anywhere. */
const volumes = fc
  .integer({ min: 8, max: 24 })
  .chain((perBucket) =>
    fc
      .array(fc.integer({ min: 0, max: perBucket }), { minLength: 2, maxLength: 8 })
      .map((used) => volumeOf(used, perBucket)),
  );

function giverOf(volume: Volume): Giver {
  const slots = Math.floor(volume.size / MIB);
  const most = Math.max(0, slots - 1);
  const bends = most > 0 ? findBendsOfUse(volume, MIB) : [];
  const at = (x: number) => slots - x / MIB;
  return {
    most,
    // What lies behind the last whole MiB is given up with the first slot, and costs as much.
    cost: (amount) => (amount === 0 ? 0 : countUsedBeyond(volume, (slots - amount) * MIB)),
    corners: [{ slots: 0, bytes: 0 }, ...bends.map(({ x, bytes }) => ({ slots: Math.max(0, at(x)), bytes }))],
    grain: CLUSTER,
  };
}

function cheapestByTrying(givers: readonly Giver[], need: number): number {
  const [first, ...others] = givers;
  if (!first) return need <= 0 ? 0 : Infinity;
  let best = Infinity;
  for (let slots = 0; slots <= first.most; slots++) {
    best = Math.min(best, first.cost(slots) + cheapestByTrying(others, need - slots));
  }
  return best;
}

describe('B(x) from a cluster map (domain facts 8)', () => {
  it('counts the clusters at or beyond x, exactly at bucket bounds and never too few between', () => {
    fc.assert(
      fc.property(volumes, fc.array(fc.nat(1000), { minLength: 200, maxLength: 200 }), (volume, order) => {
        const { used, clustersPerBucket } = volume.clusterMap!;
        // One of the many ways in which the clusters of each bucket may really lie.
        const real = used.flatMap((count, bucket) => {
          const cells = Array.from({ length: clustersPerBucket }, (_, i) => i);
          cells.sort((a, b) => order[(a + bucket) % 200]! - order[(b + bucket) % 200]!);
          const taken = new Set(cells.slice(0, count));
          return cells.map((_, i) => taken.has(i));
        });
        for (let cluster = 0; cluster <= real.length; cluster++) {
          const beyond = real.slice(cluster).filter(Boolean).length * CLUSTER;
          const said = countUsedBeyond(volume, cluster * CLUSTER);
          expect(said).toBeGreaterThanOrEqual(beyond);
          if (cluster % clustersPerBucket === 0) expect(said).toBe(beyond);
        }
      }),
    );
  });

  it('tells a volume that is empty at its end from one that is full there', () => {
    const [early, late] = [volumeOf([16, 0], 16), volumeOf([0, 16], 16)];
    expect(countUsedBeyond(early, MIB)).toBe(0);
    expect(countUsedBeyond(late, MIB)).toBe(16 * CLUSTER);
    expect(PER_MIB).toBe(16);
  });
});

describe('sharing out an amount between donors', () => {
  it('is the cheapest way, wherever the used clusters lie', () => {
    fc.assert(
      fc.property(
        fc.array(volumes, { minLength: 1, maxLength: 3 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (some, share) => {
          const givers = some.map(giverOf);
          const all = givers.reduce((sum, giver) => sum + giver.most, 0);
          const need = Math.round(all * share);
          const shares = findCheapestShares(givers, need)!;
          expect(shares.amounts.reduce((sum, amount) => sum + amount, 0)).toBe(need);
          expect(shares.bytes).toBe(cheapestByTrying(givers, need));
          expect(givers.reduce((sum, giver, i) => sum + giver.cost(shares.amounts[i]!), 0)).toBe(
            shares.bytes,
          );
          expect(findCheapestShares(givers, all + 1)).toBeNull();
        },
      ),
      { numRuns: 300 },
    );
  });
});
