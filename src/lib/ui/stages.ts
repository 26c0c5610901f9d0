/** The path of a job as far as it has screens, in order. */
export const STAGES = [
  { id: 'survey', name: 'Survey' },
  { id: 'diagnosis', name: 'Diagnosis' },
  { id: 'target', name: 'Target' },
  { id: 'route', name: 'Route' },
  { id: 'rehearsal', name: 'Rehearsal' },
  { id: 'sheet', name: 'Work sheet' },
  { id: 'proof', name: 'Proof' },
] as const;

/** Those that a job comes through one after the other: it may go to work without a rehearsal. */
export const STOPS = STAGES.filter(
  (one): one is Exclude<(typeof STAGES)[number], { id: 'rehearsal' }> => one.id !== 'rehearsal',
);

export type StageId = (typeof STAGES)[number]['id'];
export type StageState = 'done' | 'open' | 'stale' | 'closed';

/** What each stage of a job is like, from what the job holds. */
export function computeStageStates(job: {
  survey: unknown;
  target: unknown;
  goal: { stale: boolean } | null;
  answer: { reached: boolean } | null;
  rehearsal: { current: boolean; verdict: string | null } | null;
  sheet: { items: number; done: number; current: boolean; verdict: string | null } | null;
}): Record<StageId, StageState> {
  const surveyed = job.survey !== null;
  const targeted = surveyed && job.target !== null;
  const goal: StageState = !targeted ? 'closed' : !job.goal ? 'open' : job.goal.stale ? 'stale' : 'done';
  const route: StageState =
    goal === 'closed' || goal === 'open' ? 'closed' : goal === 'stale' ? 'stale' : 'done';
  const { sheet, rehearsal } = job;
  const open: StageState = route === 'done' && job.answer?.reached ? 'open' : 'closed';
  return {
    survey: surveyed ? 'done' : 'open',
    diagnosis: targeted ? 'done' : 'closed',
    target: goal === 'done' && !job.answer?.reached ? 'open' : goal,
    route: route === 'done' && !job.answer?.reached ? 'closed' : route,
    rehearsal:
      open === 'closed'
        ? route === 'stale'
          ? 'stale'
          : 'closed'
        : rehearsal && !rehearsal.current
          ? 'stale'
          : rehearsal?.verdict === 'proved'
            ? 'done'
            : 'open',
    sheet: !sheet ? open : !sheet.current ? 'stale' : sheet.done === sheet.items ? 'done' : 'open',
    proof: !sheet ? 'closed' : !sheet.current ? 'stale' : sheet.verdict === 'proved' ? 'done' : 'open',
  };
}
