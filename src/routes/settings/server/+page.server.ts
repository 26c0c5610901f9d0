import { renderSVG } from 'uqr';
import { listBackups } from '$lib/server/store/backup/list';
import { freeBytes } from '$lib/server/platform/diskRoom';
import { config } from '$lib/server/platform/settings/config';
import { SETTINGS } from '$lib/server/platform/settings/settings';
import { showCertificate, showRoot } from '$lib/server/platform/tls/certificate';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => {
  const settings = config();
  const root = showRoot(settings);
  const trust = `${settings.origin.replace(/^https:/, 'http:')}/trust`;
  return {
    origin: settings.origin,
    encryption: settings.encryption,
    certificate: showCertificate(settings),
    root: root && {
      fingerprint: root.fingerprint,
      until: root.until,
      address: trust,
      qr: renderSVG(trust, { border: 1 }),
    },
    data: settings.data,
    free: await freeBytes(settings.data),
    backups: await listBackups(settings.backups),
    settings: Object.values(SETTINGS).map(({ name, initial, what, secret }) => {
      const set = process.env[name];
      return { name, what, initial, set: !set ? null : secret ? '(kept out)' : set };
    }),
  };
};
