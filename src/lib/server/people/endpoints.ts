import type { Endpoint } from '../endpoint';

const LIST = { type: 'array' };

/** Endpoints about who works here, how they sign in, and where they are signed in. */
export const PEOPLE_ENDPOINTS: Readonly<Record<string, Endpoint>> = {
  'get /api/v1/me': {
    need: 'anyone',
    scope: null,
    summary: 'Who is signed in here, and who may with a PIN on this device',
    gives: 'The person, or null',
  },
  'post /api/v1/sign-in': {
    need: 'anyone',
    scope: null,
    summary: 'Sign in with a passphrase, with a PIN on a known device, or with an address that is good once',
    takes: 'sign-in',
    gives: 'Who signed in; the session comes as a cookie',
  },
  'post /api/v1/sign-in/invitation': {
    need: 'anyone',
    scope: null,
    summary: 'What an address that is good once lets in; it is not used up by that',
    takes: 'look-at-invitation',
    gives: 'Its kind, and whom it lets in',
  },
  'post /api/v1/sign-out': {
    need: 'anyone',
    scope: null,
    summary: 'End the session of this device',
    gives: 'Gone',
    status: 204,
  },
  'put /api/v1/me/secrets': {
    need: 'reader',
    scope: null,
    summary: 'Change passphrase or PIN; sessions elsewhere, tokens and addresses end',
    takes: 'change-secrets',
    gives: 'Gone',
    status: 204,
  },
  'post /api/v1/me/device': {
    need: 'reader',
    scope: null,
    summary:
      'Make an address, good once, for two minutes and as long as this session, with which one more device signs in as the same person',
    takes: 'confirm',
    gives: 'The address, and the same as a QR code (SVG)',
    status: 201,
  },
  'delete /api/v1/me/wrong-tries': {
    need: 'reader',
    scope: null,
    summary: 'Say that one knows of the wrong tries to sign in as oneself',
    gives: 'Gone',
    status: 204,
  },
  'get /api/v1/people': {
    need: 'owner',
    scope: null,
    summary: 'Everybody who works here, or did',
    gives: 'The people',
    schema: LIST,
  },
  'post /api/v1/people': {
    need: 'owner',
    scope: null,
    summary: 'Take somebody on; the answer has the address with which they choose what to sign in with',
    takes: 'new-person',
    gives: 'Id, address, and the address as a QR code (SVG)',
    status: 201,
  },
  'put /api/v1/people/{id}': {
    need: 'owner',
    scope: null,
    summary: 'Change name and role, let somebody go or take them back; whoever may less is signed out',
    takes: 'save-person',
    gives: 'The new version',
    conflicts: true,
  },
  'post /api/v1/people/{id}/invitation': {
    need: 'owner',
    scope: null,
    summary: 'Make a new address with which somebody chooses what to sign in with; whatever let them in ends',
    gives: 'The address, and the same as a QR code (SVG)',
    status: 201,
  },
  'get /api/v1/sessions': {
    need: 'reader',
    scope: null,
    summary: 'Where somebody is signed in: oneself, for owners everybody',
    gives: 'The sessions, the last used first',
    schema: LIST,
  },
  'delete /api/v1/sessions/{id}': {
    need: 'reader',
    scope: null,
    summary: 'End a session of one’s own, as owner anybody’s',
    gives: 'Gone',
    status: 204,
  },
  'delete /api/v1/devices/{id}': {
    need: 'owner',
    scope: null,
    summary:
      'A device is gone, with all that was let in from it: sessions and tokens end, and no PIN is good there any more',
    gives: 'Gone',
    status: 204,
  },
  'get /api/v1/tokens': {
    need: 'technician',
    scope: null,
    summary: 'Tokens of programs: one’s own, for owners everybody’s',
    gives: 'The tokens, without what they are',
    schema: LIST,
  },
  'post /api/v1/tokens': {
    need: 'technician',
    scope: null,
    summary: 'Make a token for a program; it may no more than its scopes, and no more than who made it',
    takes: 'new-token',
    gives: 'The token, which is shown this once',
    status: 201,
  },
  'delete /api/v1/tokens/{id}': {
    need: 'technician',
    scope: null,
    summary: 'End a token of one’s own, as owner anybody’s',
    gives: 'Gone',
    status: 204,
  },
};
