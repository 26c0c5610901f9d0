import type { RequestHandler } from '@sveltejs/kit';
import { file } from '$lib/server/file';
import { onPaper } from '$lib/server/onSheet';
import { paperOf } from '$lib/server/paper/pdf';
import { sheetPdf } from '$lib/server/paper/sheetPaper';

/** The work sheet as PDF; `?paper=letter` for Letter, else A4. */
export const GET: RequestHandler = ({ params, url }) =>
  onPaper(params, url, async (sheet, heading) => {
    const pdf = await sheetPdf(sheet.document, heading, paperOf(url));
    return file(pdf, 'application/pdf', `work-sheet-${heading.job}.pdf`, 'inline');
  });
