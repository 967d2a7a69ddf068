import { readPolicyOrThrow } from '../src/core/policy/read.js';
import { standingOf } from '../src/core/policy/review.js';
import { targetOf } from '../src/server/site-files.js';
import { policyText } from '../test/support/policies.js';
import { seededRandom } from '../test/support/random.js';
import { rawClient } from '../test/support/raw-http.js';
import { runSite } from '../test/support/sites.js';
import { spell } from '../test/support/spellings.js';
import { report, type Figure } from './figures.js';

const names = [
  'index.html',
  'about.html',
  'café.html',
  'members/index.html',
  'members/log.html',
  'members/rota/index.html',
  'members/film.mp4',
  'members/été/index.html',
  'press/embargoed/comet.html',
  'press/index.html',
  'a/b/c/d.html',
  'log.csv',
];
const count = 120_000;
const connections = 8;

/** Sends spellings of a site's addresses over raw sockets, and counts what leaked: none may. */
export async function benchSpellings(): Promise<Figure[]> {
  const canary = (name: string) => `<<canary of ${name}>>`;
  const text = await policyText({
    members: { covers: ['/members/'], except: ['/members/rota/'], passwords: { aa: 'one' } },
    press: { covers: ['/press/embargoed/', '/café', '/**/*.csv'] },
    deep: { covers: ['/a/*/c/'] },
  });
  const policy = readPolicyOrThrow(text, 'bench');
  const site = await runSite(Object.fromEntries(names.map((name) => [name, canary(name)])), text);
  const locked = names.filter((name) => !standingOf(policy, targetOf(`/${name}`), 0).open);
  const statuses = new Map<number, number>();
  const leaks: string[] = [];
  const start = Date.now();
  await Promise.all(
    Array.from({ length: connections }, async (_, at) => {
      const random = seededRandom(1000 + at);
      const client = rawClient(site.port);
      for (let sent = 0; sent < count / connections; sent++) {
        const { target } = spell(targetOf(`/${names[random.below(names.length)] ?? ''}`), random);
        const { status, body } = await client.request(target);
        statuses.set(status, (statuses.get(status) ?? 0) + 1);
        const got = Buffer.from(body, 'latin1').toString('utf8');
        if (locked.some((name) => got.includes(canary(name)))) leaks.push(target);
      }
      client.close();
    }),
  );
  const seconds = (Date.now() - start) / 1000;
  await site.close();
  for (const target of leaks.slice(0, 10)) console.log(`  LEAK ${target}`);
  const spread = [...statuses].sort(([one], [other]) => one - other);
  console.log(
    `  answers: ${spread.map(([status, times]) => `${times} × ${status || 'closed'}`).join(', ')}`,
  );
  return [
    report('spellings sent over raw sockets', count, '', { atLeast: 100_000 }),
    report('of them, spellings that gave a locked file away', leaks.length, '', { atMost: 0 }),
    report('spellings a second', count / seconds, 'per second', {}),
  ];
}
