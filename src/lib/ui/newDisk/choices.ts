import { applyEdit, follow, type Drawing } from '$core/drawing';
import { bytesOf, type Disk } from '$core/disk';
import { fullRange, growthOf, type FullRange, type Growth } from '$core/forecast';
import { choiceOf, isAt, sumOf, type Choice, type CleanupReport } from '$core/holdings';
import { findBuyable, planOntoDisk, planOnto, withBought } from '$core/newDisk';
import { taskOf, type GoalOptions, type Route, type Task, type Workshop } from '$core/planning';
import { failure, success, type Outcome } from '$core/problem';
import type { SurveyDocument } from '$core/survey';
import { selectKnownKits } from '$ui/workshop';

/** Years that a disk that is bought should last: longer than a size that is asked for on an old one. */
export const YEARS_OF_A_DISK = 3;

export interface DiskJob {
  survey: { document: SurveyDocument } | null;
  target: { disk: number; partition: number } | null;
  goal: { size: number; options: GoalOptions } | null;
  holdings: { found: CleanupReport[]; choices: Choice[] } | null;
}

/** A disk that everything could go to: one of the survey, or one to be bought. */
export interface Candidate {
  id: string;
  /** Number in the survey; null: it is still to be bought. */
  number: number | null;
  gb: number | null;
  /** Bytes that the target has on it; null: nothing can go there, for the reason. */
  size: number | null;
  reason: string;
  full: FullRange | null;
  enough: boolean;
}

/** What is known of going to a larger disk. */
export interface LargerDisks {
  task: Task;
  growth: Growth | null;
  years: number;
  /** Milliseconds since 1970: when the survey was taken. */
  now: number;
  candidates: Candidate[];
}

/** @throws Error where the job has no survey or target: its pages redirect before */
export function listLargerDisks(
  job: DiskJob,
  workshop: Workshop,
  fillings: readonly { partition: number; takenAt: string; used: number }[],
  task: Task,
): LargerDisks {
  const { document } = job.survey!;
  const now = Date.parse(document.takenAt);
  const { target, disk } = task;
  const found = job.holdings?.found.find((one) => isAt(one, { disk: disk.number, partition: target.number }));
  const stays = found && sumOf(found, choiceOf(job.holdings!.choices, found)).stays;
  const used = stays ?? target.volume?.used ?? 0;
  const surveys = fillings
    .filter(({ partition }) => partition === target.number)
    .map(({ takenAt, used: value }) => ({ at: Date.parse(takenAt), value }));
  const growth = growthOf(surveys, found?.rate ?? null);
  const years = Math.max(YEARS_OF_A_DISK, workshop.years ?? 0);
  const least = job.goal?.size ?? bytesOf(disk, target) + 1;
  const bought = findBuyable(task, { now, used, growth, years, least });
  const wanted = bought.find(({ enough }) => enough)?.size ?? Infinity;
  const others = task.machine.disks.filter(({ number }) => number !== disk.number);
  return {
    task,
    growth,
    years,
    now,
    candidates: [
      ...others.map(({ number }): Candidate => {
        const onto = planOntoDisk(task, number);
        const plan = onto.ok ? planOnto(onto.value) : onto;
        const size = plan.ok ? plan.value.size : null;
        return {
          id: `disk-${number}`,
          number,
          gb: null,
          size,
          reason: plan.ok ? '' : plan.problems[0]!.message,
          full: growth && size !== null ? fullRange(used, size, now, growth) : null,
          enough: size !== null && size >= wanted,
        };
      }),
      ...bought.map(({ gb, size, full, enough }): Candidate => ({
        id: `buy-${gb}`,
        number: null,
        gb,
        size,
        reason: '',
        full,
        enough,
      })),
    ],
  };
}

/** The job's task for all there is, with the kits that were asked for. */
export function taskOfJob(job: DiskJob, workshop: Workshop, machine: Task['machine']): Task {
  const kits = selectKnownKits(workshop, job.goal?.options.kits);
  const outcome = taskOf(machine, {
    survey: job.survey!.document,
    disk: job.target!.disk,
    goal: { partition: job.target!.partition, max: true },
    workshop,
    ...(kits ? { kits } : {}),
  });
  if (!outcome.ok) throw new Error(outcome.problems[0]?.message);
  return outcome.value;
}

/** What going to a disk comes to: the drawing that its sheet is made of, the route, and the disk as it is left. */
export interface NewDiskChoice {
  drawing: Drawing;
  route: Route;
  left: Disk;
}

/** Works a candidate out with the first kit that can; or why none can, as the most powerful of them says it. */
export function listGoing(
  task: Task,
  { number, gb }: Candidate,
  sectors: number | null,
): Outcome<NewDiskChoice> {
  const bought = gb === null || sectors === null ? null : withBought(task, sectors);
  const place = bought?.number ?? number!;
  const onto = planOntoDisk(bought?.task ?? task, place);
  const plan = onto.ok ? planOnto(onto.value) : onto;
  if (!onto.ok) return onto;
  if (!plan.ok) return plan;
  let reason = '';
  for (const kit of onto.value.kits) {
    const empty: Drawing = { kit: kit.id, onto: place, steps: [] };
    const drawing = applyEdit(empty, { kind: 'add', at: 0, intents: plan.value.intents });
    const { results, route } = follow(onto.value, kit, drawing);
    const refused = results.find(({ kind }) => kind !== 'done');
    if (refused || !route) {
      reason = refused?.reason ?? '';
      continue;
    }
    const { partitions } = results.at(-1)!.after;
    return success({ drawing, route, left: { ...onto.value.disk, partitions: [...partitions] } });
  }
  return failure({ code: 'no-kit', path: '', message: reason });
}
