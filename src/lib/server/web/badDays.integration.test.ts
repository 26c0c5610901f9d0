import { forgetConfig } from '../platform/settings/config';
import { unwrap } from '$core/problem';
import { createJob, saveDetails } from '../work/jobs/changeJob';
import { findWholeJob } from '../work/jobs/findJob';
import { execFileSync } from 'node:child_process';
import { chmodSync, rmSync } from 'node:fs';
import { resolve } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeFreshFolder } from '$core/executor/test/mounted';
import { startDatabase } from '../../../../scripts/privateDatabase.mjs';
import { withConnection } from '../store/backup/scratch';
import { closeDatabase, database, DatabaseFull, DatabaseReadsOnly, rows } from '../store/database/database';
import { findExpectedFailure } from './runner/failure';
import { migrate } from '../store/migrate/migrate';

/** A database of its own for each kind of bad day, in the place of that of the other tests. */
type Running = Awaited<ReturnType<typeof startDatabase>>;
const [url, keeper] = [process.env['DATABASE_URL'], process.env['MIGRATION_URL']];

async function use({ url: by, keeperUrl }: Running, name: string): Promise<void> {
  await closeDatabase();
  process.env['DATABASE_URL'] = by(name);
  process.env['MIGRATION_URL'] = keeperUrl(name);
  forgetConfig();
}
afterAll(async () => {
  await closeDatabase();
  process.env['DATABASE_URL'] = url;
  process.env['MIGRATION_URL'] = keeper;
  forgetConfig();
});
const caught = (work: Promise<unknown>): Promise<unknown> =>
  work.then(
    () => null,
    (error: unknown) => error,
  );
const details = (notes: string) => ({ customer: 'Salt Pan Library', machine: 'catalogue', notes, due: null });

describe('a database that only reads', () => {
  const folder = makeFreshFolder('replica');
  let running: Running;
  beforeAll(async () => {
    running = await startDatabase(folder, ['replica']);
    await use(running, 'replica');
    await migrate();
    await createJob('Salt Pan Library', 'catalogue');
    await closeDatabase();
    // As if a newer program came to it.
    await withConnection(running.keeperUrl('replica'), (connection) =>
      connection.query('DELETE FROM schema_version WHERE version > 10'),
    );
    await running.stop();
    running = await startDatabase(folder, ['replica'], ['--read-only']);
    await use(running, 'replica');
  });
  afterAll(async () => {
    await closeDatabase();
    await running.stop();
  });

  it('shows what is there, refuses saves in a sentence, and is not migrated', async () => {
    const [job] = await rows<{ number: number }>(database(), 'SELECT number FROM jobs');
    expect(await findWholeJob(job!.number)).toMatchObject({ customer: 'Salt Pan Library' });
    const error = await caught(saveDetails(job!.number, 1, details('note')));
    expect(error).toBeInstanceOf(DatabaseReadsOnly);
    expect(findExpectedFailure(error)).toMatchObject({
      problem: {
        code: 'database-away',
        message: expect.stringMatching(/only reads.*Nothing was saved/) as string,
      },
      retryAfter: 60,
    });
    expect(await findWholeJob(job!.number)).toMatchObject({ version: 1, notes: '' });
    await expect(migrate()).rejects.toThrow(/This database only reads.*Give DATABASE_URL/);
  });
});

/** Only root mounts; elsewhere (a checkout of somebody who is not) there is no small disk to fill. */
describe.skipIf(process.getuid?.() !== 0)('a disk that is full', () => {
  // Not in the checkout: whoever removes that must not find a disk in it.
  const folder = makeFreshFolder('full-database');
  let running: Running;
  beforeAll(async () => {
    chmodSync(folder, 0o755);
    execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=200m', 'tmpfs', folder]);
    running = await startDatabase(
      folder,
      ['full'],
      ['--innodb-log-file-size=16M', '--innodb-data-file-path=ibdata1:12M:autoextend'],
    );
    await use(running, 'full');
    await migrate();
  });
  afterAll(async () => {
    await closeDatabase();
    await running.stop();
    execFileSync('umount', ['--lazy', folder]);
  });

  it('loses nothing that was acknowledged, and says so', async () => {
    const number = await createJob('Salt Pan Library', 'catalogue');
    const filler = resolve(folder, 'filler');
    const free = Number(
      execFileSync('df', ['--output=avail', '-B1', folder], { encoding: 'utf8' }).split('\n')[1],
    );
    execFileSync('dd', ['if=/dev/zero', `of=${filler}`, 'bs=64K', `count=${Math.floor(free / 65536) - 8}`], {
      stdio: 'pipe',
    });
    let version = 1;
    let error: unknown = null;
    for (let i = 0; i < 400 && !error; i++)
      error = await saveDetails(number, version, details(`${i} `.padEnd(15_000, 'x'))).then(
        (saved) => void (version = unwrap(saved)),
        (one: unknown) => one,
      );
    expect(error).toBeInstanceOf(DatabaseFull);
    expect(findExpectedFailure(error)).toMatchObject({
      problem: {
        code: 'database-away',
        message: expect.stringMatching(/disk of the database is full/) as string,
      },
    });
    rmSync(filler);
    const job = await findWholeJob(number);
    expect(job).toMatchObject({ version });
    expect(unwrap(await saveDetails(number, version, details('room again')))).toBe(version + 1);
  });
});
