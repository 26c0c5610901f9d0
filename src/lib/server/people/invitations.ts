import { config } from '../platform/settings/config';
import type { InvitationKind } from '$contract/people';
import type { Person } from '$contract/people';
import type { Role } from '$contract/roles';
import { change, database, rows, transaction, type Db } from '../store/database/database';
import type { Maker } from './devices';
import { makeToken, hashToken } from './secrets';
import { HOLDS } from './sessions';

/** Minutes that each is good for. */
export const MINUTES: Record<InvitationKind, number> = { owner: 24 * 60, person: 24 * 60, device: 2 };

export interface Invitation {
  id: number;
  kind: InvitationKind;
  /** Person whom it lets in; null: the first owner. */
  person: Person | null;
  /** Screen that made an address for a device. */
  maker: Maker | null;
}

/**
 * Makes one; those of the same kind for the same person are good no longer. @returns what stands in the address, shown
 * once
 */
export async function invite(
  db: Db,
  kind: InvitationKind,
  person: number | null,
  session: number | null = null,
): Promise<string> {
  const { token, kept } = makeToken();
  await change(
    db,
    'UPDATE invitations SET used_at = UTC_TIMESTAMP(3) WHERE kind = ? AND person_id <=> ? AND used_at IS NULL',
    [kind, person],
  );
  await change(
    db,
    `INSERT INTO invitations (token, kind, person_id, session_id, ends_at) VALUES (?, ?, ?, ?, UTC_TIMESTAMP(3) + INTERVAL ${MINUTES[kind]} MINUTE)`,
    [kept, kind, person, session],
  );
  return token;
}

export const inviteNow = (
  kind: InvitationKind,
  person: number | null,
  session: number | null = null,
): Promise<string> => transaction((db) => invite(db, kind, person, session));

/** One for a device is good for as long as the session that made it. */
const SELECT = (): string =>
  `SELECT i.id, i.kind, p.id AS person, p.name, p.role, s.id AS session, s.device_id AS device
     FROM invitations i LEFT JOIN people p ON p.id = i.person_id
     LEFT JOIN (sessions s JOIN devices d ON d.id = s.device_id) ON s.id = i.session_id
    WHERE i.token = ? AND i.used_at IS NULL AND i.ends_at > UTC_TIMESTAMP(3) AND (p.id IS NULL OR p.left_at IS NULL)
      AND (i.kind <> 'device' OR (${HOLDS()}))`;

async function find(db: Db, token: string, lock: string): Promise<Invitation | null> {
  const [row] = await rows<{
    id: number;
    kind: InvitationKind;
    person: number | null;
    name: string;
    role: Role;
    session: number | null;
    device: number;
  }>(db, `${SELECT()} ${lock}`, [hashToken(token)]);
  if (!row) return null;
  const { id, kind, person, name, role, session, device } = row;
  return {
    id,
    kind,
    person: person === null ? null : { id: person, name, role },
    maker: session === null ? null : { session, device },
  };
}

/** Invitation behind an address; null: it does not hold any more. */
export const findInvitation = (token: string): Promise<Invitation | null> => find(database(), token, '');

/** Uses it up, in the transaction that lets somebody in. */
export async function useInvitation(db: Db, token: string): Promise<Invitation | null> {
  const found = await find(db, token, 'FOR UPDATE');
  if (found) await change(db, 'UPDATE invitations SET used_at = UTC_TIMESTAMP(3) WHERE id = ?', [found.id]);
  return found;
}

/**
 * An address that is good once, as it is shown: what lets in stands behind the #, which no browser sends and no log
 * sees.
 */
export const makeInvitationAddress = (token: string): string => `${config().origin}/sign-in#${token}`;
