import { redirect } from '@sveltejs/kit';
import { listRehearsals, proofOf } from '$lib/server/work/rehearsals/rehearsals';
import type { PageServerLoad } from './$types';

/** The chosen route, its newest rehearsal, and what came of it. */
export const load: PageServerLoad = async ({ parent, params }) => {
  const { job } = await parent();
  if (!job.survey || !job.target) redirect(307, `/jobs/${params.number}/survey`);
  if (!job.goal || !job.answer?.routes[0]) redirect(307, `/jobs/${params.number}/target`);
  const rehearsals = await listRehearsals(job.number, 12);
  const newest = rehearsals[0] ?? null;
  const proof = newest?.verdict ? await proofOf(job.number, newest.id) : null;
  const earlier = rehearsals.map(({ id, state, verdict, createdAt, who, current, progress }) => ({
    id,
    state,
    verdict,
    createdAt,
    who,
    current,
    cuts: progress.cuts,
  }));
  return { newest, proof, earlier };
};
