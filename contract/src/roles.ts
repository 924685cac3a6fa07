import { KINDS, type RecordKind } from './kinds';

/** Who somebody is in a production. */
export const ROLES = ['owner', 'supervisor', 'wrangler', 'solver', 'guest'] as const;
export type Role = (typeof ROLES)[number];

export const ROLE_WORDS: Record<Role, string> = {
  owner: 'runs the production: everything, people and their passwords too',
  supervisor: 'plans, records, invites and signs off',
  wrangler: 'plans and records',
  solver: 'attaches tracks, starts test solves, leaves remarks',
  guest: 'reads only',
};

/** Who may do what: the one table. Every kind of record and every route names one of these rights; server and client read it. */
export const RIGHTS = {
  /** see records, files, verdicts, the handover */
  read: ['owner', 'supervisor', 'wrangler', 'solver', 'guest'],
  /** make and change what is recorded and planned, and hide it */
  record: ['owner', 'supervisor', 'wrangler'],
  /** the production itself: its frame rate, unit, numbering; days that go */
  direct: ['owner', 'supervisor'],
  /** ask and answer about a take or a reading */
  remark: ['owner', 'supervisor', 'wrangler', 'solver'],
  /** give a file to the production */
  give: ['owner', 'supervisor', 'wrangler', 'solver'],
  /** start and stop a computation on the server */
  compute: ['owner', 'supervisor', 'wrangler', 'solver'],
  /** invite somebody, with a role not above one's own */
  invite: ['owner', 'supervisor'],
  /** change a role, remove a person, give a link for a new password */
  people: ['owner'],
  /** what is one's own: preferences, password, devices, leaving */
  own: ['owner', 'supervisor', 'wrangler', 'solver', 'guest'],
} as const satisfies Record<string, readonly Role[]>;
export type Right = keyof typeof RIGHTS;

export const may = (role: Role, right: Right): boolean => (RIGHTS[right] as readonly Role[]).includes(role);

/** Fields of a kind that a role may change though the rest of the record is not its to write. */
export const FIELDS_OF: Partial<Record<Role, Partial<Record<RecordKind, readonly string[]>>>> = {
  solver: { take: ['tracks', 'tracksCounted'] },
};

/** May this role make or change records of a kind at all? Nobody sends what the server writes when it has happened. */
export const mayWrite = (role: Role, kind: RecordKind): boolean => KINDS[kind].byServer !== true && may(role, KINDS[kind].writes);
/** May it change these fields of one that is there? `deleted` stands for hiding it and bringing it back. */
export function mayChange(role: Role, kind: RecordKind, fields: readonly string[]): boolean {
  const hides = fields.includes('deleted');
  if (hides && !may(role, KINDS[kind].hides)) return false;
  if (hides && fields.length === 1 && KINDS[kind].byServer) return true;
  const his = FIELDS_OF[role]?.[kind] ?? [];
  // a change of nothing is a change too: it makes a version, and signs it
  return mayWrite(role, kind) || (his.length > 0 && fields.every((f) => his.includes(f)));
}

/** Roles that somebody may give to others: none above his own. */
export const rolesBelow = (role: Role): Role[] => ROLES.slice(ROLES.indexOf(role));
