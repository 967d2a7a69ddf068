import { parse, serialize } from 'parse5';
import { cutPage, readPage } from '../src/core/sections/cut.js';
import { pageWithSection as page } from './page-with-section.js';
import { median, report, type Figure } from './figures.js';

function times(work: () => unknown, count: number): number {
  const start = performance.now();
  for (let turn = 0; turn < count; turn++) work();
  return performance.now() - start;
}

/** A page with a section, read and cut each time. */
export function benchSections(): Figure[] {
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

  return [
    report('page with a section uncut before, as a share of parse5 alone', median(ratios), '', {
      atLeast: 0.85,
    }),
  ];
}
