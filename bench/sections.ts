import { parse, serialize } from 'parse5';
import { cutPage, readPage } from '../src/core/sections/cut.js';
import { createGuard } from '../src/guard/guard.js';
import type { PageFilter, Verdict } from '../src/guard/visit.js';
import { deriveKeys } from '../src/core/passes/keys.js';
import { memoryCounters } from '../src/stores/counters-memory.js';
import { testPolicy } from '../test/support/policies.js';
import { median, report, type Figure } from './figures.js';

const paragraph = (at: number) =>
  `<p class="text">Paragraph ${at} of a page of ordinary length, with <a href="/${at}">a link</a> in it.</p>\n`;
const paragraphs = Array.from({ length: 120 }, (_, at) => paragraph(at));
paragraphs.splice(
  60,
  0,
  '<section id="walk"><h2>Where we meet</h2><p>At the ninth stone.</p></section>',
);
const page = `<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>Events</title></head>\n<body>\n${paragraphs.join('')}</body></html>\n`;

function times(work: () => unknown, count: number): number {
  const start = performance.now();
  for (let turn = 0; turn < count; turn++) work();
  return performance.now() - start;
}

/** A page with a section, read and cut each time, and as it comes from memory. */
export async function benchSections(): Promise<Figure[]> {
  const cuts = {
    ids: new Map([['walk', { lock: 'walk', kind: 'ask' as const }]]),
    marks: new Map(),
  };
  const addresses = { unlock: '/_dorlin/unlock', script: '/_dorlin/page.js' };
  const cut = () => {
    const { takeParsed } = readPage(page, new Set(['walk']));
    return cutPage(page, cuts, addresses, takeParsed());
  };
  const bare = () => serialize(parse(page));
  times(cut, 50);
  times(bare, 50);
  const ratios = Array.from({ length: 15 }, () => times(bare, 20) / times(cut, 20));

  const policy = await testPolicy({
    walk: { covers: ['/events#walk'], passwords: { ww: 'stones' } },
  });
  const never = () => Promise.reject(new Error('not here'));
  const guard = await createGuard({
    policy: () => policy,
    keys: await deriveKeys('a secret for benches and long enough for them'),
    hasher: never,
    verifier: never,
    counters: memoryCounters(),
    linkUses: { take: never },
    random: (count) => new Uint8Array(count),
    clock: () => Date.now() / 1000,
  });
  const body = new TextEncoder().encode(page);
  const visit = { method: 'GET', target: '/events', headers: {}, encrypted: false };
  const filtered = () => {
    const verdict = guard.answer(visit) as Extract<Verdict, { page?: PageFilter | undefined }>;
    return verdict.page?.filter({ status: 200, contentType: 'text/html; charset=utf-8', body });
  };
  times(filtered, 200);
  const seconds = Array.from({ length: 9 }, () => times(filtered, 500) / 500 / 1000);
  return [
    report('page with a section uncut before, as a share of parse5 alone', median(ratios), '', {
      atLeast: 0.8,
    }),
    report('page with a section cut before, a second on one core', 1 / median(seconds), '', {}),
  ];
}
