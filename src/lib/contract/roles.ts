/** Roles of people, each with more rights than the one before. */
export const ROLES = ['reader', 'technician', 'owner'] as const;
export type Role = (typeof ROLES)[number];

/** Role that an address needs at least; `anyone`: none. */
export type Need = Role | 'anyone';

export const mayDo = (role: Role, need: Need): boolean =>
  need === 'anyone' || ROLES.indexOf(role) >= ROLES.indexOf(need);

/** Rights of a program, one by one; it never has more than the person who answers for it. */
export const SCOPES = [
  'jobs:read',
  'jobs:write',
  'images:read',
  'images:write',
  'workshop:read',
  'workshop:write',
  'server:read',
] as const;
export type Scope = (typeof SCOPES)[number];

/** Scopes in words, for the page on which a token is made. */
export const SCOPE_WORDS: Record<Scope, string> = {
  'jobs:read': 'read jobs, sheets and papers',
  'jobs:write': 'add and change jobs',
  'images:read': 'list and fetch disk images',
  'images:write': 'send disk images up',
  'workshop:read': 'read tools, kits and rates',
  'workshop:write': 'change tools, kits and rates',
  'server:read': 'read the server’s figures (/metrics)',
};

export const ROLE_WORDS: Record<Role, string> = {
  reader: 'sees and prints',
  technician: 'works on jobs',
  owner: 'works on jobs; also people, settings, taking over and deleting',
};
