import { change, type Db } from '../store/database/database';

/**
 * Ends whatever lets in as a person: sessions, tokens of programs, addresses that are good once. Nothing of it comes to
 * life again, even if the person comes back.
 * @param except the session in which this is done
 */
export async function endAccess(db: Db, person: number, except = 0): Promise<void> {
  await change(
    db,
    'UPDATE sessions SET ended_at = UTC_TIMESTAMP(3) WHERE person_id = ? AND ended_at IS NULL AND id <> ?',
    [person, except],
  );
  await change(
    db,
    'UPDATE access_tokens SET ended_at = UTC_TIMESTAMP(3) WHERE person_id = ? AND ended_at IS NULL',
    [person],
  );
  await change(
    db,
    'UPDATE invitations SET used_at = UTC_TIMESTAMP(3) WHERE person_id = ? AND used_at IS NULL',
    [person],
  );
}
