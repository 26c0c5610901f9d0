import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import type { Person } from '$contract/people';
import type { Role } from '$contract/roles';
import { database, rows, transaction, type Db } from '../store/database/database';
import { recordAtWorkshop } from '../store/history/history';
import { networkOf } from '../platform/network';
import { log } from '../platform/log';
import { runForRequester, requester } from '../platform/requester';
import { addDevice, mayLetIn, hasSignedInOn, type Maker } from './devices';
import { endAccess } from './endAccess';
import { useInvitation, findInvitation } from './invitations';
import { addPerson, hasPassphrase, keepSecrets } from './people';
import { hashOf, inTurn, isSecret, hashToken, findPassphraseProblem, pinProblem } from './secrets';
import { beginSession } from './sessions';
import {
  forgetTries,
  forgetTriesAt,
  noteWrongTry,
  pauseBefore,
  takeBack,
  takeTry,
  type TrySource,
} from './tries';

/** Place of a sign-in. */
export interface SignInPlace {
  /** The device, where somebody signed in on it before. */
  device: number | null;
  /** The browser's own name for itself. */
  name: string;
  address: string;
}

/** Signed in: what the cookies hold. */
export interface SignedIn {
  person: Person;
  session: string;
  /** Token for the device; null where it has one already. */
  device: string | null;
}

/** Why nobody is let in. */
type Refused = ReturnType<typeof refuse>;

const wait = (seconds: number): Refused => refuse('wait', { seconds }, { details: { seconds } });

interface Known {
  id: number;
  name: string;
  role: Role;
  secret: string | null;
}

/** A person's place, as tries are counted. */
const fromOf = ({ device, address }: SignInPlace): string =>
  device === null ? `address ${networkOf(address)}` : `device ${device}`;

/**
 * With name and passphrase, on any device. A name that nobody has is answered like a wrong passphrase, and as slowly.
 */
export async function signInByPassphrase(
  name: string,
  passphrase: string,
  place: SignInPlace,
): Promise<Outcome<SignedIn>> {
  const [found] = await rows<Known>(
    database(),
    'SELECT id, name, role, passphrase AS secret FROM people WHERE name = ? AND left_at IS NULL',
    [name],
  );
  const own = found !== undefined && place.device !== null && (await hasSignedInOn(found.id, place.device));
  const who = found ? `${found.id}` : `name ${hashToken(name.toLowerCase()).slice(0, 16)}`;
  return bySecret(
    'passphrase',
    found,
    passphrase,
    { tried: 'passphrase', who, from: fromOf(place), own },
    place,
  );
}

/** With a PIN, on a device that somebody signed in on before. */
export async function signInByPin(
  person: number,
  pin: string,
  place: SignInPlace,
): Promise<Outcome<SignedIn>> {
  if (place.device === null) return refuse('unknown-device');
  const [found] = await rows<Known>(
    database(),
    'SELECT id, name, role, pin AS secret FROM people WHERE id = ? AND left_at IS NULL',
    [person],
  );
  const source: TrySource = { tried: 'pin', who: `${person}`, from: fromOf(place), own: false };
  return bySecret('pin', found, pin, source, place);
}

async function bySecret(
  by: 'passphrase' | 'pin',
  found: Known | undefined,
  secret: string,
  source: TrySource,
  place: SignInPlace,
): Promise<Outcome<SignedIn>> {
  const refused = await trySecret(found?.id ?? null, secret, [found?.secret ?? null], source, place);
  if (refused) return refused;
  const { id, name, role } = found!;
  return transaction(async (db) => {
    // The secret may have been changed while it was compared: the old one lets nobody in any more.
    const [now] = await rows<{ secret: string | null }>(
      db,
      `SELECT ${by} AS secret FROM people WHERE id = ? AND left_at IS NULL LOCK IN SHARE MODE`,
      [id],
    );
    if (now?.secret !== found!.secret) return refuse('wrong-secret');
    return enter(db, { id, name, role }, place);
  });
}

/** Waits for its turn, counts the try, and compares. @returns why not; null: it is right */
async function trySecret(
  person: number | null,
  secret: string,
  kept: readonly (string | null)[],
  source: TrySource,
  place: SignInPlace,
): Promise<Refused | null> {
  const where = `${place.name}, ${place.address}`;
  const pause = await pauseBefore(source);
  if (pause > 0) return wait(pause);
  return inTurn({ from: source.from, known: place.device !== null }, async () => {
    const seconds = await takeTry(source);
    if (seconds > 0) return wait(seconds);
    try {
      for (const one of kept) {
        if (!(await isSecret(secret, one))) continue;
        await forgetTries(source);
        if (person !== null) await forgetTriesAt(person, where);
        return null;
      }
    } catch (error) {
      await takeBack(source);
      throw error;
    }
    // Not waited for, so that a name that somebody has takes no longer than one that nobody has.
    if (person !== null)
      void noteWrongTry(person, where).catch((error: unknown) => log.warn({ err: error }, 'a wrong try'));
    return refuse('wrong-secret');
  });
}

/**
 * Somebody who is signed in says passphrase or PIN again, so that an unlocked tablet gives nobody away.
 * @returns why not: `not-present`, `wait`; null: it is theirs
 */
export async function confirmPerson(
  person: Person,
  present: string,
  place: SignInPlace,
): Promise<Refused | null> {
  const [row] = await rows<{ passphrase: string | null; pin: string | null }>(
    database(),
    'SELECT passphrase, pin FROM people WHERE id = ?',
    [person.id],
  );
  const kept = [row?.passphrase, row?.pin].filter((one) => one != null);
  const source: TrySource = { tried: 'confirmation', who: `${person.id}`, from: fromOf(place), own: true };
  const refused = await trySecret(person.id, present, kept, source, place);
  return refused?.problems[0]?.code === 'wrong-secret' ? refuse('not-present') : refused;
}

async function enter(
  db: Db,
  person: Person,
  place: SignInPlace,
  letInBy?: Maker,
): Promise<Outcome<SignedIn>> {
  const fresh =
    place.device === null
      ? await addDevice(db, { ...place, person: person.id, letInBy: letInBy ?? null })
      : null;
  const session = await beginSession(db, person.id, place.device ?? fresh!.device);
  if (fresh)
    await saidBy(person, () =>
      recordAtWorkshop(db, `Signed in on a new device: ${place.name}, ${place.address}.`),
    );
  return success({ person, session, device: fresh?.token ?? null });
}

const saidBy = <T>(person: Person, work: () => T): T =>
  runForRequester({ ...requester(), who: person.name }, work);

/** Secrets that an invited person chooses. */
export interface Chosen {
  /** Name of the first owner, who has none yet. */
  name?: string | undefined;
  passphrase?: string | undefined;
  pin?: string | undefined;
}

/** With an address that is good once. One for a device lets in at once; the others let choose what to sign in with. */
export async function signInByInvitation(
  token: string,
  chosen: Chosen,
  place: SignInPlace,
): Promise<Outcome<SignedIn>> {
  // Nobody guesses 256 bits, so a wrong one is no try that counts; yet it is answered like one that was used.
  const invited = await findInvitation(token);
  if (!invited) return refuse('used-up');
  const { passphrase, pin } = chosen;
  const about = invited.person?.name ?? chosen.name ?? '';
  if (invited.kind !== 'device') {
    const wrong = findChoiceProblem(
      invited.kind === 'owner' || invited.person?.role === 'owner',
      chosen,
      about,
    );
    if (wrong) return wrong;
    if (invited.kind === 'owner' && about.trim() === '') return refuse('no-name');
  }
  const kept = invited.kind === 'device' ? {} : await hashesOf({ passphrase, pin }, place);
  return transaction(async (db): Promise<Outcome<SignedIn>> => {
    const used = await useInvitation(db, token);
    if (!used) return refuse('used-up');
    const person = used.person ?? (await addFirstOwner(db, about.trim()));
    if (!person) return refuse('own-name-taken');
    if (used.kind === 'device' && !(await mayLetIn(db, person.id, used.maker!.session)))
      return refuse('too-many-devices');
    if (used.kind !== 'device') {
      await endAccess(db, person.id);
      await keepSecrets(db, person.id, kept);
      const what =
        used.kind === 'owner'
          ? `${person.name} is the first owner.`
          : `${person.name} chose what to sign in with.`;
      await saidBy(person, () => recordAtWorkshop(db, what));
    }
    return enter(db, person, place, used.maker ?? undefined);
  });
}

/** null: somebody has that name already. */
async function addFirstOwner(db: Db, name: string): Promise<Person | null> {
  const added = await addPerson(db, name, 'owner');
  return added.ok ? { id: added.value, name, role: 'owner' } : null;
}

/** Fault of chosen secrets. */
export function findChoiceProblem(owner: boolean, { passphrase, pin }: Chosen, name: string): Refused | null {
  const weak = (path: string, why: string) => refuse('weak-secret', { why }, { path });
  if (!passphrase && !pin) return weak('/passphrase', 'Choose a passphrase or a PIN.');
  if (owner && !passphrase) return weak('/passphrase', 'An owner needs a passphrase; a PIN may come on top.');
  const phrase = passphrase ? findPassphraseProblem(passphrase, [name, ...name.split(/\s+/)]) : null;
  if (phrase) return weak('/passphrase', phrase);
  const digits = pin ? pinProblem(pin) : null;
  return digits ? weak('/pin', digits) : null;
}

/** People who can sign in with a PIN here: shown on devices only that somebody signed in on before. */
export const listPeopleWithPin = (): Promise<{ id: number; name: string }[]> =>
  rows(
    database(),
    'SELECT id, name FROM people WHERE pin IS NOT NULL AND left_at IS NULL ORDER BY name LIMIT 100',
  );

/** Hashes of chosen secrets, computed in one's turn. */
const hashesOf = (
  { passphrase, pin }: { passphrase?: string | undefined; pin?: string | null | undefined },
  place: SignInPlace,
): Promise<{ passphrase?: string; pin?: string | null }> =>
  // Whoever gets here holds an address that is good once, or is signed in.
  inTurn({ from: fromOf(place), known: true }, async () => ({
    ...(passphrase && { passphrase: await hashOf(passphrase) }),
    ...(pin !== undefined && { pin: pin === null ? null : await hashOf(pin) }),
  }));

/**
 * Somebody who is signed in changes what they sign in with. @returns why not: `weak-secret`, `pin-needed`, and as
 * {@link confirmPerson}; or null
 */
export async function changeSecrets(
  person: Person,
  present: string,
  { passphrase, pin }: { passphrase?: string | undefined; pin?: string | null | undefined },
  place: SignInPlace,
): Promise<Refused | null> {
  const refused = await confirmPerson(person, present, place);
  if (refused) return refused;
  if (pin === null && !passphrase && !(await hasPassphrase(person.id))) return refuse('pin-needed');
  if (passphrase || pin) {
    const wrong = findChoiceProblem(false, { passphrase, pin: pin ?? undefined }, person.name);
    if (wrong) return wrong;
  }
  const kept = await hashesOf({ passphrase, pin }, place);
  await transaction(async (db) => {
    await keepSecrets(db, person.id, kept);
    // Whoever is signed in by the old one elsewhere signs in anew.
    await endAccess(db, person.id, requester().session?.id);
    await recordAtWorkshop(db, `${person.name} changed what to sign in with.`);
  });
  return null;
}
