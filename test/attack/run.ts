/**
 * `npm run attack [name…] [--seconds N] [--count N] [--seed N] [--folder DIR…]`: attacks that are made anew by
 * generators each time, against the guard and everything that it may stand before. Exit 1 where
 * anything got through.
 */
import { parseArgs } from 'node:util';
import { fronts } from './fronts.js';
import { attackCompanions } from './on-companions.js';
import { attackConsole } from './on-console.js';
import { attackByBytes, attackByFaults, attackByHandles } from './on-faults.js';
import { attackHosts } from './on-hosts.js';
import { attackHttp2 } from './on-http2.js';
import { attackKept } from './on-kept.js';
import { attackLinks } from './on-links.js';
import { attackDocuments, attackPages } from './on-pages.js';
import { attackSealed } from './on-sealed.js';
import { attackVite } from './on-vite.js';
import { attackFront, attackReaders, type Attacked, type Limits } from './on-targets.js';

const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    seconds: { type: 'string', default: '60' },
    count: { type: 'string', default: '1000000000' },
    seed: { type: 'string', default: '1' },
    folder: { type: 'string', multiple: true, default: ['examples/observatory/dist'] },
  },
});

const attacks: [string, (limits: Limits) => Promise<Attacked>][] = [
  ['readers', attackReaders],
  ['companions', attackCompanions],
  ['links', attackLinks],
  ['console', attackConsole],
  ['hosts', attackHosts],
  ['nginx by HTTP/2', attackHttp2('nginx')],
  ['Caddy by HTTP/2', attackHttp2('caddy')],
  ['kept pictures', attackKept],
  ['sealed', attackSealed],
  ['vite', attackVite],
  ['faults', attackByFaults],
  ['faults with few handles', attackByHandles],
  ['bytes', attackByBytes],
  ['pages', attackPages],
  ['documents', attackDocuments(values.folder)],
  ...Object.keys(fronts).map((name): [string, (limits: Limits) => Promise<Attacked>] => [
    name,
    (limits) => attackFront(name, limits),
  ]),
];
const wanted = attacks.filter(
  ([name]) => positionals.length === 0 || positionals.some((word) => name.toLowerCase().includes(word.toLowerCase())),
);
const share = (Number(values.seconds) * 1000) / wanted.length;
const seed = Number(values.seed);
console.log(`seed ${seed}`);
for (const [, attack] of wanted) {
  const limits = { most: Number(values.count), until: Date.now() + share, seed };
  const { name, tried, found, about } = await attack(limits);
  console.log(`${name}: ${tried.toLocaleString('en')} tried, ${found.length} got through (${about})`);
  for (const line of found.slice(0, 10)) console.log(`  GOT THROUGH ${line}`);
  const isSkipped = about.startsWith('skipped');
  if (tried === 0 && !isSkipped) console.log('  NOTHING TRIED: it takes longer than it was given');
  if (found.length > 0 || (tried === 0 && !isSkipped)) process.exitCode = 1;
}
