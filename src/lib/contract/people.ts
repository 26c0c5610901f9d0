import { Type, type Static } from 'typebox';
import { closed, oneOfWords, orNull } from '$core/shapes';
import { document, endpoint } from './endpoint';
import { ROLES, SCOPES } from './roles';
import { Count, Id, Moment, VersionSeen } from './shapes';

/** People, their ways of signing in, their sessions, and their programs. */

/** Characters of a person's name; a database column is as wide. */
export const MAX_PERSON_NAME = 100;
/** Secrets are bounded; what is wrong with one is told in its own words. */
const PersonName = Type.String({ minLength: 1, maxLength: MAX_PERSON_NAME, pattern: '\\S' });
const Secret = Type.String({ maxLength: 1000 });
const Present = Type.String({ maxLength: 1000, description: 'passphrase or PIN, once more' });
const InvitationToken = Type.String({ minLength: 1, maxLength: 100, pattern: '^[A-Za-z0-9_-]+$' });
const RoleShape = Type.Enum(ROLES);
const ScopeShape = Type.Enum(SCOPES);
const PersonId = Type.Integer({ minimum: 1, maximum: 2 ** 32 - 1 });

const PersonShape = closed({ id: PersonId, name: Type.String(), role: RoleShape });
/** Somebody who signed in. */
export type Person = Static<typeof PersonShape>;

const PersonRowShape = closed({
  id: PersonId,
  name: Type.String(),
  role: RoleShape,
  version: Count,
  hasPassphrase: Type.Boolean(),
  hasPin: Type.Boolean(),
  /** Since when they work here no more; null: they do. */
  leftAt: orNull(Moment),
  /** When a session of theirs was last used. */
  seenAt: orNull(Moment),
});
/** Somebody who works here, as the owner's page shows them. */
export type PersonRow = Static<typeof PersonRowShape>;

const SessionRowShape = closed({
  id: Id,
  device: Id,
  deviceName: Type.String(),
  address: Type.String(),
  person: PersonId,
  name: Type.String(),
  createdAt: Moment,
  seenAt: Moment,
  endsAt: Moment,
});
/** A session that holds, as the settings show it. */
export type SessionRow = Static<typeof SessionRowShape>;

const TokenRowShape = closed({
  id: Id,
  name: Type.String(),
  scopes: Type.Array(ScopeShape),
  person: PersonId,
  personName: Type.String(),
  createdAt: Moment,
  seenAt: orNull(Moment),
  endsAt: Moment,
});
/** A token as its owner sees it; what it is itself was shown once. */
export type TokenRow = Static<typeof TokenRowShape>;

/**
 * An address that lets somebody in once: the first owner, somebody who chooses what to sign in with, one more device of
 * somebody.
 */
export const INVITATION_KINDS = ['owner', 'person', 'device'] as const;
export type InvitationKind = (typeof INVITATION_KINDS)[number];

const INVITATION = {
  address: Type.String(),
  qr: Type.String({ description: 'the address as a QR code (SVG)' }),
  minutes: Type.Integer({ description: 'minutes that it is good for' }),
};
const InvitationShape = closed(INVITATION);
export type InvitationAddress = Static<typeof InvitationShape>;

export type SignInBody =
  | { by: 'passphrase'; name: string; passphrase: string }
  | { by: 'pin'; person: number; pin: string }
  | { by: 'invitation'; invitation: string; name?: string; passphrase?: string; pin?: string };
const by = Type.Enum(['passphrase', 'pin', 'invitation']);

const SignIn = document(
  'sign-in',
  oneOfWords<SignInBody>('by', {
    passphrase: closed({ by, name: PersonName, passphrase: Secret }),
    pin: closed({ by, person: PersonId, pin: Secret }),
    invitation: closed({
      by,
      invitation: InvitationToken,
      name: Type.Optional(PersonName),
      passphrase: Type.Optional(Secret),
      pin: Type.Optional(Secret),
    }),
  }),
  { by: 'passphrase', name: 'Ida Brack', passphrase: 'wading heron under glass' },
);
const LookAtInvitation = document('look-at-invitation', closed({ invitation: InvitationToken }), {
  invitation: 'an-address-that-was-never-given',
});
const ChangeSecrets = document(
  'change-secrets',
  closed({
    present: Present,
    passphrase: Type.Optional(Secret),
    pin: Type.Optional(
      Type.Unsafe<string | null>({
        type: ['string', 'null'],
        maxLength: 1000,
        description: 'null: none any more',
      }),
    ),
  }),
  { present: 'wading heron under glass', pin: '480276' },
);
const NewPerson = document('new-person', closed({ name: PersonName, role: RoleShape }), {
  name: 'Tom Reed',
  role: 'technician',
});
const SavePerson = document(
  'save-person',
  closed({
    version: VersionSeen,
    name: PersonName,
    role: RoleShape,
    left: Type.Boolean({ description: 'works here no more' }),
  }),
  { version: 1, name: 'Tom Reed', role: 'reader', left: false },
);
export type PersonChange = Static<(typeof SavePerson)['shape']>;
const Confirm = document('confirm', closed({ present: Present }), { present: 'wading heron under glass' });
const NewToken = document(
  'new-token',
  closed({
    present: Present,
    name: PersonName,
    scopes: Type.Array(ScopeShape, { minItems: 1, maxItems: SCOPES.length, uniqueItems: true }),
    days: Type.Integer({ minimum: 1, maximum: 366, description: 'days that it is good for' }),
  }),
  { present: 'wading heron under glass', name: 'nightly figures', scopes: ['jobs:read'], days: 30 },
);

export const PEOPLE = {
  'GET /me': endpoint({
    need: 'anyone',
    scope: null,
    summary: 'Who is signed in here, and who may with a PIN on this device',
    gives: 'The person, or null',
    answer: closed({
      person: orNull(PersonShape),
      session: orNull(Id),
      withPin: orNull(Type.Array(closed({ id: PersonId, name: Type.String() }))),
    }),
  }),
  'POST /sign-in': endpoint({
    need: 'anyone',
    scope: null,
    summary: 'Sign in with a passphrase, with a PIN on a known device, or with an address that is good once',
    body: SignIn,
    gives: 'Who signed in; the session comes as a cookie',
    answer: closed({ person: PersonShape }),
    errors: [
      'nobody-signs-in',
      'wrong-secret',
      'wait',
      'unknown-device',
      'used-up',
      'too-many-devices',
      'weak-secret',
      'no-name',
      'own-name-taken',
    ],
  }),
  'POST /sign-in/invitation': endpoint({
    need: 'anyone',
    scope: null,
    summary: 'What an address that is good once lets in; it is not used up by that',
    body: LookAtInvitation,
    gives: 'Its kind, and whom it lets in',
    answer: closed({ kind: Type.Enum(INVITATION_KINDS), person: orNull(PersonShape) }),
    errors: ['used-up'],
  }),
  'POST /sign-out': endpoint({
    need: 'anyone',
    scope: null,
    summary: 'End the session of this device',
    gives: 'Gone',
  }),
  'PUT /me/secrets': endpoint({
    need: 'reader',
    scope: null,
    person: true,
    summary: 'Change passphrase or PIN; sessions elsewhere, tokens and addresses end',
    body: ChangeSecrets,
    gives: 'Gone',
    errors: ['nobody-signs-in', 'not-present', 'wait', 'weak-secret', 'pin-needed'],
  }),
  'POST /me/device': endpoint({
    need: 'reader',
    scope: null,
    person: true,
    summary:
      'Make an address, good once, for two minutes and as long as this session, with which one more device signs in as the same person',
    body: Confirm,
    gives: 'The address, and the same as a QR code (SVG)',
    answer: InvitationShape,
    status: 201,
    errors: ['nobody-signs-in', 'not-present', 'wait', 'too-many-devices'],
  }),
  'DELETE /me/wrong-tries': endpoint({
    need: 'reader',
    scope: null,
    person: true,
    summary: 'Say that one knows of the wrong tries to sign in as oneself',
    gives: 'Gone',
    errors: ['nobody-signs-in'],
  }),
  'GET /people': endpoint({
    need: 'owner',
    scope: null,
    summary: 'Everybody who works here, or did',
    gives: 'The people',
    answer: Type.Array(PersonRowShape),
  }),
  'POST /people': endpoint({
    need: 'owner',
    scope: null,
    person: true,
    summary: 'Take somebody on; the answer has the address with which they choose what to sign in with',
    body: NewPerson,
    gives: 'Id, address, and the address as a QR code (SVG)',
    answer: closed({ id: PersonId, ...INVITATION }),
    status: 201,
    errors: ['nobody-signs-in', 'name-taken', 'too-many-people'],
  }),
  'PUT /people/{id}': endpoint({
    need: 'owner',
    scope: null,
    person: true,
    summary: 'Change name and role, let somebody go or take them back; whoever may less is signed out',
    body: SavePerson,
    gives: 'The new version',
    answer: closed({ version: Count }),
    errors: ['nobody-signs-in', 'no-person', 'name-taken', 'last-owner', 'stale-person'],
  }),
  'POST /people/{id}/invitation': endpoint({
    need: 'owner',
    scope: null,
    person: true,
    summary: 'Make a new address with which somebody chooses what to sign in with; whatever let them in ends',
    gives: 'The address, and the same as a QR code (SVG)',
    answer: InvitationShape,
    status: 201,
    errors: ['nobody-signs-in', 'no-person', 'left'],
  }),
  'GET /sessions': endpoint({
    need: 'reader',
    scope: null,
    person: true,
    summary: 'Where somebody is signed in: oneself, for owners everybody',
    gives: 'The sessions, the last used first',
    answer: Type.Array(SessionRowShape),
    errors: ['nobody-signs-in'],
  }),
  'DELETE /sessions/{id}': endpoint({
    need: 'reader',
    scope: null,
    person: true,
    summary: 'End a session of one’s own, as owner anybody’s',
    gives: 'Gone',
    errors: ['nobody-signs-in', 'no-session'],
  }),
  'DELETE /devices/{id}': endpoint({
    need: 'owner',
    scope: null,
    person: true,
    summary:
      'A device is gone, with all that was let in from it: sessions and tokens end, and no PIN is good there any more',
    gives: 'Gone',
    errors: ['nobody-signs-in', 'no-device'],
  }),
  'GET /tokens': endpoint({
    need: 'technician',
    scope: null,
    person: true,
    summary: 'Tokens of programs: one’s own, for owners everybody’s',
    gives: 'The tokens, without what they are',
    answer: Type.Array(TokenRowShape),
    errors: ['nobody-signs-in'],
  }),
  'POST /tokens': endpoint({
    need: 'technician',
    scope: null,
    person: true,
    summary: 'Make a token for a program; it may no more than its scopes, and no more than who made it',
    body: NewToken,
    gives: 'The token, which is shown this once',
    answer: closed({ token: Type.String() }),
    status: 201,
    errors: ['nobody-signs-in', 'not-present', 'wait', 'too-many-tokens'],
  }),
  'DELETE /tokens/{id}': endpoint({
    need: 'technician',
    scope: null,
    person: true,
    summary: 'End a token of one’s own, as owner anybody’s',
    gives: 'Gone',
    errors: ['nobody-signs-in', 'no-token'],
  }),
};
