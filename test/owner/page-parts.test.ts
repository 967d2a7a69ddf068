import assert from 'node:assert/strict';
import { test } from 'node:test';
import { partsOf } from '../../src/owner/page-parts.js';

test('parts are what has an id and holds something, named by their heading or how they begin', () => {
  const html = `<main id="m"><h1>All</h1><section id="a"><p>First</p><h2>The <b>walk</b></h2></section>
    <aside id="b">Beside &amp; so<script>let x = 'no'</script></aside><span id="c">no</span><div id="">no</div></main>`;
  assert.deepEqual(partsOf(html), [
    { id: 'm', tag: 'main', text: 'All' },
    { id: 'a', tag: 'section', text: 'The walk' },
    { id: 'b', tag: 'aside', text: 'Beside & so' },
  ]);
});

test('a page that is nested without end takes time by its length, and gives some of its parts', () => {
  const cost = (size: number) => {
    const start = process.cpuUsage();
    assert.equal(partsOf('<div id=a>x'.repeat(size)).length, 300);
    const { user, system } = process.cpuUsage(start);
    return user + system;
  };
  const [small, large] = [Math.min(...[1, 2, 3].map(() => cost(5000))), Math.min(...[1, 2, 3].map(() => cost(20_000)))];
  assert.ok(large < 10 * small, `${small} ${large}`);
});
