import { change, database, rows, transaction } from '../database';
import { recordAtBench } from '../history/history';
import { forRequester, requester, type Person } from '../requester';
import { useInvitation, findInvitation } from './invitations';
import { addPerson, keepSecrets, NameTaken } from './people';
import type { Role } from './roles';
import { hashOf, isSecret, passphraseProblem, pinProblem } from './secrets';
import { addDevice, beginSession } from './sessions';
import { countTry, forgetTries, pauseBefore, type Source } from './tries';

/** Where somebody signs in. */
export interface Place {
  /** The device, where somebody signed in on it before. */
  device: number | null;
  /** What its browser says that it is. */
  name: string;
  address: string;
}

/** Signed in: what the cookies hold. */
export interface SignedIn {
  person: Person;
  session: string;
  /** What the device keeps; null where it has it already. */
  device: string | null;
}

/** Why nobody was let in. */
export type Refused =
  | { why: 'wrong' }
  /** Too many wrong tries: `seconds` until the next is taken. */
  | { why: 'wait'; seconds: number }
  /** A PIN is good on devices only that somebody signed in on before. */
  | { why: 'unknown-device' }
  /** The address was used, or is too old. */
  | { why: 'used-up' }
  | { why: 'input'; path: string; message: string };

export type Entered = ({ ok: true } & SignedIn) | { ok: false; refused: Refused };

const no = (refused: Refused): Entered => ({ ok: false, refused });

interface Known {
  id: number;
  name: string;
  role: Role;
  secret: string | null;
}

const sourceOf = (who: string, { device, address }: Place): Source => ({
  who,
  from: device === null ? `address ${address}` : `device ${device}`,
  known: device !== null,
});

/** With name and passphrase, on any device. A name that nobody has is answered like a wrong passphrase, and as slowly. */
export async function byPassphrase(name: string, passphrase: string, place: Place): Promise<Entered> {
  const [found] = await rows<Known>(
    database(),
    'SELECT id, name, role, passphrase AS secret FROM people WHERE name = ? AND left_at IS NULL',
    [name],
  );
  return bySecret(
    found,
    passphrase,
    sourceOf(found ? `${found.id}` : `name ${name.toLowerCase()}`, place),
    place,
  );
}

/** With a PIN, on a device that somebody signed in on before. */
export async function byPin(person: number, pin: string, place: Place): Promise<Entered> {
  if (place.device === null) return no({ why: 'unknown-device' });
  const [found] = await rows<Known>(
    database(),
    'SELECT id, name, role, pin AS secret FROM people WHERE id = ? AND left_at IS NULL',
    [person],
  );
  return bySecret(found, pin, sourceOf(`${person}`, place), place);
}

async function bySecret(
  found: Known | undefined,
  secret: string,
  source: Source,
  place: Place,
): Promise<Entered> {
  const seconds = await pauseBefore(source);
  if (seconds > 0) return no({ why: 'wait', seconds });
  await countTry(source);
  if (!(await isSecret(secret, found?.secret ?? null)) || !found) return no({ why: 'wrong' });
  await forgetTries(source);
  const { id, name, role } = found;
  return transaction(async (db) => enter(db, { id, name, role }, place));
}

async function enter(db: Parameters<typeof beginSession>[0], person: Person, place: Place): Promise<Entered> {
  const fresh = place.device === null ? await addDevice(db, place.name, place.address) : null;
  const session = await beginSession(db, person.id, place.device ?? fresh!.device);
  if (fresh)
    await saidBy(person, () =>
      recordAtBench(db, `Signed in on a new device: ${place.name}, ${place.address}.`),
    );
  return { ok: true, person, session, device: fresh?.token ?? null };
}

const saidBy = <T>(person: Person, work: () => T): T =>
  forRequester({ ...requester(), who: person.name }, work);

/** What somebody chooses who was invited. */
export interface Chosen {
  /** Of the first owner, who has none yet. */
  name?: string | undefined;
  passphrase?: string | undefined;
  pin?: string | undefined;
}

/** With an address that is good once. One for a device lets in at once; the others let choose what to sign in with. */
export async function byInvitation(token: string, chosen: Chosen, place: Place): Promise<Entered> {
  // Nobody guesses 256 bits, so a wrong one is no try that counts; yet it is answered like one that was used.
  const invited = await findInvitation(token);
  if (!invited) return no({ why: 'used-up' });
  const { passphrase, pin } = chosen;
  const about = invited.person?.name ?? chosen.name ?? '';
  if (invited.kind !== 'device') {
    const wrong = chosenProblem(invited.kind === 'owner' || invited.person?.role === 'owner', chosen, about);
    if (wrong) return no({ why: 'input', ...wrong });
    if (invited.kind === 'owner' && about.trim() === '')
      return no({
        why: 'input',
        path: '/name',
        message: 'Say what you are called: it stands beside all that you do.',
      });
  }
  const kept =
    invited.kind === 'device'
      ? {}
      : {
          ...(passphrase && { passphrase: await hashOf(passphrase) }),
          ...(pin && { pin: await hashOf(pin) }),
        };
  try {
    return await transaction(async (db) => {
      const used = await useInvitation(db, token);
      if (!used) return no({ why: 'used-up' });
      const person: Person = used.person ?? {
        id: await addPerson(db, about.trim(), 'owner'),
        name: about.trim(),
        role: 'owner',
      };
      if (used.kind !== 'device') {
        await keepSecrets(db, person.id, kept);
        const what =
          used.kind === 'owner'
            ? `${person.name} is the first owner.`
            : `${person.name} chose what to sign in with.`;
        await saidBy(person, () => recordAtBench(db, what));
      }
      return enter(db, person, place);
    });
  } catch (error) {
    if (error instanceof NameTaken)
      return no({
        why: 'input',
        path: '/name',
        message: 'Somebody has this name already. Add something to it.',
      });
    throw error;
  }
}

/** What is wrong with what somebody chose to sign in with. */
export function chosenProblem(
  owner: boolean,
  { passphrase, pin }: Chosen,
  name: string,
): { path: string; message: string } | null {
  if (!passphrase && !pin) return { path: '/passphrase', message: 'Choose a passphrase or a PIN.' };
  if (owner && !passphrase)
    return { path: '/passphrase', message: 'An owner needs a passphrase; a PIN may come on top.' };
  const phrase = passphrase ? passphraseProblem(passphrase, [name, ...name.split(/\s+/)]) : null;
  if (phrase) return { path: '/passphrase', message: phrase };
  const digits = pin ? pinProblem(pin) : null;
  return digits ? { path: '/pin', message: digits } : null;
}

/** People who can sign in with a PIN here: shown on devices only that somebody signed in on before. */
export const peopleWithPin = (): Promise<{ id: number; name: string }[]> =>
  rows(
    database(),
    'SELECT id, name FROM people WHERE pin IS NOT NULL AND left_at IS NULL ORDER BY name LIMIT 100',
  );

/**
 * Somebody who is signed in changes what they sign in with; the present secret is asked again, so that an unlocked tablet gives nobody away.
 * @returns why not, or null
 */
export async function changeSecrets(
  person: Person,
  present: string,
  chosen: { passphrase?: string | undefined; pin?: string | null | undefined },
  place: Place,
): Promise<Refused | null> {
  const [row] = await rows<{ passphrase: string | null; pin: string | null }>(
    database(),
    'SELECT passphrase, pin FROM people WHERE id = ?',
    [person.id],
  );
  const source = sourceOf(`${person.id}`, place);
  const seconds = await pauseBefore(source);
  if (seconds > 0) return { why: 'wait', seconds };
  await countTry(source);
  const right =
    (await isSecret(present, row?.passphrase ?? null)) ||
    (row?.pin != null && (await isSecret(present, row.pin)));
  if (!right) return { why: 'input', path: '/present', message: 'This is not what you sign in with now.' };
  await forgetTries(source);
  const { passphrase, pin } = chosen;
  if (pin === null && row?.passphrase == null && !passphrase)
    return {
      why: 'input',
      path: '/pin',
      message: 'Without the PIN you could not sign in. Choose a passphrase first.',
    };
  if (passphrase || pin) {
    const wrong = chosenProblem(false, { passphrase, pin: pin ?? undefined }, person.name);
    if (wrong) return { why: 'input', ...wrong };
  }
  const kept = {
    ...(passphrase && { passphrase: await hashOf(passphrase) }),
    ...(pin !== undefined && { pin: pin === null ? null : await hashOf(pin) }),
  };
  await transaction(async (db) => {
    await keepSecrets(db, person.id, kept);
    // Whoever is signed in by the old one elsewhere signs in anew.
    await change(
      db,
      'UPDATE sessions SET ended_at = UTC_TIMESTAMP(3) WHERE person_id = ? AND ended_at IS NULL AND id <> ?',
      [person.id, requester().session?.id ?? 0],
    );
    await recordAtBench(db, `${person.name} changed what to sign in with.`);
  });
  return null;
}
