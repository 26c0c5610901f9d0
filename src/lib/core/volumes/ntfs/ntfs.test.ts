import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { makeBytesSource } from '../../images/source';
import { ClusterCount } from './bitmap';
import { parseNtfsBoot } from './bootSector';
import { removeUpdateSequence } from './updateSequence';
import { readNtfs } from './readNtfs';
import { decodeRuns, type ClusterRun } from './runs';
import { NtfsDamage } from './volume';

/** Written for the test alone: the shortest signed little-endian form of a number. */
function shortest(value: number): number[] {
  const bytes: number[] = [];
  let rest = BigInt(value);
  for (;;) {
    bytes.push(Number(rest & 0xffn));
    rest >>= 8n;
    const sign = bytes.at(-1)! >= 0x80 ? -1n : 0n;
    if (rest === sign) return bytes;
  }
}

const encode = (runs: readonly ClusterRun[]): Uint8Array => {
  let last = 0;
  const bytes = runs.flatMap(({ lcn, clusters }) => {
    const length = shortest(clusters);
    if (lcn === null) return [length.length, ...length];
    const offset = shortest(lcn - last);
    last = lcn;
    return [(offset.length << 4) | length.length, ...length, ...offset];
  });
  return Uint8Array.from([...bytes, 0]);
};

describe('run lists', () => {
  const CLUSTERS = 2 ** 31;
  const runs = fc
    .array(
      fc.record({
        clusters: fc.integer({ min: 1, max: 2 ** 24 }),
        lcn: fc.option(fc.integer({ min: 0, max: CLUSTERS - 2 ** 24 }), { nil: null }),
      }),
      { maxLength: 40 },
    )
    .map((list) => {
      let vcn = 0;
      return list.map(({ clusters, lcn }): ClusterRun => {
        const run = { vcn, lcn, clusters };
        vcn += clusters;
        return run;
      });
    });

  it('decode to what was encoded', () => {
    fc.assert(
      fc.property(runs, (list) => {
        expect(decodeRuns(encode(list), 0, CLUSTERS)).toEqual(list);
      }),
    );
  });

  it('take two bytes for 128, whose single byte would be negative', () => {
    expect(encode([{ vcn: 0, lcn: 128, clusters: 128 }])).toEqual(Uint8Array.of(0x22, 0x80, 0, 0x80, 0, 0));
    expect(decodeRuns(Uint8Array.of(0x11, 0x80, 0x01, 0), 0, CLUSTERS)).toBeNull();
  });

  it('are refused beyond the volume, and never loop on random bytes', () => {
    expect(decodeRuns(encode([{ vcn: 0, lcn: 90, clusters: 20 }]), 0, 100)).toBeNull();
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 200 }), (bytes) => {
        for (const run of decodeRuns(bytes, 0, 1000) ?? []) {
          expect(run.clusters).toBeGreaterThan(0);
          if (run.lcn !== null) expect(run.lcn + run.clusters).toBeLessThanOrEqual(1000);
        }
      }),
      { numRuns: 2000 },
    );
  });
});

describe('the update sequence', () => {
  const protect = (content: Uint8Array, number: number): Uint8Array => {
    const bytes = content.slice();
    const view = new DataView(bytes.buffer);
    const strides = bytes.length / 512;
    view.setUint16(4, 0x30, true);
    view.setUint16(6, strides + 1, true);
    view.setUint16(0x30, number, true);
    for (let i = 1; i <= strides; i++) {
      view.setUint16(0x30 + 2 * i, view.getUint16(i * 512 - 2, true), true);
      view.setUint16(i * 512 - 2, number, true);
    }
    return bytes;
  };
  const record = fc
    .tuple(fc.constantFrom(1024, 4096), fc.integer({ min: 1, max: 0xffff }))
    .chain(([size, number]) =>
      fc.record({
        content: fc.uint8Array({ minLength: size, maxLength: size }),
        number: fc.constant(number),
      }),
    );

  it('gives back the last bytes of every stride, and finds a torn write', () => {
    fc.assert(
      fc.property(record, fc.nat(), ({ content, number }, at) => {
        const stored = protect(content, number);
        const mended = removeUpdateSequence(stored)!;
        for (let end = 512; end <= content.length; end += 512) {
          expect(mended.subarray(end - 2, end)).toEqual(content.subarray(end - 2, end));
        }
        const stride = (at % (content.length / 512)) + 1;
        stored[stride * 512 - 1]! ^= 0x40;
        expect(removeUpdateSequence(stored)).toBeNull();
      }),
    );
  });
});

describe('the cluster count', () => {
  it('is that of counting bit by bit, however the bitmap is cut up', () => {
    fc.assert(
      fc.property(
        fc.uint8Array({ minLength: 1, maxLength: 300 }),
        fc.nat(),
        fc.integer({ min: 1, max: 50 }),
        (bitmap, cut, piece) => {
          const clusters = 1 + (cut % (bitmap.length * 8));
          const count = new ClusterCount(clusters);
          for (let at = 0; at < bitmap.length; at += piece) count.add(bitmap.subarray(at, at + piece));
          let used = 0;
          let last = -1;
          for (let i = 0; i < clusters; i++) {
            if ((bitmap[i >> 3]! >> (i & 7)) & 1) [used, last] = [used + 1, i];
          }
          expect([count.used, count.last, count.complete]).toEqual([used, last, true]);
          expect(count.map.used.reduce((sum, one) => sum + one, 0)).toBe(used);
        },
      ),
      { numRuns: 1000 },
    );
  });
});

describe('bad volumes', () => {
  const boot = (change: (view: DataView) => void): Uint8Array => {
    const bytes = new Uint8Array(1024 * 1024);
    const view = new DataView(bytes.buffer);
    bytes.set(new TextEncoder().encode('NTFS    '), 3);
    view.setUint16(0x0b, 512, true);
    view.setUint8(0x0d, 8);
    view.setBigUint64(0x28, 2047n, true);
    view.setBigUint64(0x30, 4n, true);
    view.setInt8(0x40, -10);
    change(view);
    return bytes;
  };

  it('reads the two odd ways to write a size', () => {
    expect(parseNtfsBoot(boot((view) => view.setUint8(0x0d, 0xf4)))).toBeNull(); // 4,096 sectors a cluster: more than the volume
    expect(parseNtfsBoot(boot(() => {}))).toMatchObject({
      clusterSize: 4096,
      recordSize: 1024,
      clusters: 255,
    });
    expect(parseNtfsBoot(boot((view) => view.setInt8(0x40, 1)))).toMatchObject({ recordSize: 4096 });
  });

  it.each([
    ['no sectors', (view: DataView) => view.setBigUint64(0x28, 0n, true)],
    ['a $MFT outside', (view: DataView) => view.setBigUint64(0x30, 99999n, true)],
    ['three sectors a cluster', (view: DataView) => view.setUint8(0x0d, 3)],
    ['a volume larger than its partition', (view: DataView) => view.setBigUint64(0x28, 4096n, true)],
    ['an empty $MFT', () => {}],
  ])('are refused with a reason: %s', async (_, change) => {
    const bytes = boot(change);
    await expect(readNtfs(makeBytesSource(bytes), bytes.subarray(0, 512))).rejects.toBeInstanceOf(NtfsDamage);
  });
});
