import { call, type Reply } from '$contract/client';
import { applyEdit } from '$core/drawing';
import { isAt, type Choice, type CleanupReport } from '$core/holdings';
import { listOtherWays, type Allows, type WayOut } from '$core/otherWays';
import { taskOf, type GoalOptions, type Workshop } from '$core/planning';
import { unwrap } from '$core/problem';
import type { Intent } from '$core/steps';
import type { SurveyDocument } from '$core/survey';
import { takeFirstCharacters } from '$core/wellFormed';
import { jobDisk } from '$ui/jobDisk';
import { selectKnownKits } from '$ui/workshop';

interface JobFacts {
  survey: { document: SurveyDocument } | null;
  target: { disk: number; partition: number } | null;
  goal: { options: GoalOptions } | null;
  holdings: { found: CleanupReport[]; choices: Choice[] } | null;
}

/** The other ways out of a job's trouble, what fills its target, and the id of the kit that they are drawn with. */
export function otherWaysOf(
  job: JobFacts,
  workshop: Workshop,
  percent: number,
): { ways: WayOut[]; found: CleanupReport | null; kit: string } {
  const { machine, disk, target } = jobDisk(job);
  const { kits: asked, outside, fixed } = job.goal?.options ?? {};
  const kits = selectKnownKits(workshop, asked);
  const task = unwrap(
    taskOf(machine, {
      survey: job.survey!.document,
      disk: disk.number,
      goal: { partition: target.number, max: true },
      keepFree: { percent },
      workshop,
      ...(kits ? { kits } : {}),
      ...(outside ? { outside } : {}),
      ...(fixed ? { fixed } : {}),
    }),
  );
  const kit = task.kits[0]!;
  const place = { disk: disk.number, partition: target.number };
  const found = job.holdings?.found.find((one) => isAt(one, place)) ?? null;
  return { ways: listOtherWays({ task, kit, found }), found, kit: kit.id };
}

/** The Target screen's address with what is to be allowed there. */
export function makeTargetAddress(job: number, { mayJoin, mayConvert, mayConvertTable }: Allows): string {
  const asked = new URLSearchParams();
  if (mayJoin) asked.set('join', mayJoin.join());
  if (mayConvert) asked.set('convert', 'yes');
  if (mayConvertTable) asked.set('table', 'yes');
  return `/jobs/${job}/target?${asked}`;
}

/** What an address asks to be allowed; numbers of no partition that could be joined are passed over. */
export function readAllowances(address: URLSearchParams, joinable: readonly number[]): Allows {
  const mayJoin = (address.get('join') ?? '')
    .split(',')
    .map(Number)
    .filter((number) => joinable.includes(number));
  return {
    ...(mayJoin.length > 0 ? { mayJoin } : {}),
    ...(address.get('convert') === 'yes' ? { mayConvert: true } : {}),
    ...(address.get('table') === 'yes' ? { mayConvertTable: true } : {}),
  };
}

/** Keeps steps as a drawing of a job. */
export const drawSteps = (
  number: number,
  kit: string,
  name: string,
  steps: readonly Intent[],
): Promise<Reply<{ id: number }>> => {
  const drawing = applyEdit({ kit, steps: [] }, { kind: 'add', at: 0, intents: steps });
  const body = { name: takeFirstCharacters(name, 200), states: [drawing], position: 0 };
  return call('POST /jobs/{number}/drawings', { number, body });
};
