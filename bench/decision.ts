import { decide } from '../src/core/decide.js';
import type { Pass } from '../src/core/passes/pass.js';
import { readPolicyOrThrow } from '../src/core/policy/read.js';
import type { Policy } from '../src/core/policy/types.js';
import { compilePolicy } from '../src/core/policy/compile.js';
import { policySchema } from '../src/core/policy/schema.js';
import { seededRandom } from '../test/support/random.js';
import { median, report, type Figure } from './figures.js';

const words = [
  'visits',
  'news',
  'members',
  'press',
  'about',
  'albums',
  'papers',
  'events',
  'quiz',
  'gallery',
];

/** 1,000 different addresses as a site has them: pages, files, folders, some with a query. */
function addresses(): string[] {
  const random = seededRandom(7);
  const word = () => words[random.below(words.length)] ?? '';
  return Array.from({ length: 1000 }, (_, at) => {
    const folders = Array.from({ length: 1 + random.below(3) }, word).join('/');
    const end = [
      `page-${at}`,
      `page-${at}.html`,
      `picture-${at}.jpg`,
      `year-${at}/`,
      `page-${at}?from=${at}`,
    ];
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

/** Decisions a second on one core. */
function rate(policy: Policy, targets: readonly string[], passes: readonly Pass[]): number {
  const rounds = 300;
  const start = process.hrtime.bigint();
  for (let round = 0; round < rounds; round++) {
    for (const target of targets) decide(policy, { target, passes, now: 1_800_000_000 });
  }
  return (rounds * targets.length) / (Number(process.hrtime.bigint() - start) / 1e9);
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
  for (const policy of [few, many]) rate(policy, targets, []);
  const pairs = Array.from(
    { length: 9 },
    () => [rate(few, targets, []), rate(many, targets, [])] as const,
  );
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
    report('decisions a second, 10 places, 1,000 addresses', withFew, 'per second', {
      atLeast: 1_000_000,
    }),
    report('the same with 100,000 places, as a share of that', share, '', { atLeast: 0.5 }),
    report('memory of 100,000 places', memory, 'MiB', globalThis.gc ? { atMost: 150 } : {}),
    report('reading a policy of 100,000 places', reading, 's', {}),
  ];
}
