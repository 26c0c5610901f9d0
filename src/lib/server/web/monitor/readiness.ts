import { GIB } from '$core/units';
import { formatSize } from '$core/units';
import { database, rows } from '../../store/database/database';
import { config } from '../../platform/settings/config';
import { findCertificateProblem, showCertificate } from '../../platform/tls/certificate';
import { freeBytes } from '../../platform/diskRoom';

/** Checks of readiness, each with its fault in a sentence; null: all is well. */
export interface Readiness {
  database: string | null;
  disk: string | null;
  clock: string | null;
  certificate: string | null;
}

/** Room below which an owner is told, and room below which the server says that it can't work. */
const LOW = 2 * GIB;
const NONE = 64 * 1024 * 1024;
/**
 * Milliseconds by which clocks of a server and its database may differ, and by which an entry may seem to come from the
 * future.
 */
const CLOCK = 60_000;
const FUTURE = 5 * 60_000;

/** Whether the server can work now. */
export async function checkReadiness(now = new Date()): Promise<Readiness> {
  const [clock, disk] = await Promise.all([clockOf(now), diskOf()]);
  const seen = showCertificate(config());
  return {
    database: clock.database,
    disk,
    clock: clock.clock,
    certificate: seen && findCertificateProblem(seen, now),
  };
}

/** Anything without which nothing can be saved. */
export const canWork = async ({ database }: Readiness): Promise<boolean> => {
  const free = await freeBytes(config().data);
  return database === null && (free === null || free >= NONE);
};

async function diskOf(): Promise<string | null> {
  const free = await freeBytes(config().data);
  if (free === null || free >= LOW) return null;
  return `Only ${formatSize(free)} are free where images and backups lie (${config().data}). Make room: below 64 MiB nothing is taken any more.`;
}

const minutes = (ms: number): string => new Date(ms).toISOString().slice(0, 16).replace('T', ' ');

async function clockOf(now: Date): Promise<{ database: string | null; clock: string | null }> {
  try {
    const [row] = await rows<{ now: string; newest: string | null }>(
      database(),
      `SELECT UTC_TIMESTAMP(3) AS now,
              GREATEST(COALESCE((SELECT at FROM bench_history ORDER BY id DESC LIMIT 1), '1970-01-02'),
                       COALESCE((SELECT at FROM history ORDER BY id DESC LIMIT 1), '1970-01-02')) AS newest`,
    );
    const there = Date.parse(row!.now);
    const newest = new Date(row!.newest ?? 0).getTime();
    const apart = Math.abs(there - now.getTime());
    if (apart > CLOCK)
      return {
        database: null,
        clock: `The clock of this server says ${minutes(now.getTime())} UTC, that of the database ${minutes(there)}. Set the one that is wrong.`,
      };
    if (newest > now.getTime() + FUTURE)
      return {
        database: null,
        clock: `The clock says ${minutes(now.getTime())} UTC, yet something was done on ${minutes(newest)} already. Set the clock: what is done now is dated wrongly.`,
      };
    return { database: null, clock: null };
  } catch (error) {
    return { database: `The database does not answer: ${(error as Error).message}`, clock: null };
  }
}
