import { config } from '$lib/server/platform/settings/config';
import { showRoot } from '$lib/server/platform/tls/certificate';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = () => {
  const root = showRoot(config());
  return {
    origin: config().origin,
    root: root && { fingerprint: root.fingerprint, until: root.until },
  };
};
