import { failure, success, type Outcome } from '$core/problem';
import { change, rows, transaction } from '../database';
import { record } from '../history/history';
import { locked } from '../jobVersion';
import { findRehearsal, type Rehearsal } from './rehearsals';
import { rehearsalFolder } from './keeper';
import { runName } from './queue';
import { putAsideJournal } from '../bench/beside';
import { siteOf } from './site';
import { ALIVE, type RehearsalState, type RunPlace, type Wish } from './states';

const HELD: Record<Exclude<Wish, 'fast' | 'drive'>, readonly RehearsalState[]> = {
  cut: ['running'],
  pause: ['running'],
  resume: ['paused', 'cut', 'stepped-back'],
  'step-back': ['paused', 'cut'],
  cancel: ALIVE,
  'give-up': ['paused', 'cut', 'stepped-back'],
};

const NOT_NOW: Record<Exclude<Wish, 'fast' | 'drive'>, string> = {
  cut: 'It is not running, so there is no power to cut.',
  pause: 'It is not running, so it can’t be paused.',
  resume: 'It is not stopped, so there is nothing to resume.',
  'step-back': 'It is not stopped within a step, so there is nothing to take back.',
  cancel: 'It has ended already.',
  'give-up': 'Only a run on an image that is stopped can be given up as it lies.',
};

const notNow = (message: string) => failure({ code: 'not-now', path: '', message });

/**
 * Asks something of a rehearsal; whoever runs it does it within a second. Problem code: `not-now`.
 *
 * @returns null where the job has no such rehearsal
 */
export async function wishFor(number: number, id: number, wish: Wish): Promise<Outcome<Rehearsal> | null> {
  const done = await transaction(async (db): Promise<Outcome<null> | null> => {
    const job = await locked(db, number);
    const [row] = await rows<{ state: RehearsalState; place: RunPlace; image: string | null }>(
      db,
      'SELECT state, place, image FROM rehearsals WHERE id = ? AND job_id = ? FOR UPDATE',
      [id, job.id],
    );
    if (!row) return null;
    const set = (columns: string) =>
      change(db, `UPDATE rehearsals SET ${columns}, changed_at = UTC_TIMESTAMP(3) WHERE id = ?`, [id]);
    if (wish === 'fast' || wish === 'drive') {
      if (!ALIVE.includes(row.state)) return notNow(NOT_NOW.cancel);
      await set(`pace = '${wish}'`);
      return success(null);
    }
    if (!HELD[wish].includes(row.state)) return notNow(NOT_NOW[wish]);
    if (wish === 'give-up' && row.place === 'stand-in') return notNow(NOT_NOW[wish]);
    switch (wish) {
      case 'cut':
      case 'pause':
        await set(`wish = '${wish}'`);
        break;
      case 'resume':
        await set("state = 'waiting', next = 'forward', wish = NULL");
        break;
      case 'step-back':
        await set("state = 'waiting', next = 'back', wish = NULL");
        break;
      case 'cancel':
        // Who runs it stops first; what was begun is taken back before its files go.
        if (row.state === 'running') await set("wish = 'cancel'");
        else await set("state = 'waiting', next = 'cancel', wish = NULL");
        break;
      case 'give-up':
        // Nothing is taken back: what something else wrote to the image would be written over.
        await putAsideJournal(siteOf({ id, ...row }, rehearsalFolder()).journal, id);
        await set("state = 'cancelled', wish = NULL, problem = NULL");
    }
    const said = SAID[wish];
    if (said) await record(db, job.id, `${runName(row)}${said}`);
    return success(null);
  });
  if (!done?.ok) return done;
  const rehearsal = await findRehearsal(number, id);
  return rehearsal && success(rehearsal);
}

const SAID: Partial<Record<Wish, string>> = {
  cut: ': the power was cut.',
  resume: ' resumed.',
  'step-back': ': the step is taken back.',
  cancel: ' ended before its time.',
  'give-up': ' given up as it lay. Its journal is kept beside the image.',
};
