import { forgetConfig } from '../../platform/settings/config';
import { createJob } from '../../work/jobs/changeJob';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { closeDatabase } from '../../store/database/database';
import { migrate } from '../../store/migrate/migrate';
import { canWork, checkReadiness } from './readiness';

beforeAll(async () => {
  await migrate();
});
afterAll(() => closeDatabase());
const YEAR = 365 * 86_400_000;

describe('whether the server can work', () => {
  it('is told of database, disk, clock and certificate', async () => {
    const found = await checkReadiness();
    expect(found).toMatchObject({ database: null, clock: null, certificate: null });
    expect(await canWork(found)).toBe(true);
  });

  it.each([
    ['behind', -YEAR],
    ['ahead', YEAR],
  ])('has a sentence for a clock that is a year %s, and works all the same', async (_, ms) => {
    const found = await checkReadiness(new Date(Date.now() + ms));
    expect(found.clock).toMatch(/^The clock of this server says 20\d\d-.*Set the one that is wrong\.$/);
    expect(await canWork(found)).toBe(true);
  });

  it('sees that something was done in the future, where both clocks are late', async () => {
    const { change, database } = await import('../../store/database/database');
    await createJob('Salt Pan Library', 'clock');
    await change(
      database(),
      `INSERT INTO history (job_id, at, who, what, kind, seal)
       SELECT MAX(id), UTC_TIMESTAMP(3) + INTERVAL 1 YEAR, '', 'from a clock that was ahead', 'plain', REPEAT('0', 64) FROM jobs`,
    );
    expect((await checkReadiness()).clock).toMatch(/yet something was done on .* already\. Set the clock/);
    await change(database(), 'DELETE FROM jobs');
    expect((await checkReadiness()).clock).toBeNull();
  });

  it('is not, without the database', async () => {
    const own = process.env['DATABASE_URL'];
    await closeDatabase();
    process.env['DATABASE_URL'] = 'mysql://nobody:x@127.0.0.1:9/none';
    forgetConfig();
    try {
      const found = await checkReadiness();
      expect(found.database).toMatch(/^The database does not answer/);
      expect(await canWork(found)).toBe(false);
    } finally {
      await closeDatabase();
      if (own !== undefined) process.env['DATABASE_URL'] = own;
      forgetConfig();
    }
  });
});
