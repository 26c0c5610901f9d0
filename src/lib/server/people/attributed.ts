import type { Tick } from '$core/worksheet';
import { database, rows } from '../store/database/database';
import { requester } from '../platform/requester';

/**
 * Ticks with whoever did them. Where people sign in, that is who is signed in, whatever a browser says; but a tablet
 * that was without the server may send what somebody ticked who was signed in on it before: their name stays, if they
 * ever were.
 */
export async function attributeTicks(ticks: readonly Tick[]): Promise<Tick[]> {
  const { person, who, session } = requester();
  if (!person) return [...ticks];
  const others = [...new Set(ticks.map((tick) => tick.who))].filter((name) => name !== who);
  if (others.length === 0 || !session) return ticks.map((tick) => ({ ...tick, who }));
  const marks = others.map(() => '?').join(', ');
  const here = await rows<{ name: string }>(
    database(),
    `SELECT DISTINCT p.name FROM sessions s JOIN people p ON p.id = s.person_id WHERE s.device_id = ? AND p.name IN (${marks})`,
    [session.device, ...others],
  );
  const known = new Set(here.map(({ name }) => name));
  return ticks.map((tick) => (known.has(tick.who) ? tick : { ...tick, who }));
}
