import type { RequestHandler } from '@sveltejs/kit';
import { problem } from '$lib/server/problem';
import { config } from '$lib/server/settings/config';
import { shownRoot } from '$lib/server/tls/certificate';

/** The root of the workshop's authority, as tablets and computers take it (DER). */
export const GET: RequestHandler = () => {
  const root = shownRoot(config());
  if (!root) return problem(404, 'This workshop has no authority of its own: there is nothing to install.');
  return new Response(new Uint8Array(root.der), {
    headers: {
      'content-type': 'application/x-x509-ca-cert',
      'content-disposition': 'attachment; filename="workshop-root.crt"',
    },
  });
};
