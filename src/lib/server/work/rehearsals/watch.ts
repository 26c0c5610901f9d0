import { ALIVE } from '$contract/rehearsalStates';
import type { Rehearsal } from '$contract/rehearsals';
import { ENDING } from '../../platform/ending';
import { presenceOf, Seats, findPresent } from '../../people/presence';
import { requester } from '../../platform/requester';
import { findRehearsal, markOf } from './rehearsals';

/**
 * Milliseconds between two looks; minutes after which whoever watches has to ask again; how many may watch at once, and
 * of one person.
 */
const LOOK = 1000;
const MINUTES = 15;
/** Looks after which it is asked again whether whoever watches still may. */
const ASK_AGAIN = 4;
const MOST = 24;
const MAX_EACH = 8;
/** Something is said at least this often, so that a connection that is gone is noticed. Milliseconds. */
const QUIET = 15_000;

const seats = new Seats(() => MOST, MAX_EACH);
let ending = false;
process.once(ENDING as 'disconnect', () => (ending = true));

/**
 * A rehearsal as server-sent events: its state at once, and again whenever it has changed, whichever server runs it. It
 * ends with the rehearsal. null: too many watch already.
 */
export function watch(job: number, id: number, gone: AbortSignal): ReadableStream<Uint8Array> | null {
  const presence = presenceOf(requester());
  const stand = seats.take(presence.person);
  if (!stand) return null;
  const text = new TextEncoder();
  let over = false;
  const leave = () => {
    stand();
    over = true;
  };
  gone.addEventListener('abort', leave, { once: true });
  return new ReadableStream({
    async start(controller) {
      const until = Date.now() + MINUTES * 60_000;
      let last = '';
      let same: Rehearsal | null = null;
      let said = 0;
      let looks = 0;
      const say = (words: string) => {
        said = Date.now();
        controller.enqueue(text.encode(words));
      };
      try {
        while (!over && !ending && Date.now() < until) {
          // Whoever was signed out meanwhile sees no more of it.
          if (++looks % ASK_AGAIN === 0 && (await findPresent([presence])).size === 0) break;
          // Whether it changed costs next to nothing to ask; only then is it read whole.
          const mark = await markOf(id);
          const now: Rehearsal | null = mark === last && mark !== '' ? same : await findRehearsal(job, id);
          same = now;
          const told = now ? mark : '';
          if (over) break;
          if (told !== last && now) say(`data: ${JSON.stringify(now)}\n\n`);
          else if (Date.now() - said > QUIET) say(': still here\n\n');
          last = told;
          if (!now || !ALIVE.includes(now.state)) {
            say('event: over\ndata: {}\n\n');
            break;
          }
          await new Promise((done) => setTimeout(done, LOOK));
        }
        if (!over) controller.close();
      } catch (error) {
        if (!over) controller.error(error);
      } finally {
        leave();
      }
    },
    cancel: leave,
  });
}
