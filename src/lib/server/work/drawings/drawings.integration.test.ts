import { NewDrawingFile } from '$contract/drawings';
import { unwrap } from '$core/problem';
import { createJob } from '../jobs/changeJob';
import { saveSurvey } from '../surveys/saveSurvey';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { applyEdit, type Drawing } from '$core/drawing';
import { clinic } from '$core/test/clinic';
import { change, closeDatabase, database, rows } from '../../store/database/database';
import { createDrawing, deleteDrawing, findDrawing, listDrawings, saveDrawing } from './drawings';
import { migrate } from '../../store/migrate/migrate';
import { checkOf } from '../../platform/validation/schemas';

beforeAll(async () => {
  await migrate();
});
beforeEach(() => change(database(), 'DELETE FROM jobs'));
afterAll(() => closeDatabase());

const empty: Drawing = { kit: 'offline-mover', steps: [] };
const one = applyEdit(empty, { kind: 'add', at: 0, intents: [{ verb: 'set-aside', partition: 4 }] });
const two = applyEdit(one, { kind: 'add', at: 1, intents: [{ verb: 'move', partition: 5, first: 4096 }] });

const newJob = async (): Promise<number> => {
  const job = await createJob('Tern Street Clinic', 'X-ray viewer');
  unwrap(await saveSurvey(job, 1, clinic(), 'document'));
  return job;
};

describe('drawings', () => {
  it('keep every state, go back without losing what was undone, and drop it once something else is drawn', async () => {
    const job = await newJob();
    const id = unwrap(await createDrawing(job, 'My own “Schritte” 🥐', [empty], 0));
    const first = { edition: 1, keep: 1, add: [one, two], position: 2 };
    expect(unwrap(await saveDrawing(job, id, first))).toBe(2);
    const second = { edition: 2, keep: 3, add: [], position: 1, told: ['a'] };
    expect(unwrap(await saveDrawing(job, id, second))).toBe(3);
    expect(await findDrawing(job, id)).toMatchObject({
      position: 1,
      edition: 3,
      told: ['a'],
      states: [empty, one, two],
    });
    unwrap(await saveDrawing(job, id, { edition: 3, keep: 2, add: [empty], position: 2, name: 'Other' }));
    expect(await findDrawing(job, id)).toMatchObject({
      name: 'Other',
      told: ['a'],
      states: [empty, one, empty],
    });
    expect(await listDrawings(job)).toMatchObject([
      { id, name: 'Other', kit: 'offline-mover', steps: 0, stale: false },
    ]);
    unwrap(await saveSurvey(job, 2, clinic(), 'document'));
    expect(await listDrawings(job)).toMatchObject([{ stale: true }]);
  });

  it('refuse what was made on an older edition, and change nothing', async () => {
    const job = await newJob();
    const id = unwrap(await createDrawing(job, 'One', [empty], 0));
    unwrap(await saveDrawing(job, id, { edition: 1, keep: 1, add: [one], position: 1 }));
    expect(await saveDrawing(job, id, { edition: 1, keep: 1, add: [two], position: 1 })).toMatchObject({
      problems: [{ code: 'stale-drawing' }],
    });
    expect((await findDrawing(job, id))!.states).toEqual([empty, one]);
    const other = unwrap(await createDrawing(job, 'Two', [empty], 0));
    const saves = [1, 2, 3, 4].map(() =>
      saveDrawing(job, other, { edition: 1, keep: 1, add: [one], position: 1 }),
    );
    expect((await Promise.all(saves)).filter(({ ok }) => ok)).toHaveLength(1);
  });

  it('refuse to keep states that are not there, and are of one job only', async () => {
    const job = await newJob();
    const id = unwrap(await createDrawing(job, 'One', [empty], 0));
    const save = { edition: 1, keep: 5, add: [], position: 0 };
    expect(await saveDrawing(job, id, save)).toMatchObject({ problems: [{ code: 'no-drawing' }] });
    expect(await saveDrawing(job, id, { ...save, keep: 0 })).toMatchObject({
      problems: [{ code: 'no-drawing' }],
    });
    const other = await newJob();
    expect(await findDrawing(other, id)).toBeNull();
    expect(await deleteDrawing(other, id)).toMatchObject({ problems: [{ code: 'no-drawing' }] });
    unwrap(await deleteDrawing(job, id));
    expect(await rows(database(), 'SELECT * FROM drawing_states WHERE drawing_id = ?', [id])).toEqual([]);
  });

  it.each([
    [{ verb: 'melt', partition: 1 }, '/states/0/steps/0/intent/verb'],
    [{ verb: 'move', partition: 1 }, '/states/0/steps/0/intent'],
    [{ verb: 'shrink', partition: 1, to: { first: 0, sectors: 0 } }, '/states/0/steps/0/intent/to/sectors'],
    [{ verb: 'copy', partition: 1, into: {} }, '/states/0/steps/0/intent/into'],
  ])('refuse the intent %j', (intent, path) => {
    const body = {
      name: 'x',
      states: [{ kit: 'windows-only', steps: [{ id: 's1', intent, tool: null, off: false }] }],
      position: 0,
    };
    const check = checkOf(NewDrawingFile);
    expect(check(body)).toBe(false);
    expect(check.errors!.map((error) => error.instancePath)).toContain(path);
  });
});
