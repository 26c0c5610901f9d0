import { diagnose } from '$core/diagnosis';
import { planRoutes } from '$core/planning';
import { benchSurvey, sidedSurvey } from './disks';

export interface Timing {
  name: string;
  median: number;
  p95: number;
  runs: number;
  aim: number | null;
  /** Runs that stopped early, where that can be. */
  stopped?: number;
}

/** Milliseconds of each run; what it returns counts as a run that stopped early. */
function time(name: string, aim: number | null, runs: readonly (() => boolean | undefined)[]): Timing {
  runs[0]!();
  let stopped = 0;
  const times = runs
    .map((run) => {
      const began = performance.now();
      if (run()) stopped++;
      return performance.now() - began;
    })
    .sort((a, b) => a - b);
  const at = (share: number): number => times[Math.floor((times.length - 1) * share)]!;
  return { name, median: at(0.5), p95: at(0.95), runs: times.length, aim, stopped };
}

/** Disks of each size, some of them packed and some with free room behind. */
const DISKS: Record<number, number> = { 6: 40, 12: 20, 20: 10, 128: 4 };
const AIMS: Record<number, number> = { 6: 30, 12: 100, 20: 300, 128: 2000 };
/** For the first route alone, which pushes aside what is in the way and keeps the order. */
const FIRST_AIMS: Record<number, number> = { 6: 5, 20: 20, 128: 200 };
const MIB = 2 ** 20;
const NOW = 100_000;
const FREE = 30_000;

/** 300 MiB and 8,000 MiB more for Windows, all three kits, on disks of four sizes; and the diagnosis. */
export function plannerTimings(): Timing[] {
  return Object.entries(DISKS).flatMap(([partitions, disks]) => {
    const count = Number(partitions);
    const aim = AIMS[count]!;
    const seeds = Array.from({ length: disks }, (_, i) => i + 1);
    const asks = (free: number, more: number) =>
      seeds.map((seed) => {
        const survey = benchSurvey(count, seed, free);
        const goal = { partition: 2, size: (NOW + more) * MIB };
        return () => {
          const answer = planRoutes({ survey, disk: 0, goal });
          return answer.ok && answer.value.findings.some(({ code }) => code === 'stopped-early');
        };
      });
    const first = seeds.map((seed) => {
      const survey = benchSurvey(count, seed, FREE);
      const goal = { partition: 2, size: (NOW + 8_000) * MIB };
      return () => void planRoutes({ survey, disk: 0, goal, kits: ['offline-mover'] }, { nodes: 0 });
    });
    const diagnoses = seeds.map((seed) => {
      const survey = benchSurvey(count, seed, FREE);
      return () => void diagnose({ survey, disk: 0, partition: 2 });
    });
    const sided = seeds.map((seed) => {
      const survey = sidedSurvey(count, seed);
      return () => void diagnose({ survey, disk: 0, partition: Math.ceil(count / 2) });
    });
    return [
      time(`${count} partitions: first route alone`, FIRST_AIMS[count] ?? null, first),
      time(`${count} partitions, free room behind: 300 MiB more`, aim, asks(FREE, 300)),
      time(`${count} partitions, free room behind: 8,000 MiB more`, aim, asks(FREE, 8_000)),
      time(`${count} partitions, packed: 300 MiB more`, aim, asks(0, 300)),
      time(`${count} partitions, packed: 8,000 MiB more`, aim, asks(0, 8_000)),
      time(`${count} partitions: diagnosis`, count === 128 ? 5 : null, diagnoses),
      time(`${count} partitions, Windows among them: diagnosis`, null, sided),
    ];
  });
}
