import { stranger } from '../core/bypass/bypass.js';
import { decideSection, sectionsAt, splitFragment } from '../core/decide-section.js';
import { decide, lockToAsk, type Decision, type Question, type Reason } from '../core/decide.js';
import { matrixOf, namedTargets } from '../core/explain/matrix.js';
import { outcomeOf, outsiderOutcome, type Outcome } from '../core/explain/outcome.js';
import { wouldChange } from '../core/explain/would-change.js';
import { newPass, type Pass } from '../core/passes/pass.js';
import { matchPassword } from '../core/passwords/shared-salt.js';
import { asksByScreen } from '../core/policy/lock-state.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { isWithin } from '../core/windows/window.js';
import { reasonText, refusalWords } from '../core/reasons.js';
import { nativeHasher } from '../stores/hasher.js';
import { loadPolicy } from '../stores/policy-file.js';
import { pathOfAddress } from './place-text.js';
import { playVisit } from './play-visit.js';
import { momentMeant, playedSession, questionOf, type SeenBy } from './seen-by.js';

/** Who visits, and when. */
export interface VisitOrder extends SeenBy {
  /** Who typed this password. */
  readonly password?: string | undefined;
}

/** One reason of a decision: its code and what belongs to it, and a sentence. */
export type ExplainedReason = Reason & { readonly text: string };

/** Something that would open a shut address. */
export interface ExplainedOpener {
  readonly lock: string;
  readonly kind: 'password' | 'link' | 'imported user';
  readonly id: string;
  readonly label: string;
  readonly standing: 'counts' | 'not yet' | 'ended';
}

/** How a section of a page stands. */
export interface ExplainedSection {
  readonly id: string;
  readonly locks: readonly string[];
  readonly isOpen: boolean;
  /** What stands in its place, where the page is open and it is not. */
  readonly instead?: string | undefined;
}

/** Why an address is open or shut to a visitor, and what that visitor gets. */
export interface ExplainResult {
  readonly url: string;
  readonly target: string;
  readonly decision: 'refused' | 'open' | 'let-in' | 'shut';
  /** What it comes to. */
  readonly outcome: Outcome;
  readonly locks: readonly string[];
  /** Whether nothing is known of the visitor. */
  readonly isStranger: boolean;
  /** The locks that the password opens, where one was typed. */
  readonly opensWithPassword?: readonly string[] | undefined;
  readonly reasons: readonly ExplainedReason[];
  readonly section?: ExplainedSection | undefined;
  readonly openers: readonly ExplainedOpener[];
  /** What would change it, as sentences. */
  readonly wouldChange: readonly string[];
  /** What is answered, in words. */
  readonly answer: string;
  /** The status; `null` where the site itself answers. */
  readonly status: number | null;
  readonly headers: Readonly<Record<string, string | readonly string[]>>;
}

/**
 * Explains what a visitor gets at an address, by deciding it and by playing the visit.
 * @throws DorlinError `place-invalid`, `address-invalid`, `time-invalid`
 */
export async function explain(policyFile: string, url: string, order: VisitOrder = {}): Promise<ExplainResult> {
  const policy = await loadPolicy(policyFile);
  const { password, ...seenBy } = order;
  const { question: visit } = questionOf(policy, seenBy);
  const { now, visitor = stranger } = visit;
  // Of a whole address, what a server is asked for: its path and query as they are written.
  const address = /^https?:/i.test(url) && pathOfAddress(policy, url) ? pathAndQuery(url) : url;
  const { target } = splitFragment(address);
  const typed = password === undefined ? [] : await passesBy(password, policy, now);
  const passes = [...visit.passes, ...typed];
  const because: Reason[] = [];
  const question = { ...visit, passes };
  const decision = decide(policy, { target, ...question }, because);
  const section = sectionOf(policy, address, decision, question, because);
  const verdict = await playVisit(policy, { target, visitor, passes, session: playedSession, now });
  const isCut = section?.isOpen === false && decision.kind !== 'shut';
  return {
    url,
    target,
    decision: decision.kind,
    outcome: outcomeOf(decision),
    locks: locksOf(decision),
    isStranger: [order.password, order.opened, order.from, order.person, order.roles, order.signedIn].every(
      (one) => one === undefined,
    ),
    opensWithPassword: password === undefined ? undefined : typed.map(({ l }) => l),
    reasons: because.map((reason) => ({ ...reason, text: reasonText(reason) })),
    section,
    openers: openersOf(decision, now),
    wouldChange: wouldChange(decision, now, policy.site.timeZone),
    answer: isCut ? 'the page, without that section' : answerOf(decision),
    status: verdict.status ?? null,
    headers: verdict.headers,
  };
}

function pathAndQuery(url: string): string {
  const { pathname, search, hash } = new URL(url);
  return pathname + search + hash;
}

/** What every kind of visitor gets, address by address. */
export interface MatrixResult {
  readonly kinds: readonly string[];
  readonly rows: readonly {
    readonly target: string;
    /** By kind of visitor. */
    readonly gets: Readonly<Record<string, Outcome>>;
  }[];
}

/**
 * What every kind of visitor gets at some addresses, or at all that the policy names.
 * @throws DorlinError `place-invalid`, `time-invalid`
 */
export async function explainMatrix(policyFile: string, urls: readonly string[], at?: string): Promise<MatrixResult> {
  const policy = await loadPolicy(policyFile);
  const targets = urls.map((url) => splitFragment(pathOfAddress(policy, url)).target);
  const wanted = targets.length > 0 ? targets : namedTargets(policy);
  const { kinds, rows } = matrixOf(policy, wanted, momentMeant(policy, at));
  const names = kinds.map(({ name }) => name);
  return {
    kinds: names,
    rows: rows.map(({ target, outcomes }) => ({
      target,
      gets: Object.fromEntries(names.map((name, column) => [name, outcomes[column] ?? 'open'])),
    })),
  };
}

/** What opens the locks that shut an address, and whether it counts at that moment. */
function openersOf(decision: Decision, now: number): ExplainedOpener[] {
  if (decision.kind !== 'shut') return [];
  return decision.locks.flatMap((lock) => {
    const links = new Set(lock.links.map(({ id }) => id));
    const imported = new Set(lock.importedUsers.map(({ id }) => id));
    return [...lock.openers.values()].map(({ id, label, window }) => ({
      lock: lock.name,
      kind: links.has(id) ? ('link' as const) : imported.has(id) ? ('imported user' as const) : ('password' as const),
      id,
      label,
      standing: isWithin(window, now)
        ? ('counts' as const)
        : window.from !== undefined && now < window.from
          ? ('not yet' as const)
          : ('ended' as const),
    }));
  });
}

/** How the section stands that an address names behind `#`, where the policy locks one. */
function sectionOf(
  policy: Policy,
  url: string,
  decision: Decision,
  question: Omit<Question, 'target'>,
  because: Reason[],
): ExplainedSection | undefined {
  const { target, id } = splitFragment(url);
  const locks = id === undefined ? undefined : sectionsAt(policy, target).get(id);
  if (id === undefined || locks === undefined) return undefined;
  const section = decideSection(locks, question, because);
  const shutting = section.kind === 'shut' ? section.locks : locks.flat();
  const isPageOpen = decision.kind === 'open' || decision.kind === 'let-in';
  return {
    id,
    locks: [...new Set(shutting.map(({ name }) => name))],
    isOpen: isPageOpen && section.kind !== 'shut',
    instead: isPageOpen && section.kind === 'shut' ? insteadOf(lockToAsk(section.locks)) : undefined,
  };
}

/** What stands in the place of a section. */
const insteadOf = (lock: Lock) =>
  lock.outsiders === 'not-found' ? 'nothing' : asksByScreen(lock) ? 'a small form' : 'a sentence that it is closed';

/** A pass for every lock that a password opens. */
async function passesBy(typed: string, policy: Policy, now: number): Promise<Pass[]> {
  const passes: Pass[] = [];
  for (const lock of policy.locks.values()) {
    const password = await matchPassword(typed, lock.passwords, nativeHasher);
    if (password === undefined) continue;
    // As a lasting pass where the lock gives one, else bound to a visit that is this call.
    const session = lock.remember.kind === 'visit' ? playedSession : undefined;
    passes.push(newPass(lock, password, now, session));
  }
  return passes;
}

function answerOf(decision: Decision): string {
  switch (decision.kind) {
    case 'open':
      return 'the page, untouched';
    case 'let-in': {
      const by = decision.bypass === undefined ? '' : ` and Dorlin-Let-In: bypass ${decision.bypass}`;
      return `the page, with Cache-Control: private, no-store${by}`;
    }
    case 'refused':
      return decision.refusal === 'own-file'
        ? 'not found, as if there were no such file'
        : `400, because ${refusalWords[decision.refusal]}`;
    case 'shut':
      return outsiderWords(lockToAsk(decision.locks), locksOf(decision).join(' or '));
  }
}

/** What an outsider gets, in words. */
function outsiderWords(lock: Lock, names: string): string {
  const { outsiders, basic } = lock;
  const tools = basic === true ? '; 401 with a challenge for what is no browser' : '';
  switch (outsiderOutcome(lock)) {
    case 'prompted':
      return `401, and the browser’s own prompt for ${names}`;
    case 'sent-away':
      return `302, sent to ${typeof outsiders === 'string' ? '' : outsiders.redirect}`;
    case 'hidden':
      return 'the site’s own answer to what is not there';
    case 'asked':
      return `403, the screen of ${names} asking for its password${tools}`;
    default:
      return `${outsiders === 'closed' ? 503 : 403}, the screen of ${names}, closed${tools}`;
  }
}

const locksOf = (decision: Decision) => ('locks' in decision ? decision.locks.map(({ name }) => name) : []);
