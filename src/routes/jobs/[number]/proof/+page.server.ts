import { findStale } from '$lib/server/work/sheets/staleSheet';
import { redirect } from '@sveltejs/kit';
import { COLLECTOR } from '$lib/server/collector';
import { findProofs } from '$lib/server/work/sheets/proofs';
import { reportFor } from '$lib/server/work/sheets/report';
import { findSheet, surveyOf } from '$lib/server/work/sheets/sheets';
import { findSurvey } from '$lib/server/work/surveys/surveys';
import type { PageServerLoad } from './$types';

/** What the newest sheet promised, and what was found of it. */
export const load: PageServerLoad = async ({ parent, params }) => {
  const { job } = await parent();
  const sheet = await findSheet(job.number);
  if (!sheet) redirect(307, `/jobs/${params.number}/sheet`);
  const proofs = await findProofs(sheet.id);
  return {
    sheet: { id: sheet.id, document: sheet.document },
    stale: (await findStale(job, sheet))?.why ?? null,
    before: await surveyOf(sheet),
    after: proofs.layout ? await findSurvey(job.number, proofs.layout.surveyId) : null,
    proofs,
    report: await reportFor(job),
    collector: { name: COLLECTOR.name },
  };
};
