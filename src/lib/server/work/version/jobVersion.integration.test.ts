import { refuse } from '$contract/problems';
import { unwrap } from '$core/problem';
import { createJob, saveDetails } from '../jobs/changeJob';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { change, closeDatabase, database, rows, transaction } from '../../store/database/database';
import { historyOf } from '../../store/history/history';
import { withJobVersion } from './jobVersion';
import { listJobs } from '../jobs/jobList';
import { migrate } from '../../store/migrate/migrate';
import { runAsPerson } from '../../platform/requester';

beforeAll(async () => {
  await migrate();
});
beforeEach(() => change(database(), 'DELETE FROM jobs'));
afterAll(() => closeDatabase());

const versionOf = async (number: number): Promise<number> => {
  const [job] = await rows<{ version: number }>(database(), 'SELECT version FROM jobs WHERE number = ?', [
    number,
  ]);
  return job!.version;
};
const details = (notes: string) => ({ customer: 'Pinwheel Bakery', machine: 'till', notes, due: null });

describe('the version of a job', () => {
  it('lets one of many that saved on the same copy through, and tells the others which one is there', async () => {
    const number = await createJob('Pinwheel Bakery', 'till');
    const saves = Array.from({ length: 12 }, (_, i) => saveDetails(number, 1, details(`note ${i}`)));
    const ended = await Promise.all(saves);
    expect(ended.filter(({ ok }) => ok)).toHaveLength(1);
    for (const one of ended)
      if (!one.ok) expect(one.problems).toMatchObject([{ code: 'stale-job', details: { current: 2 } }]);
    expect(await versionOf(number)).toBe(2);
    const [job] = await rows<{ notes: string }>(database(), 'SELECT notes FROM jobs WHERE number = ?', [
      number,
    ]);
    expect(job!.notes).toBe(`note ${ended.findIndex(({ ok }) => ok)}`);
  });

  it('rises by one with each save, and the history has an entry for each, sealed in their order', async () => {
    const number = await createJob('Pinwheel Bakery', 'till');
    for (let version = 1; version <= 5; version++) {
      const saved = unwrap(
        await runAsPerson('Ida', () => saveDetails(number, version, details(`note ${version}`))),
      );
      expect(saved).toBe(version + 1);
    }
    const { entries, breach } = await historyOf(number);
    expect(entries.filter(({ who }) => who === 'Ida')).toHaveLength(5);
    expect(breach).toBeNull();
  });

  it('stays, with everything else, where the work fails halfway', async () => {
    const number = await createJob('Pinwheel Bakery', 'till');
    const before = await historyOf(number);
    const failing = withJobVersion(number, 1, async (db, id) => {
      await change(db, 'UPDATE jobs SET notes = ? WHERE id = ?', ['half', id]);
      throw new Error('the power went');
    });
    await expect(failing).rejects.toThrow('the power went');
    expect(await versionOf(number)).toBe(1);
    expect(await historyOf(number)).toEqual(before);
    const [job] = await rows<{ notes: string }>(database(), 'SELECT notes FROM jobs WHERE number = ?', [
      number,
    ]);
    expect(job!.notes).toBe('');
  });

  it('stays, with everything else, where the work refuses halfway', async () => {
    const number = await createJob('Pinwheel Bakery', 'till');
    const before = await historyOf(number);
    const refused = await withJobVersion(number, 1, async (db, id) => {
      await change(db, 'UPDATE jobs SET notes = ? WHERE id = ?', ['half', id]);
      return refuse('no-partition');
    });
    expect(refused).toMatchObject({ problems: [{ code: 'no-partition' }] });
    expect(await versionOf(number)).toBe(1);
    expect(await historyOf(number)).toEqual(before);
    const [job] = await rows<{ notes: string }>(database(), 'SELECT notes FROM jobs WHERE number = ?', [
      number,
    ]);
    expect(job!.notes).toBe('');
  });

  it('is asked of a job that is there', async () => {
    expect(await saveDetails(99999, 1, details(''))).toMatchObject({ problems: [{ code: 'no-job' }] });
  });

  it('keeps nobody from another job: saves on many at once all get through', async () => {
    const numbers = [];
    for (let i = 0; i < 10; i++) numbers.push(await createJob('Pinwheel Bakery', `till ${i}`));
    const saved = await Promise.all(numbers.map((number) => saveDetails(number, 1, details('x'))));
    expect(saved.map(unwrap)).toEqual(numbers.map(() => 2));
  });
});

describe('a transaction', () => {
  it('that waits for another in a circle is run again, and both are saved whole', async () => {
    const [a, b] = [await createJob('A', 'a'), await createJob('B', 'b')];
    const lock = 'SELECT id FROM jobs WHERE number = ? FOR UPDATE';
    let begun = 0;
    const both = (first: number, second: number, note: string) =>
      transaction(async (db) => {
        await rows(db, lock, [first]);
        // The first time, each holds its own before it asks for the other's.
        for (begun++; begun < 2;) await new Promise((done) => setTimeout(done, 5));
        await rows(db, lock, [second]);
        await change(db, 'UPDATE jobs SET notes = CONCAT(notes, ?) WHERE number IN (?, ?)', [note, a, b]);
      });
    await Promise.all([both(a, b, 'x'), both(b, a, 'y')]);
    const notes = await rows<{ notes: string }>(database(), 'SELECT notes FROM jobs ORDER BY number');
    expect(new Set(notes.map((one) => one.notes)).size).toBe(1);
    expect([...notes[0]!.notes].sort()).toEqual(['x', 'y']);
    expect(begun).toBeGreaterThan(2);
  });
});

describe('the list of jobs', () => {
  it('shows a job that has nothing yet as that', async () => {
    const number = await createJob('Pinwheel Bakery', 'till');
    const [job] = (await listJobs()).jobs;
    expect(job).toMatchObject({
      number,
      stage: 'survey',
      target: null,
      goal: null,
      sheet: null,
      stale: false,
    });
  });
});
