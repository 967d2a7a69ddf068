import { decide } from '../core/decide.js';
import { refusalWords } from '../core/reasons.js';
import { letInHeaders, textAnswer } from './answers.js';
import { factsWithCredentials, readCredentials, type Credentials } from './basic.js';
import { isSecureVisit, tell, type GuardContext, type GuardOptions } from './context.js';
import { readCookies } from './cookies.js';
import { answerEndpoint } from './endpoints.js';
import { factsOf, type Facts } from './facts.js';
import { outsiderAnswer } from './outsider.js';
import { pageFilter } from './page-filter.js';
import { standingFor, type Standing } from './standing.js';
import { busyAnswer } from './unlock.js';
import { hasRibbon, publicSees, type Ribbon } from './ribbon.js';
import { correctedOpenCookie, isOpenedFor } from './open-locks.js';
import { DorlinError } from '../core/errors.js';
import type { Verdict, VerdictHeaders, Visit } from './visit.js';

/** The running thing that answers each request from the policy. */
export interface Guard {
  /**
   * What is to become of a request. Without a promise where no lock covers it, where the
   * browser has no pass, and where its pass was seen before. Never throws and never rejects:
   * an error on the way is an answer that lets nobody in.
   */
  answer(visit: Visit): Verdict | Promise<Verdict>;
  /**
   * Whether a lock is open to a visitor, with all that it requires: for menus that a server renders.
   * At once or by a promise, as `answer` is. Anything that fails on the way is a no.
   *
   * @throws DorlinError `lock-unknown`
   */
  opened(visit: Visit, lock: string): boolean | Promise<boolean>;
}

/** Makes a guard. */
export function createGuard(options: GuardOptions): Guard {
  let standing = standingFor(options.policy());

  const refresh = (): Standing => {
    const policy = options.policy();
    if (policy !== standing.policy) standing = standingFor(policy);
    return standing;
  };
  const contextOf = (visit: Visit, now: number): GuardContext => {
    const isSecure = isSecureVisit(visit, standing.policy);
    return { options, standing, visit, isSecure, now };
  };
  const fail = (visit: Visit, error: unknown): Verdict => {
    const message = error instanceof Error ? error.message : 'unknown';
    try {
      tell({ options, standing, visit }, { type: 'failed', message });
    } catch {
      // A listener that fails must not open the door either.
    }
    return textAnswer(500, 'Something went wrong here, so nobody is let in. Please try again.');
  };

  return {
    answer(visit) {
      try {
        const verdict = answerVisit(refresh(), visit, options.clock(), contextOf);
        if (!(verdict instanceof Promise)) return verdict;
        return verdict.catch((error: unknown) => fail(visit, error));
      } catch (error) {
        return fail(visit, error);
      }
    },
    opened(visit, lock) {
      const no = (error: unknown) => {
        if (error instanceof DorlinError && error.code === 'lock-unknown') throw error;
        fail(visit, error);
        return false;
      };
      try {
        refresh();
        const is = isOpenedFor(contextOf(visit, options.clock()), lock);
        return is instanceof Promise ? is.catch(no) : is;
      } catch (error) {
        return no(error);
      }
    },
  };
}

const open: Verdict = { kind: 'open' };

/** What no lock covers, though a section of it may be under one. */
function openVerdict(context: GuardContext): Verdict {
  const page = pageFilter(context);
  return page === undefined ? open : { kind: 'open', page };
}

function answerVisit(
  { policy }: Standing,
  visit: Visit,
  now: number,
  contextOf: (visit: Visit, now: number) => GuardContext,
): Verdict | Promise<Verdict> {
  const { prefix } = policy.site;
  if (visit.target.startsWith(prefix) && visit.target[prefix.length] === '/') {
    const name = visit.target.slice(prefix.length + 1).split('?', 1)[0] ?? '';
    return answerEndpoint(contextOf(visit, now), name);
  }
  // As a stranger first: most requests are for open pages, and need no more than this.
  const decision = decide(policy, { target: visit.target, passes: [], now });
  const context = contextOf(visit, now);
  if (decision.kind === 'open') return openVerdict(context);
  if (decision.kind === 'refused') {
    tell(context, { type: 'refused', refusal: decision.refusal });
    const why = refusalWords[decision.refusal];
    return textAnswer(400, `This address cannot be read for certain: ${why}.`);
  }
  const facts = factsOf(context, readCookies(visit, context.isSecure));
  return facts instanceof Promise
    ? facts.then((known) => judge(context, known))
    : judge(context, facts);
}

function judge(context: GuardContext, facts: Facts, mayTry = true): Verdict | Promise<Verdict> {
  const { visit, standing } = context;
  const decision = decide(standing.policy, { target: visit.target, ...facts });
  if (decision.kind === 'let-in') {
    const { bypass } = decision;
    const headers = {
      ...letInHeaders,
      ...(bypass === undefined
        ? {}
        : { 'dorlin-let-in': `bypass ${bypass}`, ...openHeaders(context, facts) }),
      ...(decision.locks.some(({ basic }) => basic !== false) ? byCredentials : {}),
    };
    const locks = decision.locks.map(({ name }) => name);
    const page = pageFilter(context, { facts, ribbon: ribbonOf(context, bypass) });
    return { kind: 'let-in', headers, locks, page };
  }
  if (decision.kind !== 'shut') throw new Error('a locked address became open under way');
  const cookies = readCookies(visit, context.isSecure);
  const isAsPublic = cookies.publicSince !== undefined;
  if (mayTry && !isAsPublic && decision.locks.some(({ basic }) => basic !== false)) {
    const credentials = readCredentials(visit);
    if (credentials !== undefined) return judgeCredentials(context, facts, credentials);
  }
  const verdict = outsiderAnswer(context, decision.locks);
  // What answers in its stead is a page like others, and must not differ from what is not there.
  if (verdict.kind === 'missing') {
    return { ...verdict, page: pageFilter(context, { facts, isMissing: true }) };
  }
  if (verdict.kind !== 'answer' || (cookies.open === undefined && !isAsPublic)) return verdict;
  return { ...verdict, headers: { ...verdict.headers, ...openHeaders(context, facts) } };
}

/** What corrects the names of open locks in the browser. */
function openHeaders(context: GuardContext, facts: Facts): VerdictHeaders {
  const line = correctedOpenCookie(context, facts);
  return line === undefined ? {} : { 'set-cookie': [line] };
}

/** The bar for somebody let in by a bypass, where the policy wants it. */
function ribbonOf(context: GuardContext, bypass: string | undefined): Ribbon | undefined {
  if (bypass === undefined || !hasRibbon(context, bypass)) return undefined;
  const { standing, visit, now } = context;
  const decision = decide(standing.policy, { target: visit.target, passes: [], now });
  if (decision.kind !== 'shut') return undefined;
  return { kind: 'own', sees: publicSees(decision.locks), bypass };
}

const byCredentials = { vary: 'Cookie, Authorization' };

/** The same for a visit with credentials that may open what is shut. */
async function judgeCredentials(
  context: GuardContext,
  facts: Facts,
  credentials: Credentials,
): Promise<Verdict> {
  try {
    const found = await factsWithCredentials(context, facts, credentials);
    return 'kind' in found ? found : await judge(context, found, false);
  } catch (error) {
    return busyAnswer(context, error);
  }
}
