import { decide, findLocksBefore } from '../src/core/decide.js';
import type { Pass } from '../src/core/passes/pass.js';
import { readPolicyOrThrow } from '../src/core/policy/read.js';
import type { Policy } from '../src/core/policy/types.js';
import { compilePolicy } from '../src/core/policy/compile.js';
import { policySchema } from '../src/core/policy/schema.js';
import { seededRandom } from '../test/support/random.js';
import { median, report, type Figure } from './figures.js';

const words = ['visits', 'news', 'members', 'press', 'about', 'albums', 'papers', 'events', 'quiz', 'gallery'];

/** 1,000 different addresses as a site has them: pages, files, folders, some with a query. */
function addresses(): string[] {
  const random = seededRandom(7);
  const word = () => words[random.below(words.length)] ?? '';
  return Array.from({ length: 1000 }, (_, at) => {
    const folders = Array.from({ length: 1 + random.below(3) }, word).join('/');
    const end = [`page-${at}`, `page-${at}.html`, `picture-${at}.jpg`, `year-${at}/`, `page-${at}?from=${at}`];
    return `/${folders}/${end[random.below(end.length)] ?? ''}`;
  });
}

function policyOf(places: number): Policy {
  const random = seededRandom(places);
  const covers = Array.from({ length: places }, (_, at) =>
    at < words.length
      ? `/${words[at] ?? ''}/sub/`
      : `/${words[random.below(words.length)] ?? ''}/n${at}${random.chance() ? '/' : ''}`,
  );
  const compiled = compilePolicy(
    policySchema.parse({
      dorlin: 1,
      site: { name: 'Bench' },
      locks: { members: { covers: covers.slice(0, places) } },
    }),
  );
  if (!compiled.ok) throw new Error(compiled.problems[0]?.message);
  return compiled.policy;
}

/** Letters of their own, as every request brings them: what was asked for before has no hash to be found by. */
const asReceived = (text: string) => Buffer.from(text, 'latin1').toString('latin1');

const rounds = 100;

/** Decisions a second on one core, the same addresses again and again. */
function rate(policy: Policy, targets: readonly string[], passes: readonly Pass[]): number {
  const received = Array.from({ length: rounds }, () => targets.map(asReceived)).flat();
  const start = process.hrtime.bigint();
  for (const target of received) decide(policy, { target, passes, now: 1_800_000_000 });
  return received.length / (Number(process.hrtime.bigint() - start) / 1e9);
}

/** The same where nobody has asked for any of the addresses lately. */
function rateAnew(policy: Policy, targets: readonly string[]): number {
  const received = Array.from({ length: rounds }, () => targets.map(asReceived)).flat();
  const start = process.hrtime.bigint();
  for (const target of received) findLocksBefore(policy, target, 1_800_000_000);
  return received.length / (Number(process.hrtime.bigint() - start) / 1e9);
}

/** How fast the one decision is, with few places and with many, and what many cost in memory. */
export function benchDecision(): Figure[] {
  const targets = addresses();
  const few = policyOf(10);
  globalThis.gc?.();
  const before = process.memoryUsage().heapUsed;
  const many = policyOf(100_000);
  globalThis.gc?.();
  const memory = (process.memoryUsage().heapUsed - before) / 2 ** 20;
  for (const policy of [few, many]) {
    rate(policy, targets, []);
    rateAnew(policy, targets);
  }
  const again = median(Array.from({ length: 9 }, () => rate(few, targets, [])));
  const pairs = Array.from({ length: 9 }, () => [rateAnew(few, targets), rateAnew(many, targets)] as const);
  const withFew = median(pairs.map(([one]) => one));
  const share = median(pairs.map(([one, other]) => other / one));
  // The same through YAML, as a policy file of that size is read at the start.
  const text = JSON.stringify({
    dorlin: 1,
    site: { name: 'B' },
    locks: { a: { covers: many.locks.get('members')?.covers.map((place) => place.text) } },
  });
  const start = Date.now();
  readPolicyOrThrow(text, 'bench');
  const reading = (Date.now() - start) / 1000;
  return [
    report('decisions a second, 10 places, 1,000 addresses', again, 'per second', { atLeast: 3_000_000 }),
    report('the same where each address is a new one', withFew, 'per second', {}),
    report('with 100,000 places, as a share of that', share, '', { atLeast: 0.5 }),
    report('memory of 100,000 places', memory, 'MiB', globalThis.gc ? { atMost: 150 } : {}),
    report('reading a policy of 100,000 places', reading, 's', {}),
  ];
}
