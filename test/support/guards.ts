import { randomBytes } from 'node:crypto';
import { deriveKeys } from '../../src/core/passes/keys.js';
import type { LinkUses } from '../../src/core/site-ports.js';
import type { Policy } from '../../src/core/policy/types.js';
import type { GuardOptions } from '../../src/guard/context.js';
import type { GuardEvent } from '../../src/guard/events.js';
import { createGuard } from '../../src/guard/guard.js';
import type { Verdict, Visit } from '../../src/guard/visit/visit.js';
import { memoryCounters } from '../../src/stores/counters-memory.js';
import { nativeHasher } from '../../src/stores/hasher.js';
import { nativeVerifier } from '../../src/stores/htpasswd-hashes.js';

export const testSecret = 'a secret for tests and long enough for them';

/** A guard whose policy and clock a test can change, and a browser that keeps its cookies. */
export async function testGuard(policy: Policy, options: Partial<GuardOptions> = {}) {
  const world = { policy, now: 1_800_000_000, events: [] as GuardEvent[] };
  const guard = createGuard({
    policyFor: () => world.policy,
    keys: await deriveKeys(testSecret),
    hasher: nativeHasher,
    verifier: nativeVerifier,
    counters: memoryCounters(),
    linkUses: memoryLinkUses(),
    random: randomBytes,
    clock: () => world.now,
    onEvent: (event) => world.events.push(event),
    ...options,
  });
  return Object.assign(world, { guard, browser: () => testBrowser(guard.answer.bind(guard)) });
}

/** An answer, with its body as text. */
export type Answered = Extract<Verdict, { kind: 'answer' }> & { readonly body: string };

export function answered(verdict: Verdict): Answered {
  if (verdict.kind !== 'answer') throw new Error(`expected an answer, got ${verdict.kind}`);
  return { ...verdict, body: typeof verdict.body === 'string' ? verdict.body : new TextDecoder().decode(verdict.body) };
}

/** The least of a browser: sends its cookies, keeps what it is given, follows nothing. */
export function testBrowser(answer: (visit: Visit) => Verdict | Promise<Verdict>) {
  const cookies = new Map<string, { value: string; lasts: boolean }>();
  const send = async (visit: Partial<Visit> & { target: string }): Promise<Verdict> => {
    const cookie = [...cookies].map(([name, { value }]) => `${name}=${value}`).join('; ');
    const verdict = await answer({
      method: 'GET',
      encrypted: false,
      address: '192.0.2.7',
      ...visit,
      headers: { host: 'site.example', ...(cookie ? { cookie } : {}), ...visit.headers },
    });
    const set = 'headers' in verdict ? (verdict.headers['set-cookie'] ?? []) : [];
    for (const line of [set].flat()) {
      const [, name = '', value = ''] = /^([^=]+)=([^;]*)/.exec(line) ?? [];
      if (/max-age=0/i.test(line)) cookies.delete(name);
      else cookies.set(name, { value, lasts: /max-age=/i.test(line) });
    }
    return verdict;
  };
  return {
    cookies,
    send,
    get: (target: string, headers: Visit['headers'] = {}) => send({ target, headers }),
    post: (target: string, fields: Record<string, string>, headers: Visit['headers'] = {}) =>
      send({
        target,
        method: 'POST',
        headers: { 'content-type': 'application/x-www-form-urlencoded', ...headers },
        readBody: () => Promise.resolve(new URLSearchParams(fields).toString()),
      }),
    unlock: (lock: string, password: string, to = '/', more: Record<string, string> = {}) =>
      send({
        target: '/_dorlin/unlock',
        method: 'POST',
        headers: { 'content-type': 'application/x-www-form-urlencoded' },
        readBody: () => Promise.resolve(new URLSearchParams({ lock, password, to, ...more }).toString()),
      }),
    /** As when the browser is closed and opened again: cookies without an age are gone. */
    reopen: () => {
      for (const [name, { lasts }] of cookies) if (!lasts) cookies.delete(name);
    },
  };
}

/** Uses of entry links that are forgotten with the test. */
function memoryLinkUses(): LinkUses {
  const taken = new Map<string, number>();
  return {
    take: (link, uses) => {
      const count = taken.get(link) ?? 0;
      if (count < uses) taken.set(link, count + 1);
      return Promise.resolve(count < uses);
    },
  };
}
