import { ALIVE, type RehearsalState, type RunPlace, type Command } from '$contract/rehearsalStates';
import { refuse } from '$contract/problems';
import type { Rehearsal } from '$contract/rehearsals';
import { success, type Outcome } from '$core/problem';
import { change, rows, transaction } from '../../store/database/database';
import { record } from '../../store/history/history';
import { lockJob } from '../version/jobVersion';
import { findRehearsal } from './rehearsals';
import { getRehearsalFolder } from './supervisor';
import { runName } from './queue';
import { putAsideJournal } from '../../executor/beside';
import { siteOf } from './site';

const POSSIBLE_IN: Record<Exclude<Command, 'fast' | 'drive'>, readonly RehearsalState[]> = {
  cut: ['running'],
  pause: ['running'],
  resume: ['paused', 'cut', 'stepped-back'],
  'step-back': ['paused', 'cut'],
  cancel: ALIVE,
  'give-up': ['paused', 'cut', 'stepped-back'],
};

const NOT_NOW: Record<Exclude<Command, 'fast' | 'drive'>, string> = {
  cut: 'It is not running, so there is no power to cut.',
  pause: 'It is not running, so it can’t be paused.',
  resume: 'It is not stopped, so there is nothing to resume.',
  'step-back': 'It is not stopped within a step, so there is nothing to take back.',
  cancel: 'It has ended already.',
  'give-up': 'Only a run on an image that is stopped can be given up as it lies.',
};

/** Gives a rehearsal a command; whoever runs it carries it out within a second. Refusals: `no-rehearsal`, `not-now`. */
export async function commandRehearsal(
  number: number,
  id: number,
  command: Command,
): Promise<Outcome<Rehearsal>> {
  const noRehearsal = refuse('no-rehearsal', { job: number, id });
  const done = await transaction(async (db): Promise<Outcome<null>> => {
    const job = await lockJob(db, number);
    if (!job) return noRehearsal;
    const [row] = await rows<{ state: RehearsalState; place: RunPlace; image: string | null }>(
      db,
      'SELECT state, place, image FROM rehearsals WHERE id = ? AND job_id = ? FOR UPDATE',
      [id, job.id],
    );
    if (!row) return noRehearsal;
    const set = (columns: string) =>
      change(db, `UPDATE rehearsals SET ${columns}, changed_at = UTC_TIMESTAMP(3) WHERE id = ?`, [id]);
    if (command === 'fast' || command === 'drive') {
      if (!ALIVE.includes(row.state)) return refuse('not-now', { why: NOT_NOW.cancel });
      await set(`pace = '${command}'`);
      return success(null);
    }
    if (!POSSIBLE_IN[command].includes(row.state)) return refuse('not-now', { why: NOT_NOW[command] });
    if (command === 'give-up' && row.place === 'stand-in')
      return refuse('not-now', { why: NOT_NOW[command] });
    switch (command) {
      case 'cut':
      case 'pause':
        await set(`wish = '${command}'`);
        break;
      case 'resume':
        await set("state = 'waiting', next = 'forward', wish = NULL");
        break;
      case 'step-back':
        await set("state = 'waiting', next = 'back', wish = NULL");
        break;
      case 'cancel':
        // Its runner stops first; the present step is taken back before its files go.
        if (row.state === 'running') await set("wish = 'cancel'");
        else await set("state = 'waiting', next = 'cancel', wish = NULL");
        break;
      case 'give-up':
        // Nothing is taken back: what something else wrote to the image would be written over.
        await putAsideJournal(siteOf({ id, ...row }, getRehearsalFolder()).journal, id);
        await set("state = 'cancelled', wish = NULL, problem = NULL");
    }
    const said = SAID[command];
    if (said) await record(db, job.id, `${runName(row)}${said}`);
    return success(null);
  });
  if (!done.ok) return done;
  const rehearsal = await findRehearsal(number, id);
  return rehearsal ? success(rehearsal) : noRehearsal;
}

const SAID: Partial<Record<Command, string>> = {
  cut: ': the power was cut.',
  resume: ' resumed.',
  'step-back': ': the step is taken back.',
  cancel: ' ended before its time.',
  'give-up': ' given up as it lay. Its journal is kept beside the image.',
};
