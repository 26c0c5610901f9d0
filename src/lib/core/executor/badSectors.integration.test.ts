import { createHash } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { slice } from '../images/source';
import { checkNtfs } from './test/checkNtfs';
import { Records } from './proof/ntfsRecords';
import type { MemoryDevice } from './devices/memory';
import { UnreadableDevice } from './test/brokenDevices';
import { prove } from './proof/prove';
import { takeInventory } from './proof/inventory';
import { openRun } from './test/openRun';
import { memoryDisk, StepMaker, type TestDiskSpec } from './test/disks';

const MIB = 2 ** 20;
const [AT, SIZE] = [MIB, 12 * MIB];
const spec: TestDiskSpec = {
  size: 30,
  parts: [
    {
      number: 1,
      at: 1,
      size: 12,
      make: 'ntfs',
      label: 'Worn',
      clusterSize: 4096,
      inside: (into) => writeFileSync(join(into, 'tide.txt'), 'high water\n'.repeat(90_000)),
    },
  ],
};
const newHash = () => {
  const hash = createHash('sha256');
  return { update: (bytes: Uint8Array) => void hash.update(bytes), digest: () => hash.digest('hex') };
};

/**
 * Marks a cluster as bad, as a file check does: in `$Bitmap`, and as a run of `$BadClus:$Bad`, which is the last
 * attribute of its record.
 */
async function markBad(disk: MemoryDevice, cluster: number): Promise<void> {
  const records = await Records.open(slice(disk, AT, SIZE));
  const { geo, mft } = records;
  const bitmap = (await records.read(6))!.attrs.find(({ type }) => type === 0x80)!;
  const byte = AT + bitmap.pieces[0]!.lcn * geo.cluster + (cluster >> 3);
  const sector = (await disk.read(byte - (byte % 512), 512)).slice();
  sector[byte % 512]! |= 1 << (cluster & 7);
  await disk.write(byte - (byte % 512), sector);

  const at = AT + mft[0]!.lcn * geo.cluster + 8 * geo.record;
  const bytes = (await disk.read(at, geo.record)).slice();
  const view = new DataView(bytes.buffer);
  let attr = view.getUint16(0x14, true);
  while (view.getUint32(attr, true) !== 0x80 || bytes[attr + 9] === 0) attr += view.getUint32(attr + 4, true);
  const runs = attr + view.getUint16(attr + 0x20, true);
  const three = (value: number) => [value & 0xff, (value >> 8) & 0xff, value >> 16];
  const pairs = [
    ...[0x03, ...three(cluster)],
    ...[0x31, 1, ...three(cluster)],
    ...[0x03, ...three(geo.clusters - cluster - 1), 0],
  ];
  const length = Math.ceil((runs - attr + pairs.length) / 8) * 8;
  bytes.fill(0, runs, attr + length);
  bytes.set(pairs, runs);
  view.setUint32(attr + 4, length, true);
  view.setUint32(attr + length, 0xffffffff, true);
  view.setUint32(0x18, attr + length + 8, true);
  expect(attr + length + 8).toBeLessThan(510);
  await disk.write(at, bytes);
}

describe('sectors that can’t be read', () => {
  it('and hold nothing are left alone: free ones, and those that the volume counts as bad', async () => {
    const disk = await memoryDisk(spec);
    const { geo } = await Records.open(slice(disk, AT, SIZE));
    const cluster = geo.clusters - 200;
    await markBad(disk, cluster);
    expect(await checkNtfs(slice(disk, AT, SIZE))).toEqual([]);
    const place = (number: number) => ({ offset: AT + number * geo.cluster, length: geo.cluster });
    const worn = new UnreadableDevice(disk, [
      place(cluster),
      place(geo.clusters - 20),
      place(geo.clusters - 300),
    ]);
    const { all: steps } = new StepMaker(spec).move(1, 4);
    for (const extent of ['quick', 'whole'] as const) {
      const options = { newHash, extent, steps, fingerprintAbove: null };
      const before = await takeInventory(worn, { ...options, before: null });
      if (!before.ok) throw new Error(before.problems[0]!.message);
      if (extent === 'quick') continue;
      const run = await openRun({ disk: worn, steps });
      if (!run.ok) throw new Error(run.problems[0]!.message);
      expect(await run.value.forward()).toEqual({ ok: true, value: null });
      const after = await takeInventory(disk, { ...options, before: before.value });
      if (!after.ok) throw new Error(after.problems[0]!.message);
      const { written, relocated, cuts } = run.value.state;
      const takenAt = '2026-12-01T09:00:00Z';
      const proof = prove({
        takenAt,
        steps,
        before: before.value,
        after: after.value,
        written,
        relocated,
        cuts,
      });
      expect(proof).toMatchObject({ verdict: 'proved', partitions: [{ bad: 1, same: true }] });
    }
  });

  it('and are in use stop the run before it begins, with the sector and nothing written', async () => {
    const disk = await memoryDisk(spec);
    const records = await Records.open(slice(disk, AT, SIZE));
    let lcn = 0;
    for await (const rec of records.all(() => {}))
      for (const attr of rec.attrs) if (rec.number >= 24 && attr.size > 900_000) lcn = attr.pieces[0]!.lcn;
    const offset = AT + (lcn + 3) * records.geo.cluster;
    const worn = new UnreadableDevice(disk, [{ offset, length: 512 }]);
    const { all: steps } = new StepMaker(spec).move(1, 4);
    const inventory = await takeInventory(worn, {
      newHash,
      extent: 'quick',
      steps,
      before: null,
      fingerprintAbove: null,
    });
    expect(inventory).toMatchObject({ ok: false, problems: [{ code: 'unreadable' }] });
    expect(inventory.ok ? '' : inventory.problems[0]!.message).toContain(`Sector ${offset / 512}`);
  });
});
