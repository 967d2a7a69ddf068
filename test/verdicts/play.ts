import { base64url } from 'jose';
import type { Visitor } from '../../src/core/bypass/bypass.js';
import { decide, lockToAsk, type Decision, type Reason } from '../../src/core/decide.js';
import type { Pass } from '../../src/core/passes/pass.js';
import type { Policy } from '../../src/core/policy/types.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import { reasonText } from '../../src/core/reasons.js';
import { parseMoment } from '../../src/core/windows/moment.js';

/** A policy and what visitors get by it: one row a line, `who | asks for | gets | because`. */
export interface Chapter {
  readonly title: string;
  readonly about: string;
  /** YAML from the second line on; `…` stands for a hash of its own each time. */
  readonly policy: string;
  readonly rows: string;
}

export interface Row {
  readonly who: string;
  readonly asksFor: string;
  readonly gets: string;
  readonly because: string;
}

export function rowsOf({ rows }: Chapter): Row[] {
  return rows
    .trim()
    .split('\n')
    .map((line) => {
      const [who = '', asksFor = '', gets = '', because = ''] = line.split(' | ').map((cell) => cell.trim());
      return { who, asksFor, gets, because };
    });
}

export function policyOf({ policy }: Chapter): Policy {
  let number = 0;
  const text = policy.replaceAll('…', () => {
    const hash = new Uint8Array(32).fill(++number);
    const salt = base64url.encode(new Uint8Array(16));
    return `'$argon2id$v=19$m=8,t=1,p=1$${salt}$${base64url.encode(hash).replaceAll('-', '+').replaceAll('_', '/')}'`;
  });
  return readPolicyOrThrow(`dorlin: 1\n${text}`, 'the policy of the chapter');
}

/** When rows play that do not say when. */
const usualMoment = '2026-11-23T12:00Z';
const thisVisit = 'this visit';
const secondsIn = { day: 86_400, hour: 3600, minute: 60 };

/** Plays one row: what the visitor gets, and every reason for it. */
export function play(policy: Policy, { who, asksFor }: Row): { gets: string; reasons: string[] } {
  const zone = policy.site.timeZone;
  const at = / at (\S+)$/.exec(who)?.[1] ?? usualMoment;
  const now = parseMoment(at, zone, 'earlier');
  if (now === undefined) throw new Error(`no moment: ${at}`);
  const passes: Pass[] = [];
  const roles: string[] = [];
  let visitor: Visitor = { roles, signedIn: false };
  for (const part of who.replace(/ at \S+$/, '').split(', ')) {
    const [verb = '', ...rest] = part.split(' ');
    const value = rest.join(' ');
    if (verb === 'opened') passes.push(passFrom(policy, value, now));
    else if (verb === 'role') roles.push(value);
    else if (verb === 'from') visitor = { ...visitor, address: value };
    else if (verb === 'person') visitor = { ...visitor, person: value, signedIn: true };
    else if (part === 'signed in') visitor = { ...visitor, signedIn: true };
    else if (part !== 'a stranger') throw new Error(`who is that: ${part}`);
  }
  const because: Reason[] = [];
  const question = { target: asksFor, passes, session: thisVisit, visitor, now };
  const decision = decide(policy, question, because);
  return { gets: wordsFor(decision), reasons: because.map(reasonText) };
}

/** `members by spring 3 days ago, for the visit`, of which only the lock must be said. */
function passFrom(policy: Policy, text: string, now: number): Pass {
  const found =
    /^(\S+)(?: by (\S+))?(?: (-?\d+) (day|hour|minute)s? ago)?(?: (for this visit|for another visit))?(?: (before it was changed))?$/.exec(
      text,
    );
  if (found === null) throw new Error(`no pass: ${text}`);
  const [, name = '', id, count = '0', unit = 'day', visit, changed] = found;
  const openers = policy.locks.get(name)?.openers;
  const opener = id === undefined ? openers?.values().next().value : openers?.get(id);
  return {
    l: name,
    p: opener?.id ?? id ?? 'none',
    m: changed === undefined && opener !== undefined ? opener.mark : 'other!',
    t: now - Number(count) * secondsIn[unit as keyof typeof secondsIn],
    ...(visit === undefined ? {} : { v: visit === 'for this visit' ? thisVisit : 'another' }),
  };
}

function wordsFor(decision: Decision): string {
  if (decision.kind === 'refused') return 'refused';
  if (decision.kind === 'open') return 'open';
  if (decision.kind === 'let-in') {
    return decision.bypass === undefined ? 'let in' : `let in by bypass ${decision.bypass}`;
  }
  const names = decision.locks.map(({ name }) => name).join(' or ');
  const { outsiders, passwords, basic } = lockToAsk(decision.locks);
  if (typeof outsiders !== 'string') return `sent to ${outsiders.redirect} by ${names}`;
  if (outsiders === 'not-found') return `not found, by ${names}`;
  if (basic === 'always') return `asked in a prompt by ${names}`;
  return outsiders === 'closed' || passwords.length === 0 ? `told closed by ${names}` : `asked by ${names}`;
}
