import { Type } from 'typebox';
import { closed, oneOfWords } from '$core/shapes';
import { MOST_NAME } from '../requester';
import { ROLES, SCOPES, type Role, type Scope } from './roles';

/** What is said about people, as it comes in. Secrets are bounded; what is wrong with one is told in its own words. */
const PersonName = Type.String({ minLength: 1, maxLength: MOST_NAME, pattern: '\\S' });
const Secret = Type.String({ maxLength: 1000 });
const Present = Type.String({ maxLength: 1000, description: 'passphrase or PIN, once more' });
const Token = Type.String({ minLength: 1, maxLength: 100, pattern: '^[A-Za-z0-9_-]+$' });
const RoleShape = Type.Unsafe<Role>(Type.Enum([...ROLES]));
const ScopeShape = Type.Unsafe<Scope>(Type.Enum([...SCOPES]));
const id = Type.Integer({ minimum: 1, maximum: 2 ** 32 - 1 });
const version = Type.Integer({
  minimum: 1,
  maximum: 2 ** 32 - 1,
  description: 'the version that was looked at',
});

export type SignInBody =
  | { by: 'passphrase'; name: string; passphrase: string }
  | { by: 'pin'; person: number; pin: string }
  | { by: 'invitation'; invitation: string; name?: string; passphrase?: string; pin?: string };

const by = Type.Enum(['passphrase', 'pin', 'invitation']);

export const PEOPLE_BODIES = {
  'sign-in': oneOfWords<SignInBody>('by', {
    passphrase: closed({ by, name: PersonName, passphrase: Secret }),
    pin: closed({ by, person: id, pin: Secret }),
    invitation: closed({
      by,
      invitation: Token,
      name: Type.Optional(PersonName),
      passphrase: Type.Optional(Secret),
      pin: Type.Optional(Secret),
    }),
  }),
  'look-at-invitation': closed({ invitation: Token }),
  'change-secrets': closed({
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
  'new-person': closed({ name: PersonName, role: RoleShape }),
  'save-person': closed({
    version,
    name: PersonName,
    role: RoleShape,
    left: Type.Boolean({ description: 'works here no more' }),
  }),
  confirm: closed({ present: Present }),
  'new-token': closed({
    present: Present,
    name: PersonName,
    scopes: Type.Array(ScopeShape, { minItems: 1, maxItems: SCOPES.length, uniqueItems: true }),
    days: Type.Integer({ minimum: 1, maximum: 366, description: 'days that it is good for' }),
  }),
};

export const PEOPLE_EXAMPLES = {
  'sign-in': { by: 'passphrase' as const, name: 'Ida Brack', passphrase: 'wading heron under glass' },
  'look-at-invitation': { invitation: 'an-address-that-was-never-given' },
  'change-secrets': { present: 'wading heron under glass', pin: '480276' },
  'new-person': { name: 'Tom Reed', role: 'technician' as const },
  'save-person': { version: 1, name: 'Tom Reed', role: 'reader' as const, left: false },
  confirm: { present: 'wading heron under glass' },
  'new-token': {
    present: 'wading heron under glass',
    name: 'nightly figures',
    scopes: ['jobs:read' as const],
    days: 30,
  },
};
