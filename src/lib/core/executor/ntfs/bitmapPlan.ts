import type { ClusterRun } from '../../volumes/ntfs/runs';

/** Clusters of `$Bitmap` that change from one value to the other. */
export interface BitEdit {
  first: number;
  count: number;
  bit: 0 | 1;
}

/** Free clusters, as runs in order. */
export interface FreeRun {
  first: number;
  count: number;
}

/** Place of a larger `$Bitmap`. */
export interface BitmapPlace {
  runs: ClusterRun[];
  /** Place elsewhere for the whole of it: its bytes are copied there. */
  moved: boolean;
  edits: BitEdit[];
}

/**
 * Finds room for a `$Bitmap` that needs more clusters: right behind its last run, else for all of it in one piece
 * elsewhere, else for the rest alone. null: there is none.
 *
 * @param clusters clusters that it needs in all
 * @param free free clusters of the volume as it will be, in order
 */
export function placeBitmap(
  runs: readonly ClusterRun[],
  clusters: number,
  free: readonly FreeRun[],
): BitmapPlace | null {
  const last = runs.at(-1);
  if (!last || last.lcn === null) return null;
  const have = last.vcn + last.clusters;
  const more = clusters - have;
  if (more <= 0) return { runs: [...runs], moved: false, edits: [] };
  const behind = last.lcn + last.clusters;
  const next = free.find(({ first, count }) => first <= behind && behind < first + count);
  if (next && next.first + next.count - behind >= more) {
    return {
      runs: [...runs.slice(0, -1), { ...last, clusters: last.clusters + more }],
      moved: false,
      edits: [{ first: behind, count: more, bit: 1 }],
    };
  }
  const whole = free.find(({ count }) => count >= clusters);
  if (whole) {
    const gone = runs.map(({ lcn, clusters: count }): BitEdit => ({ first: lcn!, count, bit: 0 }));
    return {
      runs: [{ vcn: 0, lcn: whole.first, clusters }],
      moved: true,
      edits: [...gone, { first: whole.first, count: clusters, bit: 1 }],
    };
  }
  const rest = free.find(({ count }) => count >= more);
  return rest
    ? {
        runs: [...runs, { vcn: have, lcn: rest.first, clusters: more }],
        moved: false,
        edits: [{ first: rest.first, count: more, bit: 1 }],
      }
    : null;
}

/** Sets the bits of edits in a piece of a bitmap that begins at cluster `from`. */
export function applyEdits(bytes: Uint8Array, from: number, edits: readonly BitEdit[]): void {
  const end = from + 8 * bytes.length;
  for (const { first, count, bit } of edits) {
    for (let at = Math.max(first, from); at < Math.min(first + count, end);) {
      const inPiece = at - from;
      if ((inPiece & 7) === 0 && at + 8 <= Math.min(first + count, end)) {
        bytes[inPiece >> 3] = bit ? 0xff : 0;
        at += 8;
        continue;
      }
      const mask = 1 << (inPiece & 7);
      bytes[inPiece >> 3] = bit ? bytes[inPiece >> 3]! | mask : bytes[inPiece >> 3]! & ~mask;
      at++;
    }
  }
}
