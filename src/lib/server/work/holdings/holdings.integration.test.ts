import { readSurveyTask } from './weigh';
import { unwrap } from '$core/problem';
import { createJob } from '../jobs/changeJob';
import { findWholeJob } from '../jobs/findJob';
import { saveSurvey } from '../surveys/saveSurvey';
import { saveTarget } from '../surveys/target';
import type { Job } from '$contract/jobs';
import { readFileSync } from 'node:fs';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { Holdings } from '$core/holdings';
import type { SurveyDocument } from '$core/survey';
import { clinic } from '$core/test/clinic';
import { clinicHoldings as filled } from '$core/test/clinicHoldings';
import { GIB } from '$core/units';
import { change, closeDatabase, database, rows } from '../../store/database/database';
import { fillingsOf } from '../surveys/fillings';
import { readHoldingsDocument, saveChoices, saveHoldings, weighed } from './holdings';
import { EVERY_JOB, listJobs } from '../jobs/jobList';
import { findEarlierJobs } from '../surveys/machines';
import { migrate } from '../../store/migrate/migrate';

beforeAll(async () => {
  await migrate();
});
beforeEach(() => change(database(), 'DELETE FROM jobs'));
afterAll(() => closeDatabase());

const windows = clinic().disks[0]!.partitions.find(({ letter }) => letter === 'C')!;
const archive = clinic().disks[0]!.partitions.find(({ letter }) => letter === 'D')!;
const weigh = async (survey: SurveyDocument, holdings = filled()) => {
  const found = await weighed(survey, holdings);
  if (!found.ok) throw new Error(found.problems[0]!.message);
  return found.value;
};
async function newJob(survey = clinic(), holdings: Holdings | null = null): Promise<Job> {
  const number = await createJob('Tern Street Clinic', 'X-ray viewer');
  const kept = holdings ? { holdings: await weigh(survey, holdings) } : {};
  unwrap(await saveSurvey(number, 1, survey, 'document', kept));
  return (await findWholeJob(number))!;
}

describe('what fills a survey’s volumes', () => {
  it('is kept with the survey, or given to it later, with what can go', async () => {
    const both = await newJob(clinic(), filled());
    const [found] = both.holdings!.found;
    expect(found).toMatchObject({
      disk: 0,
      partition: windows.number,
      goes: [{ id: 'earlier-windows', bytes: 20 * GIB }],
    });
    const later = await newJob();
    expect(later.holdings).toBeNull();
    const version = unwrap(
      await saveHoldings(later.number, later.version, later.survey!.id, await weigh(clinic())),
    );
    const job = (await findWholeJob(later.number))!;
    expect([job.version, job.holdings!.found]).toEqual([version, both.holdings!.found]);
    expect(JSON.parse((await readHoldingsDocument(job.survey!.id))!)).toEqual(filled());
  });

  it.each<[string, string, (one: Holdings) => void]>([
    [
      'another machine’s volume',
      'not-there',
      ({ volumes }) => Object.assign(volumes[0]!, { letter: 'X', partition: 99 }),
    ],
    ['another size', 'other-size', ({ volumes }) => (volumes[0]!.size += 4096)],
    ['more in use than there is', 'used', ({ volumes }) => (volumes[0]!.used = volumes[0]!.size + 1)],
    ['a folder before the one it lies in', 'order', ({ volumes }) => (volumes[0]!.folders[2]!.in = 3)],
    ['a folder in itself', 'order', ({ volumes }) => (volumes[0]!.folders[2]!.in = 2)],
    [
      'folders that hold more than the one around them',
      'sum',
      ({ volumes }) => (volumes[0]!.folders[0]!.bytes = 5),
    ],
    [
      'a file in no folder',
      'order',
      ({ volumes }) =>
        volumes[0]!.files.push({ in: 77, name: 'x', bytes: 1, created: null, changed: null, opened: null }),
    ],
    ['a volume twice', 'twice', ({ volumes }) => volumes.push(volumes[0]!)],
    [
      'a volume by its letter and again by its number',
      'twice',
      ({ volumes }) => {
        const byNumber = structuredClone(volumes[0]!);
        delete byNumber.letter;
        volumes[0]!.partition = 99;
        volumes.push(byNumber);
      },
    ],
    [
      'another time, when much less was in use',
      'other-use',
      ({ volumes }) => {
        const most = volumes[0]!.size / 8;
        volumes[0]!.used -= most;
        for (const folder of volumes[0]!.folders) folder.bytes = 0;
        volumes[0]!.files = [];
      },
    ],
    [
      'folders in each other without end',
      'deep',
      ({ volumes }) => {
        for (let n = 0; n < 400; n++)
          volumes[0]!.folders.push({
            in: volumes[0]!.folders.length - 1,
            name: 'x',
            bytes: 0,
            files: 0,
            newest: null,
          });
      },
    ],
  ])('is refused where it can’t be right: %s', async (_, code, spoil) => {
    const holdings = filled();
    spoil(holdings);
    const found = await weighed(clinic(), holdings);
    expect(found.ok ? [] : found.problems.map((one) => one.code)).toContain(code);
  });

  it('goes by the letter where the numbers differ, since two programs may count partitions differently', async () => {
    const [found] = (await weigh(clinic(), filled({ disk: 3, partition: 77 }))).found;
    expect(found).toMatchObject({ disk: 0, partition: windows.number });
  });

  it('is taken over by a survey that only says more of the same machine, and not by one that found it otherwise', async () => {
    const job = await newJob(clinic(), filled());
    const choices = [{ disk: 0, partition: windows.number, goes: ['earlier-windows'], moves: [] }];
    await saveChoices(job, job.version, choices);
    const document = (await readHoldingsDocument(job.survey!.id))!;
    /** What the next survey takes over, as its body is read. */
    const takenOver = async (survey: SurveyDocument) => {
      const bytes = new TextEncoder().encode(JSON.stringify({ version: 1, source: 'document', survey }));
      const read = unwrap(
        await readSurveyTask.run(
          { bytes, earlier: { document, choices } },
          () => false,
          () => {},
        ),
      );
      return read.holdings && { holdings: read.holdings, choices: read.choices };
    };
    const corrected = clinic();
    corrected.machine.onBattery = true;
    const same = await takenOver(corrected);
    expect(same).toMatchObject({ choices });
    const other = clinic();
    other.disks[0]!.partitions.find(({ letter }) => letter === 'C')!.volume!.used! -= GIB;
    expect(await takenOver(other)).toBeNull();
    const larger = clinic();
    larger.disks[0]!.partitions = larger.disks[0]!.partitions.filter(({ letter }) => letter !== 'C');
    expect(await takenOver(larger)).toBeNull();
  });
});

describe('what is chosen to go', () => {
  const choose = (
    goes: string[],
    moves: { path: string; to: { disk: number; partition: number } }[] = [],
    partition = windows.number,
  ) => [{ disk: 0, partition, goes, moves }];
  const PICTURES = '\\Users\\ida\\Pictures';

  it('is kept, and stands in the history', async () => {
    const job = await newJob(clinic(), filled());
    const to = { disk: 0, partition: archive.number };
    const choices = choose(['earlier-windows'], [{ path: PICTURES, to }]);
    expect(await saveChoices(job, job.version, choices)).toEqual({ ok: true, value: job.version + 1 });
    expect((await findWholeJob(job.number))!.holdings!.choices).toEqual(choices);
    const [entry] = await rows<{ what: string }>(
      database(),
      'SELECT what FROM history ORDER BY id DESC LIMIT 1',
    );
    expect(entry!.what).toBe('Chosen to go first: 1 kind of files with 20.0 GiB; to move: 1 folder.');
  });

  it.each<[string, string, ReturnType<typeof choose>]>([
    ['what was not found', 'not-found', choose(['hibernation'])],
    [
      'a folder that can’t move',
      'not-found',
      choose([], [{ path: '\\Windows', to: { disk: 0, partition: archive.number } }]),
    ],
    [
      'to where it is',
      'no-place',
      choose([], [{ path: PICTURES, to: { disk: 0, partition: windows.number } }]),
    ],
    ['to nowhere', 'no-place', choose([], [{ path: PICTURES, to: { disk: 5, partition: 1 } }])],
    ['a volume of which nothing is known', 'no-volume', choose([], [], archive.number)],
  ])('is refused: %s', async (_, code, choices) => {
    const job = await newJob(clinic(), filled());
    const saved = await saveChoices(job, job.version, choices);
    expect(saved.ok ? [] : saved.problems.map((one) => one.code)).toEqual([code]);
    expect((await findWholeJob(job.number))!.holdings!.choices).toEqual([]);
  });

  it('is refused where more would move than there is room for', async () => {
    const survey = clinic();
    const donor = survey.disks[0]!.partitions.find(({ letter }) => letter === 'D')!.volume!;
    donor.used = donor.size - 8 * GIB;
    const job = await newJob(survey, filled());
    const saved = await saveChoices(
      job,
      job.version,
      choose([], [{ path: PICTURES, to: { disk: 0, partition: archive.number } }]),
    );
    expect(saved).toMatchObject({
      ok: false,
      problems: [{ code: 'no-room', path: '/choices/0/moves/0/to' }],
    });
  });
});

describe('a machine that comes back', () => {
  const later = (
    months: number,
    used: number,
    change: (survey: SurveyDocument) => void = () => {},
  ): SurveyDocument => {
    const survey = clinic();
    survey.takenAt = new Date(Date.parse(survey.takenAt) + months * 30 * 86_400_000).toISOString();
    survey.disks[0]!.partitions.find(({ letter }) => letter === 'C')!.volume!.used = used * GIB;
    change(survey);
    return survey;
  };
  const usedOf = async (survey: SurveyDocument): Promise<number[]> =>
    (await fillingsOf(database(), survey, 0))
      .filter(({ partition }) => partition === windows.number)
      .map(({ used }) => used / GIB);

  it('is known by the GUID and serial number of its disk, in whatever job', async () => {
    const first = await newJob(later(0, 90));
    await newJob(later(3, 95));
    await newJob(later(2, 50, ({ disks }) => (disks[0]!.serial = 'GT-OTHER')));
    await newJob(later(2, 40, ({ disks }) => (disks[0]!.id = 'AAAAAAAA-0000-4000-8000-000000000000')));
    const back = await newJob(later(6, 101));
    expect(await usedOf(back.survey!.document)).toEqual([90, 95, 101]);
    const listed = (await listJobs(EVERY_JOB)).jobs;
    expect(listed.find(({ number }) => number === back.number)!.before).toBe(first.number + 1);
    expect(listed.find(({ number }) => number === first.number)!.before).toBeNull();
    expect((await findEarlierJobs(back.number)).map(({ number }) => number)).toEqual([
      first.number + 1,
      first.number,
    ]);
  });

  it('is known though an image of it tells no serial number, and though its volume grew', async () => {
    await newJob(later(0, 90));
    const grown = later(5, 110, ({ disks }) => {
      disks[0]!.serial = '';
      // The volume was grown, and stands elsewhere among its neighbours.
      disks[0]!.partitions.find(({ letter }) => letter === 'C')!.number = 9;
    });
    await newJob(grown);
    expect(
      (await fillingsOf(database(), grown, 0))
        .filter(({ partition }) => partition === 9)
        .map(({ used }) => used / GIB),
    ).toEqual([90, 110]);
  });

  it('was known before the table was there: the migration says what saving a survey says', async () => {
    const job = await newJob(later(0, 90));
    await newJob(later(1, 91, ({ disks }) => (disks[0]!.serial = '')));
    const number = await createJob('Old Lighthouse Museum', 'kiosk');
    const mbr = later(2, 60, ({ disks }) => {
      Object.assign(disks[0]!, {
        table: 'mbr',
        id: '6f1c22aa',
        partitions: disks[0]!.partitions
          .filter(({ letter }) => letter)
          .map((one) => ({ ...one, type: '0x07', id: null, attributes: null })),
      });
    });
    unwrap(await saveSurvey(number, 1, mbr, 'document'));
    unwrap(await saveTarget(job.number, job.version, { disk: 0, partition: archive.number }));
    const kept = () =>
      Promise.all([
        rows(database(), 'SELECT * FROM fillings ORDER BY survey_id, disk_number, partition_number'),
        rows(database(), 'SELECT id, machine_key FROM jobs ORDER BY id'),
      ]);
    const before = await kept();
    expect(before[0].length).toBeGreaterThan(8);
    await change(database(), 'DELETE FROM fillings');
    await change(database(), 'UPDATE jobs SET machine_key = NULL');
    const sql = readFileSync('migrations/012.do.holdings.sql', 'utf8').split(/;\s*\n/);
    for (const statement of sql.filter((one) => /INSERT IGNORE INTO fillings|UPDATE jobs j/.test(one)))
      await change(database(), statement);
    expect(await kept()).toEqual(before);
  });
});
