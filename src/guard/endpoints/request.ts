import { decide } from '../../core/decide.js';
import { countsAt } from '../../core/policy/lock-state.js';
import { visitorKey, type Budget } from '../../core/guessing/budget.js';
import { ownEntryToken } from '../../core/passes/entry-link.js';
import { generateId } from '../../core/passwords/generate.js';
import type { EntryLink } from '../../core/policy/openers.js';
import type { Lock, Policy } from '../../core/policy/types.js';
import type { LockRequest } from '../../core/policy/requests.js';
import type { Letter } from '../../core/site-ports.js';
import { trapField } from '../../core/screen/blocks.js';
import type { Texts } from '../../core/screen/design/parts.js';
import { hashOf } from '../../core/screen/hash.js';
import { anySaid, ownSaid } from '../../core/screen/said.js';
import type { RequestFault } from '../../core/screen/view.js';
import { isWithin } from '../../core/windows/window.js';
import { jsonAnswer, seeOther } from '../answers/answers.js';
import { addressOf, tell, type GuardContext } from '../context.js';
import { readForm, wantsJson } from '../visit/form.js';
import { landingOf } from './let-in.js';
import { languageOf, requestAnswer } from '../answers/screen-answer.js';
import { safeTarget } from '../visit/target.js';
import type { Answer } from '../visit/visit.js';

/** As HTML has it for `type=email` (HTML standard 4.10.5.1.5), but with a dot in the domain. */
const mailbox =
  /^[a-z0-9.!#$%&'*+/=?^_`{|}~-]{1,64}@[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?(?:\.[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?)+$/i;

/**
 * `POST /_dorlin/request`: a visitor leaves an address, and is sent the password or an entry link.
 * Whoever asks is told the same whether a letter goes out or has gone out a moment before.
 */
export async function answerRequest(context: GuardContext): Promise<Answer> {
  const { visit, guarded, now, options } = context;
  const { policy } = guarded;
  const fields = await readForm(visit);
  const lock = policy.locks.get(fields.get('lock') ?? '');
  const request = lock?.request;
  // Where no screen is shown, there was nothing to ask on.
  const hasScreen = lock?.outsiders === 'screen' || lock?.outsiders === 'closed';
  const isOn = hasScreen && countsAt(lock, now);
  // Of a lock that nobody is to learn of, the place is no more told than of one that is not there.
  const isTold = lock !== undefined && (hasScreen || typeof lock.outsiders !== 'string');
  const to = placeOf(context, isTold ? lock : undefined, safeTarget(fields.get('to')));
  if (lock === undefined || request === undefined || !isOn) {
    return wantsJson(visit) ? jsonAnswer(200, { to }) : seeOther(to, []);
  }
  const address = (fields.get('address') ?? '').trim();
  const at = { lock, to, address };
  // Only a robot fills in what nobody sees.
  if ((fields.get(trapField) ?? '') !== '') return sent(context, at);
  if (address.length > 254 || !mailbox.test(address)) return faulty(context, at, 'address');
  if (fields.get('consent') !== 'on') return faulty(context, at, 'consent');
  const failed = (message: string) => {
    tell(context, { type: 'request-failed', lock: lock.name, message });
    return faulty(context, at, 'failed');
  };
  if (options.requests === undefined) return failed('nothing was given to send letters with');
  if (request.gives !== 'nothing') {
    const { opener, wanted } = request;
    if (opener === undefined) return failed(`the lock has no ${request.gives} “${wanted}” to send`);
    if (!isWithin(opener.window, now)) return failed('what is to be sent does not count now');
  }
  const counted = await countRequest(context, lock, address);
  if (counted.isAllowed === 'not-again') return sent(context, at);
  if (counted.isAllowed === 'no') {
    tell(context, { type: 'waiting', lock: lock.name });
    await options.refusalDelay?.();
    return tooMany(context, at, counted.waitSeconds);
  }
  const language = languageOf(context);
  const { ownTag } = lock.screen;
  const consent = anySaid(request.document.consent, language.tag, ownTag).text;
  const entry = { lock: lock.name, address, language: language.tag, consent, gives: request.gives };
  const moment = new Date(now * 1000).toISOString();
  if (request.gives === 'nothing') {
    try {
      await options.requests.keep({ at: moment, ...entry, sent: false }, policy);
    } catch (error) {
      // Nothing else was to come of it.
      await counted.giveBackAddress();
      return failed(error instanceof Error ? error.message : 'unknown');
    }
    tell(context, { type: 'requested', lock: lock.name });
    return sent(context, at);
  }
  try {
    await options.requests.send(await letterFor(context, request, at), policy);
  } catch (error) {
    // No letter has gone there. The visitor's tries go on counting: the next may fail as well.
    await counted.giveBackAddress();
    await keep(context, { at: moment, ...entry, sent: false });
    return failed(error instanceof Error ? error.message : 'unknown');
  }
  await keep(context, { at: moment, ...entry, sent: true });
  tell(context, { type: 'requested', lock: lock.name });
  return sent(context, at);
}

interface Asked {
  readonly lock: Lock;
  readonly to: string;
  readonly address: string;
}

/** The letter has gone by now, so what cannot be kept is told to the owner alone. */
async function keep(
  context: GuardContext,
  entry: Parameters<NonNullable<GuardContext['options']['requests']>['keep']>[0],
): Promise<void> {
  try {
    await context.options.requests?.keep(entry, context.guarded.policy);
  } catch (error) {
    const message = `a request was not written down: ${error instanceof Error ? error.message : ''}`;
    tell(context, { type: 'failed', message });
  }
}

/** Where the letter leads: the address that was asked for, if the lock is what shuts it. */
function placeOf(context: GuardContext, lock: Lock | undefined, asked: string | undefined): string {
  const { policy } = context.guarded;
  const decision = asked === undefined ? undefined : decide(policy, { target: asked, passes: [], now: context.now });
  const isOfLock = decision?.kind === 'shut' && decision.locks.some((one) => one === lock);
  return landingOf(lock, isOfLock ? asked : undefined);
}

async function letterFor(
  context: GuardContext,
  request: Exclude<LockRequest, { readonly gives: 'nothing' }>,
  { lock, to, address }: Asked,
): Promise<Letter> {
  const { guarded, options } = context;
  const { policy } = guarded;
  const { origin = '', name, prefix } = policy.site;
  const { tag, words } = languageOf(context);
  const say = (own: Texts | undefined, builtIn: string) => ownSaid(own, tag, lock.screen.ownTag)?.text ?? builtIn;
  const { document } = request;
  let secret: string;
  let text: string;
  if (request.opener === undefined) throw new Error('there is nothing to send');
  if (request.gives === 'link') {
    const { opener, seconds } = request;
    const own = { serial: generateId(options.random, noneTaken, 10), until: endOf(opener, seconds, context.now) };
    const token = await ownEntryToken(lock, opener, own, policy, context.keys);
    secret = `${origin}${prefix}/enter?link=${token}`;
    text = say(document.letter, words.letterLink);
  } else {
    secret = (await options.requests?.recall(lock.name, request.opener.id, policy)) ?? '';
    // Without it the letter would be of no use.
    if (secret === '') throw new Error('the password cannot be looked up');
    text = say(document.letter, words.letterPassword);
  }
  const filled = (template: string) =>
    template.replace(/\{(site|place|secret|address)\}/g, (_, gap: string) =>
      gap === 'site'
        ? name
        : gap === 'place'
          ? (lock.title ?? lock.name)
          : gap === 'secret'
            ? secret
            : `${origin}${ownAddress(policy, lock, to)}`,
    );
  const subject = filled(say(document.subject, words.letterSubject)).replace(/[\r\n]+/g, ' ');
  return { to: address, subject, text: `${filled(text)}\n\n${name}\n` };
}

/**
 * The address that an e-mail names: the one that was asked for, if the policy itself names that page, else the lock's
 * own place. Text of the request is never sent to somebody else: anybody can ask for an e-mail to anybody, at
 * `/members/YOUR-ACCOUNT-IS-SUSPENDED`.
 */
function ownAddress(policy: Policy, lock: Lock, to: string): string {
  const read = policy.read(to);
  const named = lock.covers.find(
    (place) => (place.kind === 'page' || place.kind === 'folder') && read.ok && read.readings.includes(place.path),
  );
  return named === undefined ? landingOf(lock, undefined) : encodeURI(named.text);
}

const noneTaken: ReadonlySet<string> = new Set();

/** When a link of one's own ends: after so many seconds, or with the link that it is made from. */
function endOf({ window }: EntryLink, seconds: number | undefined, now: number): number {
  const end = window.until ?? now + 30 * 86_400;
  return seconds === undefined ? end : Math.min(end, now + seconds);
}

type Counted =
  | { readonly isAllowed: 'yes'; readonly giveBackAddress: () => Promise<void> }
  | { readonly isAllowed: 'not-again' }
  | { readonly isAllowed: 'no'; readonly waitSeconds: number };

/** Counts a request before anything is sent: by visitor, by lock, and by address. */
async function countRequest(context: GuardContext, lock: Lock, address: string): Promise<Counted> {
  const { options, guarded } = context;
  const { counters } = options;
  const { mail } = guarded.policy;
  const at = `${guarded.audience}\n${lock.name}\nrequest `;
  const general: { key: string; budget: Budget }[] = [
    { key: `${at}visitor ${visitorKey(addressOf(context))}`, budget: mail.perVisitor },
    { key: `${at}all`, budget: mail.perLock },
  ];
  for (const [position, { key, budget }] of general.entries()) {
    const { isAllowed, waitSeconds } = await counters.take(key, budget);
    if (isAllowed) continue;
    for (const taken of general.slice(0, position)) await counters.giveBack(taken.key, taken.budget);
    return { isAllowed: 'no', waitSeconds };
  }
  // Counters may be shared and kept, so they need not know addresses. Asking twice has counted for
  // the visitor by now, or an address could be tried without end.
  const key = `${at}to ${hashOf(mailboxOf(address))}`;
  const { isAllowed } = await counters.take(key, mail.perAddress);
  if (!isAllowed) return { isAllowed: 'not-again' };
  return { isAllowed: 'yes', giveBackAddress: () => counters.giveBack(key, mail.perAddress) };
}

/**
 * The mailbox that an address leads to: what stands behind a `+` is a label of its owner's (RFC 5233),
 * and any number of those would be any number of letters.
 */
function mailboxOf(address: string): string {
  const at = address.lastIndexOf('@');
  const [name = ''] = address.slice(0, at).split('+', 1);
  return (name + address.slice(at)).toLowerCase();
}

function sent(context: GuardContext, { lock, to, address }: Asked): Answer {
  if (wantsJson(context.visit)) return jsonAnswer(200, { state: 'sent', lock: lock.name });
  return requestAnswer(context, lock, 'sent', 200, { to, sentTo: address });
}

function faulty(context: GuardContext, { lock, to, address }: Asked, fault: RequestFault): Answer {
  const status = fault === 'failed' ? 503 : 422;
  if (wantsJson(context.visit)) return jsonAnswer(status, { state: 'ask', lock: lock.name, fault });
  return requestAnswer(context, lock, 'ask', status, { to, fault, typed: address });
}

function tooMany(context: GuardContext, asked: Asked, waitSeconds: number): Answer {
  const { lock, to, address } = asked;
  const headers = { 'retry-after': String(waitSeconds) };
  if (wantsJson(context.visit)) {
    return jsonAnswer(429, { state: 'wait', lock: lock.name, waitSeconds }, headers);
  }
  const about = { to, fault: 'many', typed: address, waitSeconds } as const;
  return requestAnswer(context, lock, 'ask', 429, about, headers);
}
