import { config } from '$lib/server/settings/config';
import { shownRoot } from '$lib/server/tls/certificate';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = () => {
  const root = shownRoot(config());
  return {
    origin: config().origin,
    root: root && { fingerprint: root.fingerprint, until: root.until },
  };
};
