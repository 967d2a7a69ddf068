import assert from 'node:assert/strict';
import { test } from 'node:test';
import { setImmediate as nextTurn } from 'node:timers/promises';
import type { ServedPage } from '../../src/guard/visit/visit.js';
import { testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

const policy = await testPolicy({ walk: { covers: ['/events#walk'], passwords: { ww: 'stones' } } });
const row = '<tr><td><a href="/x">Open</a></td><td>more <b>open</b> &amp; such</td></tr>\n';
const long = `<!doctype html><table>${row.repeat(6000)}</table><section id="walk">SECRET</section><p>after`;

/** The guard's filter of the page at a path, for a stranger. */
async function filterAt(guard: Awaited<ReturnType<typeof testGuard>>['guard'], target: string) {
  const verdict = await guard.answer({
    method: 'GET',
    target,
    headers: { host: 'k.example' },
    encrypted: false,
    address: '203.0.113.7',
  });
  assert.ok(verdict.kind === 'open' && verdict.page !== undefined);
  return verdict.page;
}

/** A visit of a stranger, and the turns that others got while its page was cut. */
async function visit(guard: Awaited<ReturnType<typeof testGuard>>['guard'], page: string) {
  const filter = await filterAt(guard, '/events');
  let turns = 0;
  const pause = async () => {
    turns++;
    await nextTurn();
  };
  const served: ServedPage = { status: 200, contentType: 'text/html', body: Buffer.from(page), pause };
  const made = await filter.filter(served);
  assert.ok(made?.kind === 'changed');
  return { text: Buffer.from(made.body).toString(), turns };
}

test('others get their turn while a long page is cut; many visits of it at once cost one reading', async () => {
  const { guard } = await testGuard(policy);
  const all = await Promise.all([visit(guard, long), visit(guard, long), visit(guard, long)]);
  const turns = all.map((one) => one.turns);
  assert.ok(turns.reduce((sum, one) => sum + one) >= 9, `${turns.join()} turns`);
  assert.deepEqual(turns.filter((one) => one > 0).length, 1, 'only the first one reads');
  for (const { text } of all) {
    assert.doesNotMatch(text, /SECRET/);
    assert.equal(
      text.replace(/<section.*?<\/section>/s, '').replace(/<form.*<\/script>/s, ''),
      long.replace(/<section.*<\/section>/, ''),
    );
  }
  const again = await visit(guard, long);
  assert.equal(again.turns, 0);
  assert.equal(again.text, all[0].text);
});

test('a short page is cut at once', async () => {
  const { guard } = await testGuard(policy);
  const { text, turns } = await visit(guard, '<section id="walk">SECRET</section>');
  assert.equal(turns, 0);
  assert.doesNotMatch(text, /SECRET/);
});

test('a long page that is nested too deeply is locked whole', async () => {
  const { guard } = await testGuard(policy);
  const filter = await filterAt(guard, '/events');
  const body = Buffer.from(long.replace('SECRET', '<div>'.repeat(600)));
  const made = await filter.filter({ status: 200, contentType: 'text/html', body, pause: () => nextTurn() });
  assert.ok(made?.kind === 'answer');
  assert.equal(made.status, 403);
});

test('the same bytes under another charset are read again: what one reading lacks, the other may have', async () => {
  const { guard } = await testGuard(
    await testPolicy({ walk: { covers: ['/#café'], passwords: { ww: 'stones' } } }, { marks: false }),
  );
  const body = Buffer.from('<!doctype html><p>open</p><section id="café">SECRET</section>');
  const sent: Record<string, boolean> = {};
  for (const charset of ['windows-1252', 'utf-8']) {
    const filter = await filterAt(guard, '/elsewhere');
    const made = await filter.filter({ status: 200, contentType: `text/html; charset=${charset}`, body });
    sent[charset] = made?.kind !== 'changed' && made?.kind !== 'answer';
  }
  assert.deepEqual(sent, { 'windows-1252': true, 'utf-8': false });
});
