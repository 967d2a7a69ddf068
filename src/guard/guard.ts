import { markedLocks } from '../core/decide-section.js';
import { countsAt } from '../core/policy/lock-state.js';
import { decideBehind, locksBefore, type Standing } from '../core/decide.js';
import { DorlinError } from '../core/errors.js';
import { maskAddress } from '../core/bypass/address.js';
import { ownNames } from '../core/places/own-names.js';
import { isSameHost, normalTarget, type Refusal } from '../core/places/request-target.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { refusalWords } from '../core/reasons.js';
import { awayAnswer, isAway, letInHeaders, textAnswer } from './answers/answers.js';
import { factsWithCredentials, readCredentials, type Credentials } from './answers/basic.js';
import { bothFilters } from './page/both-filters.js';
import { GuardContext, tell, type Facts, type GuardOptions } from './context.js';
import { answerSubrequest, isSubrequest } from './endpoints/authorize.js';
import { answerEndpoint } from './endpoints/endpoints.js';
import { factsOf } from './visit/facts.js';
import { guardedSite, type GuardedSite } from './guarded-site.js';
import { missingVerdict } from './answers/missing.js';
import { correctedOpenCookie, isOpenedFor } from './visit/open-locks.js';
import { outsiderAnswer } from './answers/outsider.js';
import { noticeAnswer } from './answers/screen-answer.js';
import { pageFilter } from './page/page-filter.js';
import { hasRibbon, publicSees, type Ribbon } from './page/ribbon.js';
import { busyAnswer } from './endpoints/unlock.js';
import { headerOf, type Answer, type Verdict, type VerdictHeaders, type Visit } from './visit/visit.js';

/** The running thing that answers each request from the policy. */
export interface Guard {
  /**
   * What is to become of a request. Without a promise where the policy is at hand and no lock covers
   * the address, where the browser has no pass, and where its pass was seen before. Never throws and
   * never rejects: an error on the way is an answer that lets nobody in.
   */
  answer(visit: Visit): Verdict | Promise<Verdict>;
  /**
   * Whether a lock is open to a visitor, with all that it requires: for menus that a server renders.
   * At once or by a promise, as `answer` is. Anything that fails on the way is a no.
   *
   * @throws DorlinError `lock-unknown`
   */
  opened(visit: Visit, lock: string): boolean | Promise<boolean>;
  /**
   * What to answer where the site behind the guard does not: the site's screen, which says so, to browsers
   * that ask for a page, and a line to all else. Never throws and never rejects.
   */
  away(visit: Visit, status: 502 | 504): Answer | Promise<Answer>;
}

/** The policy that counts, and the one before it for as long as that does. */
interface Counting {
  readonly site: GuardedSite;
  readonly former: GuardedSite | undefined;
}

/** Makes a guard. */
export function createGuard(options: GuardOptions): Guard {
  const sites = new WeakMap<Policy, GuardedSite>();
  let last: GuardedSite | undefined;
  const siteOf = (policy: Policy): GuardedSite => {
    const keys = typeof options.keys === 'function' ? options.keys(policy) : options.keys;
    if (last?.policy === policy && last.keys === keys) return last;
    let site = sites.get(policy);
    // What was verified with other keys is not to be found again.
    if (site?.keys !== keys) sites.set(policy, (site = guardedSite(policy, keys)));
    last = site;
    return site;
  };
  /** Does something by the policy of a visit: at once where that is at hand. */
  const withPolicy = <T>(visit: Visit, then: (counting: Counting | undefined) => T | Promise<T>): T | Promise<T> => {
    const counting = (policy: Policy | undefined): Counting | undefined => {
      if (policy === undefined) return undefined;
      const former = options.former?.(policy);
      return { site: siteOf(policy), former: former && siteOf(former) };
    };
    const policy = options.policyFor(visit);
    return policy instanceof Promise ? policy.then((found) => then(counting(found))) : then(counting(policy));
  };
  const fail = (visit: Visit, error: unknown): Verdict => {
    const message = error instanceof Error ? error.message : 'unknown';
    try {
      options.onEvent?.({ type: 'failed', message, address: maskAddress(visit.address) });
    } catch {
      // A listener that fails must not open the door either.
    }
    if (isAway(error)) return awayAnswer;
    return textAnswer(500, 'Something went wrong here, so nobody is let in. Please try again.');
  };
  const answerBy = (of: GuardedSite, visit: Visit) => answerVisit(options, of, visit, options.clock());
  const answerAll = ({ site, former }: Counting, visit: Visit) =>
    former === undefined ? answerBy(site, visit) : answerByBoth(site, former, visit, answerBy);

  return {
    answer(visit) {
      try {
        const verdict = withPolicy(visit, (counting) => {
          if (counting === undefined) return noSite;
          const { policy } = counting.site;
          return isSubrequest(visit, policy)
            ? answerSubrequest(visit, policy, {
                judge: (asked) => answerAll(counting, asked),
                marksOf: options.marksOf,
              })
            : answerAll(counting, visit);
        });
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
      const is = (of: GuardedSite) =>
        isOpenedFor(new GuardContext(options, of, visit, visit.target, options.clock()), lock);
      try {
        const answer = withPolicy(visit, (counting) => {
          if (counting === undefined) return false;
          const { site, former } = counting;
          if (former?.policy.locks.has(lock) !== true) return is(site);
          return Promise.all([is(site), is(former)]).then((both) => both.every((one) => one));
        });
        return answer instanceof Promise ? answer.catch(no) : answer;
      } catch (error) {
        return no(error);
      }
    },
    away(visit, status) {
      const plainly = () => textAnswer(status, 'The site behind this address does not answer.');
      try {
        const answer = withPolicy(visit, (counting) => {
          const isForPage = /^(?:GET|HEAD)$/.test(visit.method) && headerOf(visit, 'accept')?.includes('text/html');
          if (counting === undefined || isForPage !== true) return plainly();
          return noticeAnswer(new GuardContext(options, counting.site, visit, '/', options.clock()), 'away', status);
        });
        return answer instanceof Promise ? answer.catch(plainly) : answer;
      } catch {
        return plainly();
      }
    },
  };
}

/** RFC 9110 section 15.5.20. */
const noSite = textAnswer(421, 'There is no site of this name here.');

function refusalAnswer(context: GuardContext, refusal: Refusal): Verdict {
  tell(context, { type: 'refused', refusal });
  const why = refusalWords[refusal];
  return textAnswer(400, `This address cannot be read for certain: ${why}.`);
}

/** What both policies let through: what the new one shuts is shut, and what the former one shut. */
async function answerByBoth(
  now: GuardedSite,
  former: GuardedSite,
  visit: Visit,
  answerBy: (of: GuardedSite, visit: Visit) => Verdict | Promise<Verdict>,
): Promise<Verdict> {
  const before = await answerBy(former, visit);
  if (before.kind === 'answer' || before.kind === 'missing') return before;
  const after = await answerBy(now, visit);
  if (after.kind === 'answer' || after.kind === 'missing') return after;
  const page = before.page && after.page ? bothFilters(before.page, after.page) : (before.page ?? after.page);
  // Where either was locked, it is a locked page.
  return { ...(after.kind === 'let-in' ? after : before), page };
}

function answerVisit(options: GuardOptions, site: GuardedSite, visit: Visit, now: number): Verdict | Promise<Verdict> {
  const { policy } = site;
  const { prefix } = policy.site;
  const normal = normalTarget(visit.target);
  const target = normal.ok ? normal.target : '/';
  const context = new GuardContext(options, site, visit, target, now);
  if (!normal.ok) return refusalAnswer(context, normal.refusal);
  const { authority } = normal;
  if (authority !== undefined && !isSameHost(authority, headerOf(visit, 'host')))
    return refusalAnswer(context, 'other-host');
  if (target.startsWith(prefix) && target[prefix.length] === '/') {
    const name = target.slice(prefix.length + 1).split('?', 1)[0] ?? '';
    return answerEndpoint(context, name);
  }
  // Most requests are for open pages, and need no more than this.
  const found = locksBefore(policy, target, now);
  if (found.companions === undefined || found.kind === 'refused' || !policy.site.marks)
    return answerStanding(context, found);
  const { companions } = found;
  const seen = companions.map((reading) => context.caches.marked.get(site.number, `${site.number} ${reading}`) ?? []);
  const { marksOf } = options;
  if (marksOf === undefined) return answerStanding(context, withMarked(context, found, seen));
  const paths = companions.map((reading) => reading.split('/').map(encodeURIComponent).join('/'));
  return Promise.all(paths.map((path) => marksOf(path))).then((known) =>
    answerStanding(context, withMarked(context, found, [...seen, ...known.map((marks) => marks ?? [])])),
  );
}

function answerStanding(context: GuardContext, standing: Standing | 'nobody'): Verdict | Promise<Verdict> {
  const { target } = context;
  if (standing === 'nobody') return forNobody;
  if (isOwnFile(context, standing)) {
    tell(context, { type: 'refused', refusal: 'own-file' });
    const facts = factsOf(context);
    return facts instanceof Promise
      ? facts.then((known) => missingVerdict(context, known))
      : missingVerdict(context, facts);
  }
  if (standing.kind === 'refused') return refusalAnswer(context, standing.refusal);
  if (standing.kind === 'open') return { kind: 'open', target, page: pageFilter(context) };
  const facts = factsOf(context);
  return facts instanceof Promise
    ? facts.then((known) => judge(context, standing, known))
    : judge(context, standing, facts);
}

/**
 * What stands before an address that may send the content of pages with marked sections: the locks of those too. A name
 * that no lock has lets nobody in.
 */
function withMarked(
  { guarded: { policy }, now }: GuardContext,
  standing: Exclude<Standing, { readonly kind: 'refused' }>,
  marks: readonly Iterable<string>[],
): Standing | 'nobody' {
  const groups: (readonly Lock[])[] = [];
  for (const name of marks.flatMap((names) => [...names])) {
    const locks = markedLocks(policy, name);
    if (locks === undefined) return 'nobody';
    groups.push(
      ...locks.map((group) => group.filter((lock) => countsAt(lock, now))).filter(({ length }) => length > 0),
    );
  }
  if (groups.length === 0) return standing;
  return { kind: 'locked', readings: [...(standing.kind === 'locked' ? standing.readings : []), ...groups] };
}

const forNobody = textAnswer(403, 'This address sends what a locked part of a page holds.');

/** Whether a target names a file of Dorlin's own: by a usual name, or by one that only this guard knows. */
function isOwnFile({ options, guarded, target }: GuardContext, standing: Standing): boolean {
  if (standing.kind === 'refused') return standing.refusal === 'own-file';
  if (options.ownNames === undefined) return false;
  const read = guarded.policy.read(target);
  const isOwn = ownNames(options.ownNames);
  return read.ok && [...read.readings, ...(read.companions ?? []).map(({ reading }) => reading)].some(isOwn);
}

function judge(context: GuardContext, standing: Standing, facts: Facts, mayTry = true): Verdict | Promise<Verdict> {
  const { visit, target, cookies } = context;
  const decision = decideBehind(standing, facts);
  if (decision.kind === 'let-in') {
    const { bypass } = decision;
    const isBasic = decision.locks.some(({ basic }) => basic !== false);
    const headers =
      bypass === undefined
        ? isBasic
          ? letInByCredentials
          : letInHeaders
        : {
            ...(isBasic ? letInByCredentials : letInHeaders),
            'dorlin-let-in': `bypass ${bypass}`,
            ...openHeaders(context, facts),
          };
    const locks = decision.locks.map(({ name }) => name);
    const page = pageFilter(context, { facts, ribbon: ribbonOf(context, standing, bypass) });
    return { kind: 'let-in', target, headers, locks, page };
  }
  if (decision.kind !== 'shut') throw new Error('a locked address became open under way');
  const isAsPublic = cookies.publicSince !== undefined;
  if (mayTry && !isAsPublic && decision.locks.some(({ basic }) => basic !== false)) {
    const credentials = readCredentials(visit);
    if (credentials !== undefined) return judgeCredentials(context, standing, facts, credentials);
  }
  const verdict = outsiderAnswer(context, decision.locks);
  if (verdict === 'hide') return missingVerdict(context, facts, decision.locks);
  if (cookies.open === undefined && !isAsPublic) return verdict;
  return { ...verdict, headers: { ...verdict.headers, ...openHeaders(context, facts) } };
}

/** What corrects the names of open locks in the browser. */
function openHeaders(context: GuardContext, facts: Facts): VerdictHeaders {
  const line = correctedOpenCookie(context, facts);
  return line === undefined ? {} : { 'set-cookie': [line] };
}

/** The bar for somebody let in by a bypass, where the policy wants it. */
function ribbonOf(context: GuardContext, standing: Standing, bypass: string | undefined): Ribbon | undefined {
  if (bypass === undefined || !hasRibbon(context, bypass)) return undefined;
  const decision = decideBehind(standing, { passes: [], now: context.now });
  if (decision.kind !== 'shut') return undefined;
  return { kind: 'own', sees: publicSees(decision.locks), bypass };
}

const letInByCredentials = { ...letInHeaders, vary: 'Cookie, Authorization' };

/** The same for a visit with credentials that may open what is shut. */
async function judgeCredentials(
  context: GuardContext,
  standing: Standing,
  facts: Facts,
  credentials: Credentials,
): Promise<Verdict> {
  try {
    const found = await factsWithCredentials(context, standing, facts, credentials);
    return 'kind' in found ? found : await judge(context, standing, found, false);
  } catch (error) {
    return busyAnswer(context, error);
  }
}
