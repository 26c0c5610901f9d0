import { unwrap } from '$core/problem';
import type { Role } from '$contract/roles';
import { change, database, transaction } from '../store/database/database';
import { addPerson, keepSecrets } from '../people/people';
import { hashOf } from '../people/secrets';
import { signInByPassphrase, type SignInPlace, type SignedIn } from '../people/signIn';
import { forgetConfig } from '../platform/settings/config';

/** Words that no list has, for people in tests. */
export const PASSPHRASE = 'wading heron under glass';
export const PIN = '480276';

/**
 * Sign-in switched on for the tests of a file. The key stays the one of all tests: they add to one history of the
 * bench.
 */
export function withSignIn(): void {
  process.env['GENTLE_TIDE_SIGN_IN'] = 'on';
  forgetConfig();
}
export function withoutSignIn(): void {
  delete process.env['GENTLE_TIDE_SIGN_IN'];
  forgetConfig();
}

/** A device that nobody signed in on. */
export const place = (address = '10.0.0.5'): SignInPlace => ({ device: null, name: 'a tablet', address });

let number = 0;
/** Somebody with a passphrase and a PIN, signed in on a device of their own. */
export async function signInSomebody(role: Role, at = place()): Promise<SignedIn> {
  const name = `${role} ${process.pid} ${++number}`;
  const id = unwrap(await transaction((db) => addPerson(db, name, role)));
  const kept = { passphrase: await hashOf(PASSPHRASE, CHEAP), pin: await hashOf(PIN, CHEAP) };
  await transaction((db) => keepSecrets(db, id, kept));
  return unwrap(await signInByPassphrase(name, PASSPHRASE, at));
}
/** A hundredth of what a hash costs elsewhere. */
export const CHEAP = { N: 1024, r: 8, p: 1 };

/** Nobody was ever here. */
export async function nobody(): Promise<void> {
  for (const table of ['sessions', 'devices', 'invitations', 'access_tokens', 'wrong_tries', 'people'])
    await change(database(), `DELETE FROM ${table}`);
}
