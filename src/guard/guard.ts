import { decide } from '../core/decide.js';
import { isSameHost, normalTarget, type Refusal } from '../core/places/request-target.js';
import { refusalWords } from '../core/reasons.js';
import { letInHeaders, textAnswer } from './answers.js';
import { factsWithCredentials, readCredentials, type Credentials } from './basic.js';
import { isSecureVisit, tell, type GuardContext, type GuardOptions } from './context.js';
import { readCookies } from './cookies.js';
import { bothFilters } from './both-filters.js';
import { answerEndpoint } from './endpoints.js';
import { factsOf, type Facts } from './facts.js';
import { missingVerdict } from './missing.js';
import { outsiderAnswer } from './outsider.js';
import { pageFilter } from './page-filter.js';
import { standingFor, type Standing } from './standing.js';
import { busyAnswer } from './unlock.js';
import { hasRibbon, publicSees, type Ribbon } from './ribbon.js';
import { correctedOpenCookie, isOpenedFor } from './open-locks.js';
import { DorlinError } from '../core/errors.js';
import { headerOf, type Verdict, type VerdictHeaders, type Visit } from './visit.js';

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
  let formerStanding: Standing | undefined;

  /** Takes what counts now: the policy, and the one before it for as long as that does. */
  const refresh = (): void => {
    const policy = options.policy();
    const former = options.former?.();
    if (former !== formerStanding?.policy) {
      const known = former === standing.policy ? standing : former && standingFor(former);
      formerStanding = known;
    }
    if (policy !== standing.policy) {
      standing = policy === formerStanding?.policy ? formerStanding : standingFor(policy);
    }
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
  const answerBy = (of: Standing, visit: Visit) => answerVisit(options, of, visit, options.clock());

  return {
    answer(visit) {
      try {
        refresh();
        const verdict =
          formerStanding === undefined
            ? answerBy(standing, visit)
            : answerByBoth(standing, formerStanding, visit, answerBy);
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
        const is = (of: Standing) =>
          isOpenedFor(contextOf(options, of, visit, visit.target, options.clock()), lock);
        const former = formerStanding;
        const answer =
          former?.policy.locks.has(lock) === true
            ? Promise.all([is(standing), is(former)]).then((both) => both.every((one) => one))
            : is(standing);
        return answer instanceof Promise ? answer.catch(no) : answer;
      } catch (error) {
        return no(error);
      }
    },
  };
}

function contextOf(
  options: GuardOptions,
  standing: Standing,
  visit: Visit,
  target: string,
  now: number,
): GuardContext {
  const isSecure = isSecureVisit(visit, standing.policy);
  return { options, standing, visit, target, isSecure, now };
}

function refusalAnswer(context: GuardContext, refusal: Refusal): Verdict {
  tell(context, { type: 'refused', refusal });
  const why = refusalWords[refusal];
  return textAnswer(400, `This address cannot be read for certain: ${why}.`);
}

/** What both policies let through: what the new one shuts is shut, and what the former one shut. */
async function answerByBoth(
  now: Standing,
  former: Standing,
  visit: Visit,
  answerBy: (of: Standing, visit: Visit) => Verdict | Promise<Verdict>,
): Promise<Verdict> {
  const before = await answerBy(former, visit);
  if (before.kind === 'answer' || before.kind === 'missing') return before;
  const after = await answerBy(now, visit);
  if (after.kind === 'answer' || after.kind === 'missing') return after;
  const page =
    before.page && after.page ? bothFilters(before.page, after.page) : (before.page ?? after.page);
  // Where either was locked, it is a locked page.
  return { ...(after.kind === 'let-in' ? after : before), page };
}

function answerVisit(
  options: GuardOptions,
  standing: Standing,
  visit: Visit,
  now: number,
): Verdict | Promise<Verdict> {
  const { policy } = standing;
  const { prefix } = policy.site;
  const normal = normalTarget(visit.target);
  const target = normal.ok ? normal.target : '/';
  const context = contextOf(options, standing, visit, target, now);
  if (!normal.ok) return refusalAnswer(context, normal.refusal);
  const { authority } = normal;
  if (authority !== undefined && !isSameHost(authority, headerOf(visit, 'host')))
    return refusalAnswer(context, 'other-host');
  if (target.startsWith(prefix) && target[prefix.length] === '/') {
    const name = target.slice(prefix.length + 1).split('?', 1)[0] ?? '';
    return answerEndpoint(context, name);
  }
  // As a stranger first: most requests are for open pages, and need no more than this.
  const decision = decide(policy, { target, passes: [], now });
  if (decision.kind === 'refused') return refusalAnswer(context, decision.refusal);
  if (decision.kind === 'open') return { kind: 'open', target, page: pageFilter(context) };
  const facts = factsOf(context, readCookies(visit, context.isSecure));
  return facts instanceof Promise
    ? facts.then((known) => judge(context, known))
    : judge(context, facts);
}

function judge(context: GuardContext, facts: Facts, mayTry = true): Verdict | Promise<Verdict> {
  const { visit, target, standing } = context;
  const decision = decide(standing.policy, { target, ...facts });
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
    return { kind: 'let-in', target, headers, locks, page };
  }
  if (decision.kind !== 'shut') throw new Error('a locked address became open under way');
  const cookies = readCookies(visit, context.isSecure);
  const isAsPublic = cookies.publicSince !== undefined;
  if (mayTry && !isAsPublic && decision.locks.some(({ basic }) => basic !== false)) {
    const credentials = readCredentials(visit);
    if (credentials !== undefined) return judgeCredentials(context, facts, credentials);
  }
  const verdict = outsiderAnswer(context, decision.locks);
  if (verdict === 'hide') return missingVerdict(context, facts);
  if (cookies.open === undefined && !isAsPublic) return verdict;
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
  const { standing, target, now } = context;
  const decision = decide(standing.policy, { target, passes: [], now });
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
