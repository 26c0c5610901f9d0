import type { RequestHandler } from '@sveltejs/kit';
import { toMarkdown } from '$core/worksheet';
import { file } from '$lib/server/file';
import { onPaper } from '$lib/server/onSheet';

/** The work sheet as Markdown. */
export const GET: RequestHandler = ({ params, url }) =>
  onPaper(params, url, async (sheet, heading) => {
    const text = toMarkdown(sheet.document, {
      ...heading,
      made: heading.made.toISOString().slice(0, 10),
    });
    return file(text, 'text/markdown; charset=utf-8', `work-sheet-${heading.job}.md`, 'attachment');
  });
