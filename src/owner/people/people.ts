import { createHash, randomBytes } from 'node:crypto';
import { DorlinError } from '../../core/errors.js';
import { generateId } from '../../core/passwords/generate.js';
import { defaultCosts, formatPhc, parsePhc } from '../../core/passwords/phc.js';
import { normalizePassword } from '../../core/passwords/normalize.js';
import { equalBytes, maxPasswordLength } from '../../core/passwords/shared-salt.js';
import { judgeStrength } from '../../core/passwords/strength.js';
import { nativeHasher, sharedHashingQueue } from '../../stores/hasher.js';
import { loadPolicy } from '../../stores/policy-file.js';
import { lockNamed } from '../named.js';
import { editPeople, readPeople, type Invite, type PeopleFile, type Person, type PersonRole } from './people-file.js';

/** Somebody who may use the console, without the hash of the password. */
export interface PersonListed {
  readonly id: string;
  readonly name: string;
  readonly role: PersonRole;
  /** The locks that a keeper looks after; none for owners, who may do everything. */
  readonly locks: readonly string[];
  readonly since: string;
}

/** Who may use the console, and who is invited. */
export interface PeopleList {
  readonly people: readonly PersonListed[];
  readonly invites: readonly {
    readonly id: string;
    readonly role: PersonRole;
    readonly locks: readonly string[];
    /** RFC 3339. */
    readonly until: string;
    /** Who sets a new password by it; left out, somebody new. */
    readonly person?: string | undefined;
  }[];
}

export const listedPerson = ({ id, name, role, locks, since }: Person): PersonListed => ({
  id,
  name,
  role,
  locks,
  since,
});

/** @throws DorlinError `people-unreadable` */
export async function listPeople(policyFile: string): Promise<PeopleList> {
  const { people, invites } = await readPeople(policyFile);
  const now = Date.now() / 1000;
  return {
    people: people.map(listedPerson),
    invites: invites
      .filter(({ until }) => until > now)
      .map(({ id, role, locks, until, person }) => ({
        id,
        role,
        locks,
        until: new Date(until * 1000).toISOString(),
        person: people.find((one) => one.id === person)?.name,
      })),
  };
}

/** What somebody is invited to. */
export interface InviteOrder {
  readonly role?: PersonRole | undefined;
  /** The locks of a keeper. */
  readonly locks?: readonly string[] | undefined;
  /** Somebody who is there already, by name or id: to set a new password. */
  readonly person?: string | undefined;
}

/** An invitation; its token is shown this once, and counts once. */
export interface Invited {
  readonly id: string;
  readonly role: PersonRole;
  readonly locks: readonly string[];
  readonly until: string;
  readonly token: string;
}

/** How long an invitation counts, in seconds. */
const inviteLife = 3 * 86_400;

const digestOf = (token: string) => createHash('sha256').update(token).digest('base64url');

/**
 * Invites somebody, or lets somebody who is there set a new password. While there is nobody yet, there is one invitation
 * for an owner at a time: the last.
 *
 * @param by - the id of the person who invites; undefined: the person who runs the command
 * @throws DorlinError `invite-invalid`, `lock-unknown`, `person-unknown`
 */
export async function invite(
  policyFile: string,
  { role: wanted = 'owner', locks: named = [], person: whose }: InviteOrder = {},
  by?: string,
): Promise<Invited> {
  // Before there is a policy, there is an owner who makes it.
  if (named.length > 0) {
    const policy = await loadPolicy(policyFile);
    for (const name of named) lockNamed(policy, name);
  }
  const token = randomBytes(32).toString('base64url');
  const until = Math.floor(Date.now() / 1000) + inviteLife;
  return editPeople(policyFile, (file) => {
    const person = whose === undefined ? undefined : personNamed(file, whose);
    const role = person?.role ?? wanted;
    const locks = person?.locks ?? [...new Set(named)];
    if (person === undefined && (role === 'keeper') === (locks.length === 0)) {
      throw new DorlinError(
        'invite-invalid',
        role === 'keeper' ? 'A keeper looks after locks, and none is named.' : 'An owner looks after every lock.',
      );
    }
    const id = generateId(randomBytes, new Set(file.invites.map((one) => one.id)), 6);
    const entry: Invite = {
      id,
      digest: digestOf(token),
      role,
      locks,
      until,
      ...(person && { person: person.id }),
      ...(by !== undefined && { by }),
    };
    const now = Date.now() / 1000;
    const others =
      file.people.length === 0 && role === 'owner' ? file.invites.filter((one) => one.role !== 'owner') : file.invites;
    file.invites = [...others.filter((one) => one.until > now), entry];
    return { id, role, locks, until: new Date(until * 1000).toISOString(), token };
  });
}

function personNamed({ people }: PeopleFile, which: string): Person {
  const found = people.filter(({ id, name }) => id === which || name === which);
  const [only] = found;
  if (only !== undefined && found.length === 1) return only;
  const all = people.map(({ id, name }) => `${name} (${id})`).join(', ') || 'nobody';
  throw new DorlinError('person-unknown', `\`${which}\` is nobody here, or more than one. There is: ${all}.`);
}

/** What an invitation is for; undefined where there is none like that, or no longer. */
export async function inviteBehind(policyFile: string, token: string): Promise<Invite | undefined> {
  const { invites } = await readPeople(policyFile);
  return inviteIn(invites, token);
}

function inviteIn(invites: readonly Invite[], token: string): Invite | undefined {
  const digest = Buffer.from(digestOf(token));
  const now = Date.now() / 1000;
  return invites.find((one) => one.until > now && equalBytes(Buffer.from(one.digest), digest));
}

/** Guesses that a password of the console must withstand, as a power of ten. */
const leastGuesses = 10;

/**
 * Takes an invitation: makes its person, or sets that person's password anew, and ends the invitation.
 * @throws DorlinError `invite-ended`, `person-name`, `password-weak`
 */
export async function acceptInvite(
  policyFile: string,
  token: string,
  { name, password }: { readonly name: string; readonly password: string },
): Promise<Person> {
  const found = await inviteBehind(policyFile, token);
  if (found === undefined) throw inviteEnded();
  const spoken = name.normalize('NFC').trim().replace(/\s+/g, ' ');
  const typed = normalizePassword(password);
  await refuseWeak(typed, spoken);
  const hash = await hashOf(typed);
  return editPeople(policyFile, (file) => {
    // Once more, now that nobody else writes: an invitation counts once.
    const entry = inviteIn(file.invites, token);
    if (entry === undefined) throw inviteEnded();
    file.invites = file.invites.filter((one) => one !== entry);
    const there = file.people.find(({ id }) => id === entry.person);
    if (there !== undefined) {
      there.hash = hash;
      there.sessions += 1;
      return there;
    }
    if (entry.person !== undefined) throw inviteEnded();
    if (!/^[\p{L}\p{M}\p{N}][\p{L}\p{M}\p{N} .,'’@_-]{0,59}$/u.test(spoken)) {
      throw new DorlinError('person-name', 'That cannot be a name here.');
    }
    if (file.people.some((one) => foldedName(one.name) === foldedName(spoken))) {
      throw new DorlinError('person-name', `There is a ${spoken} already.`);
    }
    const person: Person = {
      id: generateId(randomBytes, new Set(file.people.map(({ id }) => id)), 6),
      name: spoken,
      role: entry.role,
      locks: entry.locks,
      hash,
      sessions: 1,
      since: new Date().toISOString(),
    };
    // The console is set up: no other invitation from before makes an owner.
    if (file.people.length === 0) file.invites = file.invites.filter((one) => one.role !== 'owner');
    file.people.push(person);
    return person;
  });
}

const inviteEnded = () => new DorlinError('invite-ended', 'This invitation has ended, was taken, or never was.');
/** A name as names are told apart: for those who have one, and for those who try one. */
export const foldedName = (name: string): string => name.normalize('NFKC').trim().replace(/\s+/g, ' ').toLowerCase();

async function refuseWeak(password: string, name: string): Promise<void> {
  // First: to judge a very long one would take long.
  if (password.length < 10 || password.length > maxPasswordLength) {
    throw new DorlinError('password-weak', `A password for the console has 10 to ${maxPasswordLength} characters.`);
  }
  const { estimateGuesses } = await import('../passwords/estimate.js');
  const words = [name, ...name.split(/\s+/), 'dorlin', 'console'];
  const { guessesLog10 } = estimateGuesses(password, words);
  if (guessesLog10 >= leastGuesses) return;
  const said = judgeStrength(password, words, estimateGuesses).words;
  throw new DorlinError('password-weak', `That password is too easy to guess for a console. ${said}`);
}

const hash = sharedHashingQueue(nativeHasher);
const cost = defaultCosts.argon2id;

async function hashOf(password: string): Promise<string> {
  const salt = randomBytes(16);
  return formatPhc({ salt, cost, hash: await hash(password, salt, cost) });
}

/** What is hashed where nobody has that name, so that it takes as long. */
const nobody = { salt: new Uint8Array(16), cost, hash: new Uint8Array(cost.length) };

/** Who has that name and that password. */
export async function personBy(policyFile: string, name: string, password: string): Promise<Person | undefined> {
  const { people } = await readPeople(policyFile);
  const person = people.find((one) => foldedName(one.name) === foldedName(name.trim()));
  const wanted = (person && parsePhc(person.hash)) ?? nobody;
  const given = await hash(normalizePassword(password), wanted.salt, wanted.cost);
  return person !== undefined && wanted !== nobody && equalBytes(given, wanted.hash) ? person : undefined;
}

/** Whose sessions were ended. */
export interface SessionsEnded {
  readonly people: readonly string[];
}

/**
 * Ends the sessions of somebody, or of everybody.
 * @throws DorlinError `person-unknown`
 */
export async function endSessions(policyFile: string, which?: string): Promise<SessionsEnded> {
  return editPeople(policyFile, (file) => {
    const whose = which === undefined ? file.people : [personNamed(file, which)];
    for (const person of whose) person.sessions += 1;
    return { people: whose.map(({ name }) => name) };
  });
}

/** An invitation that was revoked. */
export interface InviteRevoked {
  readonly id: string;
}

/**
 * Revokes an invitation that nobody has taken.
 * @throws DorlinError `invite-unknown`
 */
export async function revokeInvite(policyFile: string, id: string): Promise<InviteRevoked> {
  return editPeople(policyFile, (file) => {
    const left = file.invites.filter((one) => one.id !== id);
    if (left.length === file.invites.length) {
      const all = file.invites.map((one) => one.id).join(', ') || 'none';
      throw new DorlinError('invite-unknown', `There is no invitation \`${id}\`. Those that wait: ${all}.`);
    }
    file.invites = left;
    return { id };
  });
}

/** Somebody who may no longer use the console. */
export interface PersonRemoved {
  readonly removed: PersonListed;
}

/**
 * Takes somebody out, with every session and invitation of theirs.
 * @throws DorlinError `person-unknown`, `person-last` where no owner would be left
 */
export async function removePerson(policyFile: string, which: string): Promise<PersonRemoved> {
  return editPeople(policyFile, (file) => {
    const person = personNamed(file, which);
    const left = file.people.filter((one) => one !== person);
    if (person.role === 'owner' && !left.some(({ role }) => role === 'owner')) {
      throw new DorlinError('person-last', `${person.name} is the last owner.`);
    }
    file.people = left;
    // Whoever has gone could come back by one that they made for themselves.
    file.invites = file.invites.filter((one) => one.person !== person.id && one.by !== person.id);
    return { removed: listedPerson(person) };
  });
}

/**
 * Gives a keeper other locks.
 * @throws DorlinError `person-unknown`, `lock-unknown`, `invite-invalid`
 */
export async function setKeeperLocks(
  policyFile: string,
  which: string,
  locks: readonly string[],
): Promise<PersonListed> {
  const policy = await loadPolicy(policyFile);
  for (const name of locks) lockNamed(policy, name);
  return editPeople(policyFile, (file) => {
    const person = personNamed(file, which);
    if (person.role !== 'keeper' || locks.length === 0) {
      throw new DorlinError('invite-invalid', 'A keeper has one lock or more; an owner has them all.');
    }
    person.locks = [...new Set(locks)];
    return listedPerson(person);
  });
}
