import type { ClusterRun } from '../../volumes/ntfs/runs';
import type { SectorEdits } from '../sectorEdits';
import { applyEdits, type BitEdit } from './bitmapPlan';

/** Bytes of a map that are changed as one. */
const UNIT = 512;

/** A stream with clusters of its own, on a device. */
export interface OnDevice {
  runs: readonly ClusterRun[];
  clusterSize: number;
  /** Byte of the device where the volume begins. */
  base: number;
}

/** Places of a range of a stream on the device; holes have none. */
export function placesOf(
  { runs, clusterSize, base }: OnDevice,
  from: number,
  to: number,
): { offset: number; length: number }[] {
  return runs.flatMap(({ vcn, lcn, clusters }) => {
    const first = Math.max(from, vcn * clusterSize);
    const end = Math.min(to, (vcn + clusters) * clusterSize);
    return lcn !== null && end > first
      ? [{ offset: base + lcn * clusterSize + first - vcn * clusterSize, length: end - first }]
      : [];
  });
}

/** Writes bytes of a stream to where it lies. */
export async function writeStream(
  stream: OnDevice,
  at: number,
  bytes: Uint8Array,
  write: (offset: number, bytes: Uint8Array) => Promise<void>,
): Promise<void> {
  let done = 0;
  for (const { offset, length } of placesOf(stream, at, at + bytes.length)) {
    await write(offset, bytes.subarray(done, done + length));
    done += length;
  }
}

/** Sets and clears bits of a map that is a stream. */
export async function editBits(
  sectorEdits: SectorEdits,
  map: OnDevice,
  edits: readonly BitEdit[],
): Promise<void> {
  const byUnit = new Map<number, BitEdit[]>();
  for (const edit of edits) {
    if (edit.count === 0) continue;
    const last = Math.floor((edit.first + edit.count - 1) / 8 / UNIT);
    for (let unit = Math.floor(edit.first / 8 / UNIT); unit <= last; unit++) {
      const known = byUnit.get(unit);
      if (known) known.push(edit);
      else byUnit.set(unit, [edit]);
    }
  }
  for (const [unit, mine] of byUnit) {
    for (const { offset, length } of placesOf(map, unit * UNIT, (unit + 1) * UNIT)) {
      const bytes = await sectorEdits.read(offset, length);
      applyEdits(bytes, 8 * unit * UNIT, mine);
      await sectorEdits.write(offset, bytes);
    }
  }
}
