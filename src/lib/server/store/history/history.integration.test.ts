import { databaseUrl, migrationUrl } from '../../platform/settings/config';
import { unwrap } from '$core/problem';
import { createJob, deleteJob, saveDetails } from '../../work/jobs/changeJob';
import mysql from 'mysql2/promise';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import {
  change,
  closeDatabase,
  readConnectionOptions,
  database,
  rows,
  transaction,
} from '../database/database';
import { migrate } from '../migrate/migrate';
import { runAsPerson } from '../../platform/requester';
import { adoptHistories, historyOf, readWorkshopHistory, withHolds } from './history';

/** Somebody who can write anything to the database: the account that changes tables. */
let keeper: mysql.Connection;

beforeAll(async () => {
  await migrate();
  keeper = await mysql.createConnection(readConnectionOptions(migrationUrl()));
  await keeper.query('DROP TRIGGER IF EXISTS history_is_not_changed');
  await keeper.query('DROP TRIGGER IF EXISTS history_is_not_deleted');
});
beforeEach(() => change(database(), 'DELETE FROM jobs'));
afterAll(async () => {
  const again =
    "BEFORE UPDATE ON history FOR EACH ROW SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'history is not changed'";
  await keeper.query(`CREATE TRIGGER history_is_not_changed ${again}`);
  await keeper.query(
    `CREATE TRIGGER history_is_not_deleted ${again.replace('UPDATE', 'DELETE').replace('changed', 'deleted')}`,
  );
  await keeper.end();
  await closeDatabase();
});

const details = (notes: string) => ({ customer: 'Pinwheel Bakery', machine: 'till', notes, due: null });
async function jobWithHistory(): Promise<number> {
  const number = await createJob('Pinwheel Bakery', 'till');
  for (let version = 1; version <= 4; version++)
    await runAsPerson('Ida', () => saveDetails(number, version, details(`note ${version}`)));
  return number;
}
const idOf = async (number: number): Promise<number> =>
  (await rows<{ id: number }>(database(), 'SELECT id FROM jobs WHERE number = ?', [number]))[0]!.id;
const breach = async (number: number) => (await historyOf(number)).breach;

describe('the history of a job', () => {
  it('is whole as long as nobody writes to the database', async () => {
    const number = await jobWithHistory();
    expect(await breach(number)).toBeNull();
    expect(withHolds(await historyOf(number)).every(({ holds }) => holds)).toBe(true);
  });

  const attacks: [string, string, { at: number | null } | { counted: number }][] = [
    [
      'an entry that was changed',
      "UPDATE history SET what = 'nothing' WHERE job_id = ? ORDER BY id LIMIT 1",
      { at: 0 },
    ],
    ['another name', "UPDATE history SET who = 'Jo' WHERE job_id = ? AND who <> ''", { at: 1 }],
    ['another time', 'UPDATE history SET at = at + INTERVAL 1 SECOND WHERE job_id = ?', { at: 0 }],
    [
      'the last entry cut off',
      'DELETE FROM history WHERE job_id = ? ORDER BY id DESC LIMIT 1',
      { counted: 5 },
    ],
    ['the first entry cut off', 'DELETE FROM history WHERE job_id = ? ORDER BY id LIMIT 1', { at: 0 }],
    ['everything cut off', 'DELETE FROM history WHERE job_id = ?', { counted: 5 }],
    [
      'an entry told to be from elsewhere',
      "UPDATE history SET kind = 'elsewhere' WHERE job_id = ?",
      { at: 0 },
    ],
    [
      'all entries sealed without the key',
      "UPDATE history SET kind = 'plain', seal = SHA2(CONCAT(who, what), 256) WHERE job_id = ?",
      { at: 0 },
    ],
  ];
  it.each(attacks)('shows %s', async (_, sql, found) => {
    const number = await jobWithHistory();
    await keeper.query(sql, [await idOf(number)]);
    expect(await breach(number)).toMatchObject(found);
    // What is done next does not make it whole again.
    unwrap(await saveDetails(number, 5, details('later')));
    expect(await breach(number)).not.toBeNull();
  });

  it('shows a cut even where its length was made to fit, or taken away', async () => {
    const fitted = await jobWithHistory();
    const id = await idOf(fitted);
    await keeper.query('DELETE FROM history WHERE job_id = ? ORDER BY id DESC LIMIT 2', [id]);
    await keeper.query('UPDATE jobs SET history_count = 3 WHERE id = ?', [id]);
    expect(await breach(fitted)).toMatchObject({ counted: 3 });
    await keeper.query('UPDATE jobs SET history_count = NULL, history_seal = NULL WHERE id = ?', [id]);
    expect(await breach(fitted)).not.toBeNull();
    // A start of the server does not take it over as a history of before there was a key.
    await adoptHistories(String(readConnectionOptions(databaseUrl()).database));
    expect(await breach(fitted)).not.toBeNull();
    unwrap(await saveDetails(fitted, 5, details('later')));
    expect(await breach(fitted)).not.toBeNull();
  });

  it('is no other job’s', async () => {
    const [one, two] = [await jobWithHistory(), await jobWithHistory()];
    const [a, b] = [await idOf(one), await idOf(two)];
    await keeper.query('UPDATE history SET job_id = -job_id WHERE job_id = ?', [b]).catch(() => undefined);
    await keeper.query('DELETE FROM history WHERE job_id = ?', [b]);
    await keeper.query(
      'INSERT INTO history (job_id, at, who, what, kind, seal) SELECT ?, at, who, what, kind, seal FROM history WHERE job_id = ? ORDER BY id',
      [b, a],
    );
    expect(await breach(two)).toMatchObject({ at: 0 });
  });

  it('keeps names that were cut in the middle of a character, and its seals with them', async () => {
    const number = await createJob('Pinwheel Bakery', 'till');
    const odd = ['\ud83c', 'Ida 🌊'.repeat(40), `${'x'.repeat(99)}🌊`, ' \u0000 '];
    let version = 1;
    for (const who of odd)
      version = unwrap(await runAsPerson(who, () => saveDetails(number, version, details(who))));
    expect(await breach(number)).toBeNull();
    const { entries } = await historyOf(number);
    expect(entries.every(({ who }) => who.isWellFormed() && [...who].length <= 100)).toBe(true);
  });
});

describe('the history of the bench', () => {
  it('has a line for a job that was deleted, and shows a cut as well', async () => {
    const number = await jobWithHistory();
    await runAsPerson('Ida', () => deleteJob(number, 5));
    const { entries, breach: wrong } = await readWorkshopHistory();
    expect(entries.at(-1)).toMatchObject({
      who: 'Ida',
      what: expect.stringMatching(
        `Job ${number} deleted: Pinwheel Bakery, till. Its history had 5 entries, sealed`,
      ) as string,
    });
    expect(wrong).toBeNull();
    await keeper.query('DROP TRIGGER bench_history_is_not_deleted');
    await keeper.query('CREATE TEMPORARY TABLE kept SELECT * FROM bench_history ORDER BY id DESC LIMIT 1');
    await keeper.query('DELETE FROM bench_history ORDER BY id DESC LIMIT 1');
    expect((await readWorkshopHistory()).breach).not.toBeNull();
    await keeper.query('INSERT INTO bench_history SELECT * FROM kept');
    expect((await readWorkshopHistory()).breach).toBeNull();
    await keeper.query(
      "CREATE TRIGGER bench_history_is_not_deleted BEFORE DELETE ON bench_history FOR EACH ROW SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'history is not deleted'",
    );
  });
});

describe('the account that the server works with', () => {
  it('can neither change tables and triggers, nor read and write files, nor see other databases', async () => {
    const refused = [
      'DROP TRIGGER history_is_not_changed',
      'CREATE TABLE mine (a INT)',
      'ALTER TABLE jobs ADD COLUMN mine INT',
      'DROP TABLE markers',
      "SELECT LOAD_FILE('/etc/passwd') AS text",
      "SELECT 'x' INTO OUTFILE '/tmp/gentle-tide-out.txt'",
      'SELECT * FROM mysql.global_priv',
      'SET GLOBAL max_connections = 1',
      'CREATE USER mine',
    ];
    for (const sql of refused) {
      const answer = await transaction(async (db) => {
        const found = (await db.execute(sql, [])) as unknown as { text?: unknown }[];
        return found[0]?.text ?? 'nothing';
      }).catch(() => 'refused');
      // Without the right to read files the answer is NULL.
      expect([sql, answer === 'nothing' ? 'refused' : answer]).toEqual([sql, 'refused']);
    }
  });

  it('is one of two, and neither is root', async () => {
    const options = readConnectionOptions(databaseUrl());
    for (const user of ['root', '', 'mysql', 'mariadb.sys']) {
      for (const host of ['127.0.0.1', '::1']) {
        const attempt = mysql.createConnection({ ...options, host, user, password: '' });
        await expect(attempt, `${user}@${host}`).rejects.toThrow();
      }
    }
  });
});
