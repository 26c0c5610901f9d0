import { planRoutes } from './answer';
import type { RoutesRequest } from './request';

/** The fewest bytes copied that a size takes, over the kits asked for; null: it is out of reach. */
export interface EffortPoint {
  size: number;
  bytes: number | null;
  /** Title of the route that copies the fewest. */
  title: string;
}

/** Few skeletons are enough: the cheapest route is mostly among the short ones. */
const NODES = 120;

/**
 * The least effort for every size, for a chart: of routes of up to 6 steps, so a size that takes more of them may
 * show more bytes than the full search finds for it.
 */
export function computeEffortBySize(
  request: RoutesRequest,
  sizes: readonly number[],
  progress?: (share: number, kit: string) => void,
): EffortPoint[] {
  return sizes.map((size, i) => {
    progress?.(i / sizes.length, '');
    const { partition } = request.goal;
    const answer = planRoutes(
      { ...request, goal: { partition, size }, prefer: 'quick' },
      { nodes: NODES, milliseconds: 1000, steps: 6 },
    );
    const best = answer.ok ? answer.value.routes[0] : undefined;
    return { size, bytes: best?.totals.bytesCopied ?? null, title: best?.title ?? '' };
  });
}

/** Jumps of the effort: sizes up to which what is needed stays of one kind. */
export function breakPoints(points: readonly EffortPoint[]): EffortPoint[] {
  return points.filter((point, i) => {
    const next = points[i + 1];
    return point.bytes !== null && next !== undefined && next.title !== point.title;
  });
}
