import { findStale } from '$lib/server/work/sheets/staleSheet';
import { redirect } from '@sveltejs/kit';
import { findSheet, listSheets } from '$lib/server/work/sheets/sheets';
import type { PageServerLoad } from './$types';

/** The newest sheet of the job, or an earlier one by `?sheet=`; without any, what one would be made of. */
export const load: PageServerLoad = async ({ parent, params, url }) => {
  const { job } = await parent();
  if (!job.survey || !job.target) redirect(307, `/jobs/${params.number}/survey`);
  const asked = Number(url.searchParams.get('sheet'));
  const sheet = await findSheet(job.number, Number.isInteger(asked) && asked > 0 ? asked : undefined);
  return {
    sheet,
    sheets: await listSheets(job.number),
    stale: sheet && (await findStale(job, sheet)),
  };
};
