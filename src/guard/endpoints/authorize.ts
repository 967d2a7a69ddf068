import { isInRanges } from '../../core/bypass/address.js';
import { normalTarget } from '../../core/places/request-target.js';
import type { Policy } from '../../core/policy/types.js';
import type { GuardOptions } from '../context.js';
import { movedTo, textAnswer } from '../answers/answers.js';
import { headerOf, type Answer, type Verdict, type VerdictHeaders, type Visit } from '../visit/visit.js';

/** Whether a web server asks on behalf of a visitor: `GET /_dorlin/authorize`, in that spelling alone. */
export const isSubrequest = ({ target }: Pick<Visit, 'target'>, { site }: Policy): boolean =>
  target.startsWith(site.prefix) && target.slice(site.prefix.length) === '/authorize';

/** What a web server says of the request that it was sent. */
interface Subrequest {
  readonly target: string;
  readonly method: string;
  /** The answers it takes, where it takes no others: nginx's `auth_request`. */
  readonly knows: readonly number[] | undefined;
}

/**
 * Answers a web server that asks before it serves: `204` where the visitor is let in, with the headers that
 * are to be set on the page; else what the visitor is to get. Asked by `X-Original-URI`, as nginx is
 * used to, the status is one of `401`, `403` and `404`, of which `Dorlin-Hide: 403` takes the last away; by
 * `X-Forwarded-Uri`, it is the whole answer.
 *
 * What is let in must be in the normal form in which it was judged, as whoever asks hands on what arrived. Of another
 * spelling the answer is where it leads (`308`), or that Dorlin serves it.
 *
 * A page of which something may have to be cut is not let through either: whoever asks cannot do that.
 * It is Dorlin's own to serve.
 *
 * @param ports - answer the visit that is asked about, and say which pages may be marked
 */
export function answerSubrequest(visit: Visit, { site }: Policy, { judge, marksOf }: Asking): Answer | Promise<Answer> {
  // Whoever else could ask would learn what is hidden.
  if (!isInRanges(visit.address, site.trustedProxies)) return nothing;
  const asked = subrequestOf(visit);
  if (asked === undefined) return nothing;
  // Our own addresses are for whoever comes to them, in every spelling.
  const normal = normalTarget(asked.target);
  if (normal.ok && normal.target.startsWith(site.prefix)) return within(nothing, asked.knows);
  const inner: Visit = {
    method: asked.method,
    target: asked.target,
    headers: visit.headers,
    encrypted: visit.encrypted,
    address: visit.address,
    raw: visit.raw,
    isBeforehand: asked.knows !== undefined,
  };
  const finish = (verdict: Verdict): Answer | Promise<Answer> => {
    const answer = within(answerTo(verdict), asked.knows);
    // What is let in goes on as it came, to a program with a reading of its own: so it must have come as it was judged.
    if (answer.status === 204 && verdict.kind !== 'answer' && pathIn(verdict.target) !== pathIn(asked.target))
      return asked.knows === undefined ? movedTo(verdict.target) : inAnotherSpelling;
    // Where nothing is looked for in pages, or this visitor gets nothing, there is nothing to ask.
    if (answer.status !== 204 || verdict.kind === 'answer' || verdict.page === undefined) return answer;
    if (marksOf === undefined) return answer;
    return marksOf(verdict.target).then((marks) => (marks?.size === 0 ? answer : ourOwn));
  };
  const verdict = judge(inner);
  return verdict instanceof Promise ? verdict.then(finish) : finish(verdict);
}

/** What a subrequest is answered by. */
interface Asking extends Pick<GuardOptions, 'marksOf'> {
  readonly judge: (asked: Visit) => Verdict | Promise<Verdict>;
}

const nothing = textAnswer(404, 'There is nothing here.');

/** The request that is asked about; undefined where none is named, or two are. */
function subrequestOf(visit: Visit): Subrequest | undefined {
  const original = headerOf(visit, 'x-original-uri');
  const forwarded = headerOf(visit, 'x-forwarded-uri');
  if ((original === undefined) === (forwarded === undefined)) return undefined;
  const method = headerOf(visit, original === undefined ? 'x-forwarded-method' : 'x-original-method') ?? 'GET';
  return original === undefined
    ? { target: forwarded ?? '', method, knows: undefined }
    : {
        target: original,
        method,
        knows: headerOf(visit, 'dorlin-hide') === '403' ? [204, 401, 403] : [204, 401, 403, 404],
      };
}

function answerTo(verdict: Verdict): Answer {
  // An answer of ours is never a yes, whatever it says: whoever asks lets in by any success.
  if (verdict.kind === 'answer') return verdict.status < 300 ? { ...verdict, status: 403 } : verdict;
  if (verdict.kind === 'missing') return nothing;
  if (verdict.page?.mayCut === true) return ourOwn;
  // Of what is open nothing is said: what is hidden is answered without it too.
  const headers: VerdictHeaders = verdict.kind === 'let-in' ? verdict.headers : {};
  return { kind: 'answer', status: 204, headers, body: '' };
}

/** Queries are no part of a place. */
const pathIn = (target: string) => target.split('?', 1)[0];

const inAnotherSpelling = textAnswer(403, 'This address is not in its normal form, so Dorlin itself has to serve it.');

const ourOwn = textAnswer(403, 'Parts of this page may be locked, so Dorlin itself has to serve it.');

const within = (answer: Answer, statuses: readonly number[] | undefined): Answer =>
  statuses === undefined || statuses.includes(answer.status) ? answer : { ...answer, status: 403 };
