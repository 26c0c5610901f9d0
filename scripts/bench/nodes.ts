import { planRoutes, type RoutesRequest } from '$core/planning';
import { SITUATIONS } from '$core/planning/test/catalogue/situations';
import { smallCase } from '$core/planning/test/smallDisks';
import { benchSurvey } from './disks';

/** What the searches of a set of disks come to. */
export interface Count {
  skeletons: number;
  /** Searches that gave up: what they would still have looked at is not counted. */
  stopped: number;
  routes: number;
}

/**
 * Skeletons for each kit, as many as the application looks at: what a bound is worth shows in what is found within them
 * as well.
 */
const MOST = 1100;
const SMALL_DISKS = 300;
const MIB = 2 ** 20;

const REQUESTS: Record<string, () => RoutesRequest[]> = {
  catalogue: () => SITUATIONS.map(({ survey, ask }) => ({ survey, disk: 0, ...ask })),
  'made-up': () => Array.from({ length: SMALL_DISKS }, (_, seed) => smallCase(300_000 + seed, 6, 6).request),
  bench: () =>
    [6, 12].flatMap((count) =>
      [1, 2, 3].flatMap((seed) =>
        [0, 30_000].flatMap((free) =>
          [300, 8_000].map((more) => ({
            survey: benchSurvey(count, seed, free),
            disk: 0,
            goal: { partition: 2, size: (100_000 + more) * MIB },
          })),
        ),
      ),
    ),
};

/** Every set of disks, searched to the end where that is not too far. */
export function countNodes(): Record<string, Count> {
  return Object.fromEntries(
    Object.entries(REQUESTS).map(([set, requests]) => {
      const count: Count = { skeletons: 0, stopped: 0, routes: 0 };
      for (const request of requests()) {
        const answer = planRoutes(request, {
          milliseconds: 1e9,
          nodes: MOST,
          counted: (nodes) => (count.skeletons += nodes),
        });
        if (!answer.ok) continue;
        count.routes += answer.value.routes.length;
        count.stopped += answer.value.findings.filter(({ code }) => code === 'stopped-early').length;
      }
      return [set, count];
    }),
  );
}
