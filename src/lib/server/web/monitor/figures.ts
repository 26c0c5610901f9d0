import { collectDefaultMetrics, Gauge, Registry } from 'prom-client';
import { watching } from '../feed/hub';
import { config } from '../../platform/settings/config';
import { showCertificate } from '../../platform/tls/certificate';
import { freeBytes } from '../../platform/diskRoom';

/** The server's figures for a monitor, in Prometheus’ text format. */
export const figures = new Registry();
collectDefaultMetrics({ register: figures, prefix: 'gentle_tide_' });

new Gauge({
  name: 'gentle_tide_watchers',
  help: 'Screens that are told of changes by this server',
  registers: [figures],
  collect() {
    this.set(watching());
  },
});
new Gauge({
  name: 'gentle_tide_data_free_bytes',
  help: 'Bytes that are free where images, keys and backups lie',
  registers: [figures],
  async collect() {
    const free = await freeBytes(config().data);
    if (free !== null) this.set(free);
  },
});
new Gauge({
  name: 'gentle_tide_certificate_seconds_left',
  help: 'Seconds until the certificate that browsers are shown runs out; below zero it has',
  registers: [figures],
  collect() {
    const seen = showCertificate(config());
    if (seen) this.set((seen.until.getTime() - Date.now()) / 1000);
  },
});
