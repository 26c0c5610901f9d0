import { error, type RequestHandler } from '@sveltejs/kit';
import { COLLECTOR } from '$lib/server/collector';

/** The collecting script for download, under its own name. */
export const GET: RequestHandler = ({ params }) => {
  if (params['name'] !== COLLECTOR.name) error(404, { message: 'There is no such script.', hint: '' });
  return new Response(COLLECTOR.text, {
    headers: {
      'content-type': 'text/plain; charset=us-ascii',
      'content-disposition': `attachment; filename="${COLLECTOR.name}"`,
    },
  });
};
