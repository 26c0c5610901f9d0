import { unwrap } from '$core/problem';
import { deleteJob } from './changeJob';
import { findWholeJob } from './findJob';
import { saveSurvey } from '../surveys/saveSurvey';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { clinic } from '$core/test/clinic';
import { change, closeDatabase, database } from '../../store/database/database';
import { exportJob } from '../jobFile/exportJob';
import { listJobs } from './jobList';
import { UnreadableDocument } from '../../store/documents/loadDocument';
import { migrate } from '../../store/migrate/migrate';
import { findSheet } from '../sheets/sheets';
import { withSheet } from '../../test/clinicJob';
import { readWorkshop, saveWorkshop } from '../workshop/workshop';

beforeAll(async () => {
  await migrate();
});
beforeEach(() => change(database(), 'DELETE FROM jobs'));
afterAll(() => closeDatabase());

/** What other releases, or somebody at the database, may have left there. */
const ODD = [
  '{}',
  'null',
  '[]',
  '1',
  '{"disks":[]}',
  '{"__proto__":{"routes":[]}}',
  '{"format":"other","version":9}',
];

describe('what is kept and can’t be shown', () => {
  it.each(ODD)(
    'as a survey (%s) leaves a job that can be given a new one, exported and deleted',
    async (text) => {
      const { number } = await withSheet();
      await change(database(), 'UPDATE surveys SET document = ?', [text]);
      const job = (await findWholeJob(number))!;
      expect(job.survey).toBeNull();
      expect(job.unshown[0]).toMatch(/^The survey can’t be shown: .*[.]$/);
      expect((await listJobs()).total).toBe(1);
      expect((await exportJob(number))!.length).toBeGreaterThan(0);
      const version = unwrap(await saveSurvey(number, job.version, clinic(), 'document'));
      expect((await findWholeJob(number))!).toMatchObject({ unshown: [], survey: { document: clinic() } });
      unwrap(await deleteJob(number, version));
      expect(await findWholeJob(number)).toBeNull();
    },
  );

  it.each(ODD)('as a plan (%s) counts as no plan, and as a goal’s options as no goal', async (text) => {
    const { number } = await withSheet();
    await change(database(), 'UPDATE routes SET document = ?', [text]);
    expect((await findWholeJob(number))!).toMatchObject({
      answer: null,
      goal: {},
      unshown: [expect.stringContaining('The plan can’t be shown')],
    });
    if (text === '{}') return;
    await change(database(), 'UPDATE goals SET options = ?', [text]);
    expect((await findWholeJob(number))!.goal).toBeNull();
    expect((await listJobs()).jobs).toHaveLength(1);
  });

  it.each(ODD)('as a work sheet (%s) is told as such', async (text) => {
    const { number } = await withSheet();
    await change(database(), 'UPDATE sheets SET document = ?', [text]);
    await expect(findSheet(number)).rejects.toBeInstanceOf(UnreadableDocument);
    expect((await exportJob(number))!.length).toBeGreaterThan(0);
  });

  it('as the workshop’s own counts as nothing, and is replaced by the next save', async () => {
    const { version } = await readWorkshop();
    await change(database(), 'UPDATE workshop SET document = ?', ['{"tools":1}']);
    const odd = await readWorkshop();
    expect([odd.workshop, odd.unshown.length]).toEqual([{}, 1]);
    unwrap(await saveWorkshop(version, {}));
    expect(await readWorkshop()).toEqual({ version: version + 1, workshop: {}, unshown: [] });
  });
});
