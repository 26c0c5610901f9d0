import { diagnose } from '$core/diagnosis';
import { planRoutes } from '$core/planning';
import { benchSurvey } from './disks';

export interface Timing {
  name: string;
  median: number;
  p95: number;
  runs: number;
  aim: number | null;
}

/** Milliseconds for `work`, median and 95th percentile, after a tenth of the runs as warm-up. */
function time(name: string, runs: number, aim: number | null, work: () => void): Timing {
  for (let i = 0; i < Math.max(1, runs / 10); i++) work();
  const times = Array.from({ length: runs }, () => {
    const began = performance.now();
    work();
    return performance.now() - began;
  }).sort((a, b) => a - b);
  return { name, median: times[Math.floor(runs / 2)]!, p95: times[Math.floor(runs * 0.95)]!, runs, aim };
}

/** A search that does not come to its end takes up to 2 seconds, so not many. */
const RUNS = 5;

const AIMS: Record<number, number> = { 6: 30, 12: 100, 20: 300, 128: 2000 };
/** For the first route alone, which pushes aside what is in the way and keeps the order. */
const FIRST_AIMS: Record<number, number> = { 6: 5, 20: 20, 128: 200 };

/** A goal that takes a quarter of what there is, all three kits, on disks of four sizes; and the diagnosis. */
export function plannerTimings(): Timing[] {
  return [6, 12, 20, 128].flatMap((count) => {
    const survey = benchSurvey(count);
    const ask = (size: number) => {
      const answer = planRoutes({ survey, disk: 0, goal: { partition: 2, size } });
      if (!answer.ok || !answer.value.reached) throw new Error('the bench disk has no route');
      return answer.value;
    };
    const now = 100_000 * 2 ** 20;
    const { largest } = ask(now + 2 ** 30);
    const quarter = Math.round((now * 3 + largest) / 4 / 2 ** 20) * 2 ** 20;
    const adjacent = now + 300 * 2 ** 20;
    const first = () => {
      const goal = { partition: 2, size: quarter };
      planRoutes({ survey, disk: 0, goal, kits: ['offline-mover'] }, { nodes: 0 });
    };
    return [
      time(`first route alone, ${count} partitions`, 100, FIRST_AIMS[count] ?? null, first),
      time(`300 MiB more, ${count} partitions`, RUNS, AIMS[count]!, () => ask(adjacent)),
      time(`a quarter of the room, ${count} partitions`, RUNS, AIMS[count]!, () => ask(quarter)),
      time(`diagnosis, ${count} partitions`, 40, count === 128 ? 5 : null, () => {
        diagnose({ survey, disk: 0, partition: 2 });
      }),
    ];
  });
}
