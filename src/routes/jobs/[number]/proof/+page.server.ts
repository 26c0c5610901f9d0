import { redirect } from '@sveltejs/kit';
import { COLLECTOR } from '$lib/server/collector';
import { whyStale } from '$lib/server/onSheet';
import { findProofs } from '$lib/server/proofs';
import { reportFor } from '$lib/server/report';
import { findSheet, surveyOf } from '$lib/server/sheets';
import { findSurvey } from '$lib/server/surveys';
import type { PageServerLoad } from './$types';

/** What the newest sheet promised, and what was found of it. */
export const load: PageServerLoad = async ({ parent, params }) => {
  const { job } = await parent();
  const sheet = await findSheet(job.number);
  if (!sheet) redirect(307, `/jobs/${params.number}/sheet`);
  const proofs = await findProofs(sheet.id);
  return {
    sheet: { id: sheet.id, document: sheet.document },
    stale: (await whyStale(job, sheet))?.why ?? null,
    before: await surveyOf(sheet),
    after: proofs.layout ? await findSurvey(job.number, proofs.layout.surveyId) : null,
    proofs,
    report: await reportFor(job),
    collector: { name: COLLECTOR.name },
  };
};
