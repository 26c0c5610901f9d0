import { database, rows } from '../../store/database/database';
import { ENDING } from '../../platform/ending';
import { Seats, findPresent, type Presence } from '../../people/presence';
import { config } from '../../platform/settings/config';

/** Something that was done at the bench. */
export interface WorkshopEvent {
  /** The job; null where it was done in the workshop as a whole: a job deleted or taken over, people. */
  job: number | null;
  /** Its version since then. */
  version: number | null;
  who: string;
  what: string;
}

/** Milliseconds between two looks; the longest that a change of another server takes to appear. */
const LOOK = 600;
/** Looks after which it is asked again whether whoever watches still may. */
const ASK_AGAIN = 5;
/**
 * Ids are given when a transaction begins to write, and show when it ends: one that began earlier may show later. So
 * many ids back are looked at again.
 */
const BACK = 300;
/** Screens and programs of one person that watch at once. */
const MAX_EACH = 16;
/** Most that is told of one entry, and at once. */
const MAX_TEXT = 300;
const MAX_ROWS = 500;

type Teller = (events: readonly WorkshopEvent[]) => void;

interface Watcher extends Presence {
  tell: Teller;
  end: () => void;
  /** Gives the seat back. */
  stand: () => void;
}

/** One table that entries are only added to. */
interface Source {
  newest: string;
  since: string;
  seen: Set<number>;
  high: number;
}

const source = (newest: string, since: string): Source => ({ newest, since, seen: new Set(), high: -1 });
const OF_JOBS = source(
  'SELECT COALESCE(MAX(id), 0) AS id FROM history',
  `SELECT h.id, j.number AS job, j.version, h.who, LEFT(h.what, ${MAX_TEXT}) AS what FROM history h JOIN jobs j ON j.id = h.job_id
    WHERE h.id > ? ORDER BY h.id LIMIT ${MAX_ROWS}`,
);
const OF_WORKSHOP = source(
  'SELECT COALESCE(MAX(id), 0) AS id FROM bench_history',
  `SELECT id, NULL AS job, NULL AS version, who, LEFT(what, ${MAX_TEXT}) AS what FROM bench_history WHERE id > ? ORDER BY id LIMIT ${MAX_ROWS}`,
);

const watchers = new Set<Watcher>();
const seats = new Seats(() => config().watchers, MAX_EACH);
let timer: NodeJS.Timeout | undefined;
let looks = 0;
let looking = false;

process.once(ENDING as 'disconnect', () => {
  for (const watcher of [...watchers]) {
    leave(watcher);
    watcher.end();
  }
});

/** Number of those that watch. */
export const watching = (): number => watchers.size;

/**
 * Tells of everything that is done from now on, by whichever server. It ends with the session or token of whoever
 * watches.
 * @returns what ends it; null: too many watch already, in all or of this person
 */
export function watchWorkshop(presence: Presence, tell: Teller, end: () => void): (() => void) | null {
  const stand = seats.take(presence.person);
  if (!stand) return null;
  const watcher = { ...presence, tell, end, stand };
  watchers.add(watcher);
  if (!timer) {
    for (const one of [OF_JOBS, OF_WORKSHOP]) {
      one.seen.clear();
      one.high = -1;
    }
    timer = setInterval(() => void look(), LOOK);
    void look();
  }
  return () => leave(watcher);
}

function leave(watcher: Watcher): void {
  watcher.stand();
  watchers.delete(watcher);
  if (watchers.size > 0) return;
  clearInterval(timer);
  timer = undefined;
}

async function look(): Promise<void> {
  if (looking) return;
  looking = true;
  try {
    const events = [...(await fresh(OF_JOBS)), ...(await fresh(OF_WORKSHOP))];
    if (events.length > 0) for (const { tell } of watchers) tell(events);
    if (++looks % ASK_AGAIN === 0) await endThoseWhoLeft();
  } catch {
    // The database is away: what was done meanwhile is told once it answers again.
  } finally {
    looking = false;
  }
}

/** New rows of a table since the last look; none at the first look, which only notes where the table ends. */
async function fresh(one: Source): Promise<WorkshopEvent[]> {
  if (one.high < 0) {
    const [row] = await rows<{ id: number }>(database(), one.newest);
    one.high = row?.id ?? 0;
    const known = await rows<{ id: number }>(database(), one.since, [one.high - BACK]);
    one.seen = new Set(known.map(({ id }) => id));
    return [];
  }
  const found = await rows<WorkshopEvent & { id: number }>(database(), one.since, [one.high - BACK]);
  const unseen = found.filter(({ id }) => !one.seen.has(id));
  for (const { id } of unseen) {
    one.seen.add(id);
    one.high = Math.max(one.high, id);
  }
  for (const id of one.seen) if (id <= one.high - BACK) one.seen.delete(id);
  return unseen.map(({ job, version, who, what }) => ({ job, version, who, what }));
}

async function endThoseWhoLeft(): Promise<void> {
  const present = await findPresent([...watchers]);
  for (const watcher of [...watchers]) {
    if (present.has(watcher)) continue;
    leave(watcher);
    watcher.end();
  }
}
