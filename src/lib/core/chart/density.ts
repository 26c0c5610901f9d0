import type { ClusterMap } from '../disk';
import type { Box } from './water';

/** Columns narrower than this can't be told apart. */
const MIN_COLUMN = 2;

/**
 * Where a volume's used clusters lie, as a closed SVG path of columns from the volume's start to its end: a
 * column as high as the box is full, one of height 0 is empty. A single used cluster still shows.
 *
 * @param clusters clusters of the whole volume, above 0
 */
export function drawDensity(map: ClusterMap, clusters: number, box: Box): string {
  const columns = Math.max(1, Math.min(map.used.length, Math.floor(box.width / MIN_COLUMN)));
  const bottom = box.y + box.height;
  const parts: string[] = [];
  for (let column = 0; column < columns; column++) {
    const from = Math.floor((column * map.used.length) / columns);
    const to = Math.max(from + 1, Math.floor(((column + 1) * map.used.length) / columns));
    let used = 0;
    for (let bucket = from; bucket < to; bucket++) used += map.used[bucket]!;
    if (used === 0) continue;
    const room = Math.min(clusters, to * map.clustersPerBucket) - from * map.clustersPerBucket;
    const height = Math.max(1, Math.min(1, used / Math.max(1, room)) * box.height);
    const left = box.x + (column * box.width) / columns;
    const right = box.x + ((column + 1) * box.width) / columns;
    parts.push(`M${r(left)},${r(bottom)} V${r(bottom - height)} H${r(right)} V${r(bottom)} Z`);
  }
  return parts.join(' ');
}

const r = (value: number): number => Math.round(value * 100) / 100;
