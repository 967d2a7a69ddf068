import type { FastifyInstance, FastifyPluginCallback, FastifyReply, FastifyRequest } from 'fastify';
import type { IncomingMessage } from 'node:http';
import { DorlinError } from '../core/errors.js';
import { textAnswer } from '../guard/answers/answers.js';
import type { Guard } from '../guard/guard.js';
import type { Answer, Verdict } from '../guard/visit/visit.js';
import { NodeVisit, visitOf } from './node-visit.js';
import { sendAnswer } from './send-answer.js';
import { takeAnswer } from './taken-answer.js';

declare module 'fastify' {
  interface FastifyRequest {
    /**
     * Whether a lock is open to the visitor; for templates and menus.
     * @throws DorlinError `lock-unknown`
     */
    opened(lock: string): Promise<boolean>;
  }
}

export interface GuardFastifyOptions {
  readonly guard: Guard;
}

/** What one request has come to before it went round: where nothing is to be seen, it is not judged anew. */
const asMissing = new WeakSet<IncomingMessage>();

/**
 * The guard as a plugin of Fastify 5. It judges all that the instance it is registered at answers, its
 * plugins and what is not found included: register it first, at the root. Requests get
 * `request.opened(lock)`.
 *
 * A request whose address is not in its normal form goes round: it is routed again by the judged one,
 * so hooks that stand before this one see it twice.
 *
 * @example
 * await app.register(guardFastify, { guard });
 */
export const guardFastify: FastifyPluginCallback<GuardFastifyOptions> = (app, { guard }, done) => {
  if (app.initialConfig.http2 === true) {
    done(new DorlinError('call-wrong', 'The guard does not read HTTP/2: let what stands before Fastify speak it.'));
    return;
  }
  app.decorateRequest('opened', async function (this: FastifyRequest, lock: string) {
    return guard.opened(visitOf(this.raw), lock);
  });
  app.addHook('onRequest', (request, reply, next) => {
    const verdict = judge(guard, app, request, reply);
    if (!(verdict instanceof Promise)) verdict(next);
    else
      verdict
        .then((carryOut) => {
          carryOut(next);
        })
        // Whatever cannot be carried out lets nobody in, and ends no process.
        .catch(() => reply.raw.destroy());
  });
  done();
};
// Without a scope of its own, or nothing but itself would be guarded.
Object.assign(guardFastify, {
  [Symbol.for('skip-override')]: true,
  [Symbol.for('fastify.display-name')]: 'dorlin',
  [Symbol.for('plugin-meta')]: { name: 'dorlin', fastify: '5.x' },
});

/** What is done with a request; `next` is called where it goes on. */
type CarryOut = (next: () => void) => void;

/** Judges the address as it arrived and, where something before us has rewritten it, what it became. */
function judge(
  guard: Guard,
  app: FastifyInstance,
  { raw }: FastifyRequest,
  reply: FastifyReply,
): CarryOut | Promise<CarryOut> {
  if (asMissing.delete(raw))
    return (next) => {
      next();
    };
  const { url = '/' } = raw;
  const { originalUrl: original = url } = raw as { originalUrl?: string };
  const answer =
    (verdict: Answer): CarryOut =>
    () => {
      // Past the hooks that would change it: its headers are the guard's.
      reply.hijack();
      // Of a handshake Node has let go: nobody else would end the connection.
      if (isUpgrade(raw)) {
        reply.raw.once('finish', () => {
          raw.socket.destroySoon();
        });
      }
      sendAnswer(raw, reply.raw, verdict);
    };
  const goRound =
    (target: string): CarryOut =>
    () => {
      reply.hijack();
      raw.url = target;
      app.routing(raw, reply.raw);
    };
  const take = (verdict: Exclude<Verdict, Answer>) => {
    const forced = verdict.kind === 'let-in' ? verdict.headers : undefined;
    takeAnswer(raw, reply.raw, { forced, page: verdict.page });
  };
  const ofOriginal = (verdict: Verdict): CarryOut | Promise<CarryOut> => {
    if (verdict.kind === 'answer') return answer(verdict);
    if (verdict.kind === 'missing') {
      take(verdict);
      asMissing.add(raw);
      // Node sends no body to whoever asked with HEAD, and so tells the length of the one there would be.
      if (raw.method === 'HEAD') raw.method = 'GET';
      return goRound(verdict.target);
    }
    // What has to be read by the guard cannot be read any more once the connection speaks another protocol.
    if (isUpgrade(raw) && verdict.page?.isCertain === true) return answer(noUpgrade);
    if (verdict.target !== original) return goRound(verdict.target);
    take(verdict);
    if (original === url)
      return (next) => {
        next();
      };
    const inner = guard.answer(new NodeVisit(raw, url));
    return inner instanceof Promise ? inner.then(ofInner) : ofInner(inner);
  };
  const ofInner = (verdict: Verdict): CarryOut => {
    if (verdict.kind === 'answer') return answer(verdict);
    // Going round, it would be rewritten once more.
    if (verdict.kind === 'missing' || verdict.target !== url) return answer(strangeRewrite);
    take(verdict);
    return (next) => {
      next();
    };
  };
  const verdict = guard.answer(new NodeVisit(raw, original));
  return verdict instanceof Promise ? verdict.then(ofOriginal) : ofOriginal(verdict);
}

/** Whether Node has handed the connection over, as it does where somebody listens for upgrades. */
const isUpgrade = (request: IncomingMessage) => (request as { upgrade?: boolean | null }).upgrade === true;

const noUpgrade = textAnswer(403, 'There is no other protocol to be had here.');
const strangeRewrite = textAnswer(404, 'There is nothing here.');
