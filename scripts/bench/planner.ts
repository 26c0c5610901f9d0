import { diagnose } from '$core/diagnosis';
import { planRoutes } from '$core/planning';
import { benchSurvey } from './disks';

export interface Timing {
  name: string;
  median: number;
  p95: number;
  runs: number;
}

const RUNS = 200;

/** Milliseconds for `work`, median and 95th percentile, after a tenth of the runs as warm-up. */
function time(name: string, work: () => void): Timing {
  for (let i = 0; i < RUNS / 10; i++) work();
  const times = Array.from({ length: RUNS }, () => {
    const began = performance.now();
    work();
    return performance.now() - began;
  }).sort((a, b) => a - b);
  return { name, median: times[RUNS / 2]!, p95: times[Math.floor(RUNS * 0.95)]!, runs: RUNS };
}

/** A route half way between the least and the most, and the most itself, on disks of three sizes. */
export function plannerTimings(): Timing[] {
  return [6, 20, 128].flatMap((count) => {
    const survey = benchSurvey(count);
    const ask = (goal: { size: number } | { max: true }) => {
      const answer = planRoutes({
        survey,
        disk: 0,
        goal: { partition: 2, ...goal },
        kits: ['offline-mover'],
      });
      if (!answer.ok || !answer.value.reached) throw new Error('the bench disk has no route');
      return answer.value;
    };
    const now = 100_000 * 2 ** 20;
    const { largest } = ask({ max: true });
    const half = Math.round((now + largest) / 2 / 2 ** 20) * 2 ** 20;
    return [
      time(`route half way, ${count} partitions`, () => ask({ size: half })),
      time(`route to the most, ${count} partitions`, () => ask({ max: true })),
      time(`diagnosis, ${count} partitions`, () => void diagnose({ survey, disk: 0, partition: 2 })),
    ];
  });
}
