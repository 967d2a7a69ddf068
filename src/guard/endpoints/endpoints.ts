import { awayAnswer, isAway, jsonAnswer, seeOther, textAnswer } from '../answers/answers.js';
import { keptSecurityPolicy, ownAssets, pageScript } from '../answers/assets.js';
import { noticeAnswer } from '../answers/screen-answer.js';
import { addressOf, tell, type GuardContext } from '../context.js';
import { forgetCookies } from '../visit/cookies.js';
import { answerEnter } from './enter.js';
import { factsOf } from '../visit/facts.js';
import { FormTooLong, isCrossSite, wantsJson } from '../visit/form.js';
import { correctedOpenCookie, openLocks } from '../visit/open-locks.js';
import { answerRequest } from './request.js';
import { answerUnlock } from './unlock.js';
import { answerView } from './view.js';
import type { Answer } from '../visit/visit.js';
import { keptKind } from '../../core/screen/kept-file.js';

/** One of Dorlin's own addresses. */
interface Endpoint {
  /** `GET` stands for `HEAD` too. */
  readonly methods: readonly ('GET' | 'POST')[];
  /** Whether only pages of this site may send there. */
  readonly isSameSite?: true;
  /** Whether there is such an address under this policy. @default there is */
  readonly exists?: (context: GuardContext) => boolean;
  readonly answer: (context: GuardContext) => Answer | Promise<Answer>;
}

/** A form: whoever comes by typing or reloading its address is sent to the start page. */
const form = (answer: Endpoint['answer']): Endpoint => ({ methods: ['POST'], isSameSite: true, answer });

/** By the path after the prefix and its slash. */
const endpoints: ReadonlyMap<string, Endpoint> = new Map<string, Endpoint>([
  ['unlock', form(answerUnlock)],
  ['view', form(answerView)],
  ['request', form(answerRequest)],
  ['leave', form(answerLeave)],
  ['enter', { methods: ['GET', 'POST'], answer: answerEnter }],
  [
    'address',
    {
      methods: ['GET'],
      exists: ({ guarded }) => guarded.policy.site.showAddress,
      answer: answerAddress,
    },
  ],
  ['status', { methods: ['GET'], answer: answerStatus }],
  // Its address does not change with it, so browsers are to ask again now and then.
  [
    'page.js',
    {
      methods: ['GET'],
      answer: () => fileAnswer('text/javascript; charset=utf-8', 'public, max-age=3600', pageScript),
    },
  ],
]);

/** Answers Dorlin's own addresses. `name` is the path after the prefix and its slash. */
export function answerEndpoint(context: GuardContext, name: string): Answer | Promise<Answer> {
  const { visit, guarded } = context;
  const method = visit.method === 'HEAD' ? 'GET' : visit.method;
  const endpoint = endpoints.get(name) ?? assetAt(context, name);
  if (endpoint === undefined || endpoint.exists?.(context) === false) return nothing;
  const { methods, isSameSite = false } = endpoint;
  if (!methods.some((one) => one === method)) {
    if (!isSameSite) return nothing;
    return method === 'GET' ? seeOther('/', []) : textAnswer(405, 'Send this with POST.', { allow: 'POST' });
  }
  if (isSameSite && isCrossSite(visit, guarded.policy.site)) return textAnswer(403, 'Another site sent this form.');
  const answer = endpoint.answer(context);
  return answer instanceof Promise ? answer.catch((error: unknown) => insteadOf(context, error)) : answer;
}

const nothing = textAnswer(404, 'There is nothing here.');

/** The answer in the place of one that an error came between. @throws every error that says nothing to visitors */
function insteadOf(context: GuardContext, error: unknown): Answer {
  // The connection ends, as more of the form may follow.
  if (error instanceof FormTooLong) return textAnswer(413, 'This form is too long.', { connection: 'close' });
  if (!isAway(error)) throw error;
  tell(context, { type: 'failed', message: error.message });
  if (wantsJson(context.visit)) return awayAnswer;
  const { headers, ...notice } = noticeAnswer(context, 'away', awayAnswer.status);
  return { ...notice, headers: { ...headers, 'retry-after': awayAnswer.headers['retry-after'] ?? '' } };
}

/** A file that screens and pages need, named by its content. */
function assetAt(context: GuardContext, name: string): Endpoint | undefined {
  const { guarded } = context;
  const asset = name.startsWith('assets/') ? name.slice(7) : '';
  if (asset.startsWith('kept/')) return { methods: ['GET'], answer: () => answerKept(context, asset.slice(5)) };
  const file = ownAssets.get(asset) ?? guarded.files.get(asset);
  if (file === undefined) return undefined;
  const answer = () => fileAnswer(file.type, 'public, max-age=31536000, immutable', file.body);
  return { methods: ['GET'], answer };
}

/** A picture or font of the owner's. A drawing may hold scripts: opened by itself, it runs none. */
async function answerKept({ options, guarded }: GuardContext, name: string): Promise<Answer> {
  const file = keptKind(name) === undefined ? undefined : await options.keptFile?.(guarded.policy, name);
  if (file === undefined) return nothing;
  const answer = fileAnswer(file.type, 'public, max-age=31536000, immutable', file.body);
  return { ...answer, headers: { ...answer.headers, 'content-security-policy': keptSecurityPolicy } };
}

function fileAnswer(type: string, caching: string, body: string | Uint8Array): Answer {
  const headers = {
    'content-type': type,
    'cache-control': caching,
    'x-content-type-options': 'nosniff',
  };
  return { kind: 'answer', status: 200, headers, body };
}

function answerLeave(context: GuardContext): Answer {
  tell(context, { type: 'left' });
  const cookies = forgetCookies(context.isSecure);
  return wantsJson(context.visit) ? jsonAnswer(200, { open: [] }, { 'set-cookie': cookies }) : seeOther('/', cookies);
}

function answerAddress(context: GuardContext): Answer {
  const address = addressOf(context) ?? 'unknown';
  return wantsJson(context.visit) ? jsonAnswer(200, { address }) : textAnswer(200, address);
}

async function answerStatus(context: GuardContext): Promise<Answer> {
  const facts = await factsOf(context);
  const cookie = correctedOpenCookie(context, facts);
  const headers = cookie === undefined ? {} : { 'set-cookie': [cookie] };
  return jsonAnswer(200, { open: openLocks(context, facts) }, headers);
}
