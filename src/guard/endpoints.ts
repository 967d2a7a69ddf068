import { jsonAnswer, seeOther, textAnswer } from './answers.js';
import { ownAssets, pageScript } from './assets.js';
import { addressOf, tell, type GuardContext } from './context.js';
import { forgetCookies, readCookies } from './cookies.js';
import { answerEnter } from './enter.js';
import { factsOf } from './facts.js';
import { FormTooLong, isCrossSite, wantsJson } from './form.js';
import { correctedOpenCookie, openLocks } from './open-locks.js';
import { answerRequest } from './request.js';
import { answerView } from './view.js';
import { answerUnlock } from './unlock.js';
import type { Answer } from './visit.js';

/** Answers Dorlin's own addresses. `name` is the path after the prefix and its slash. */
export function answerEndpoint(context: GuardContext, name: string): Answer | Promise<Answer> {
  const answer = endpoint(context, name);
  return answer instanceof Promise ? answer.catch(tooLong) : answer;
}

/** The answer to a form that is longer than is read; the connection ends, as more of it may follow. */
function tooLong(error: unknown): Answer {
  if (!(error instanceof FormTooLong)) throw error;
  return textAnswer(413, 'This form is too long.', { connection: 'close' });
}

function endpoint(context: GuardContext, name: string): Answer | Promise<Answer> {
  const { visit, isSecure, standing } = context;
  const isGet = visit.method === 'GET' || visit.method === 'HEAD';
  const isPost = visit.method === 'POST';

  if (name === 'unlock' || name === 'leave' || name === 'view' || name === 'request') {
    // Reached by typing or reloading the address of the wrong state: nothing to see there.
    if (isGet) return seeOther('/', []);
    if (!isPost) return textAnswer(405, 'Send this with POST.', { allow: 'POST' });
    if (isCrossSite(visit, context.standing.policy.site))
      return textAnswer(403, 'Another site sent this form.');
    if (name === 'unlock') return answerUnlock(context);
    if (name === 'view') return answerView(context);
    if (name === 'request') return answerRequest(context);
    tell(context, { type: 'left' });
    const cookies = forgetCookies(isSecure);
    return wantsJson(visit)
      ? jsonAnswer(200, { open: [] }, { 'set-cookie': cookies })
      : seeOther('/', cookies);
  }
  if (name === 'enter' && (isGet || isPost)) return answerEnter(context);
  if (name === 'address' && isGet && context.standing.policy.site.showAddress) {
    const address = addressOf(context) ?? 'unknown';
    return wantsJson(visit) ? jsonAnswer(200, { address }) : textAnswer(200, address);
  }
  if (name === 'status' && isGet) return answerStatus(context);
  if (name === 'page.js' && isGet) {
    const headers = {
      'content-type': 'text/javascript; charset=utf-8',
      // Its address does not change with it, so browsers are to ask again now and then.
      'cache-control': 'public, max-age=3600',
      'x-content-type-options': 'nosniff',
    };
    return { kind: 'answer', status: 200, headers, body: pageScript };
  }
  const asset = name.startsWith('assets/') ? name.slice(7) : '';
  const file = ownAssets.get(asset) ?? standing.files.get(asset);
  if (file !== undefined && isGet) {
    const headers = {
      'content-type': file.type,
      'cache-control': 'public, max-age=31536000, immutable',
      'x-content-type-options': 'nosniff',
    };
    return { kind: 'answer', status: 200, headers, body: file.body };
  }
  return textAnswer(404, 'There is nothing here.');
}

async function answerStatus(context: GuardContext): Promise<Answer> {
  const cookies = readCookies(context.visit, context.isSecure);
  const facts = await factsOf(context, cookies);
  const cookie = correctedOpenCookie(context, facts, cookies);
  const headers = cookie === undefined ? {} : { 'set-cookie': [cookie] };
  return jsonAnswer(200, { open: openLocks(context, facts) }, headers);
}
