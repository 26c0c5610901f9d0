import type { RequestHandler } from '@sveltejs/kit';
import { file } from '$lib/server/file';
import { onPaper } from '$lib/server/onSheet';
import { paperOf } from '$lib/server/paper/paper';
import { aside } from '$lib/server/threads/aside';

/** The work sheet as PDF; `?paper=letter` for Letter, else A4. */
export const GET: RequestHandler = ({ params, url }) =>
  onPaper(params, url, async (sheet, heading) => {
    const pdf = await aside('sheetPdf', { sheet: sheet.document, heading, paper: paperOf(url) });
    return file(pdf, 'application/pdf', `work-sheet-${heading.job}.pdf`, 'inline');
  });
