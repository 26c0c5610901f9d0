import type { RequestHandler } from '@sveltejs/kit';
import { refuse } from '$contract/problems';
import { makeProblemResponse } from '$lib/server/web/runner/problemResponse';
import { config } from '$lib/server/platform/settings/config';
import { showRoot } from '$lib/server/platform/tls/certificate';

/** The root of the workshop's authority, as tablets and computers take it (DER). */
export const GET: RequestHandler = () => {
  const root = showRoot(config());
  if (!root) return makeProblemResponse(refuse('no-authority').problems);
  return new Response(new Uint8Array(root.der), {
    headers: {
      'content-type': 'application/x-x509-ca-cert',
      'content-disposition': 'attachment; filename="workshop-root.crt"',
    },
  });
};
