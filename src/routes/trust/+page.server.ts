import { config } from '$lib/server/platform/settings/config';
import { shownRoot } from '$lib/server/platform/tls/certificate';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = () => {
  const root = shownRoot(config());
  return {
    origin: config().origin,
    root: root && { fingerprint: root.fingerprint, until: root.until },
  };
};
