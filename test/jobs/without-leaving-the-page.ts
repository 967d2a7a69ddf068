import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

const page = '<h1>Events</h1><div id="meet"><p>By the ninth stone.</p></div><p>All are welcome.</p>';

/** A section with its own message and button opens in place; a role passes. */
export default walk('without leaving the page', { 'index.html': page }, async ({ dorlin, browser, url }) => {
  await dorlin('init', ['init', 'dist']);
  await dorlin('lock', ['lock', 'meet', '/index.html#meet']);
  const { password } = await dorlin('password add', ['password', 'add', 'meet', '--generate']);
  await dorlin('screen new', [
    'screen',
    'new',
    'small',
    '--look',
    'ticket',
    '--lock',
    'meet',
    'sectionLocked=For ticket holders.',
    'sectionButton=Show me',
  ]);
  await dorlin('bypass add', ['bypass', 'add', 'guides', '--role', 'guide', '--lock', 'meet']);
  await dorlin('site KEY=VALUE', [
    'site',
    'identity.header.from=trustedProxies',
    'identity.header.roles=x-roles',
    'trustedProxies=127.0.0.1',
  ]);
  const visitor = browser();
  const shut = await visitor.visit('/');
  assert.match(shut.text, /For ticket holders\.[^]*Show me[^]*All are welcome/);
  assert.doesNotMatch(shut.text, /ninth stone/);
  const body = new URLSearchParams({ lock: 'meet', password, to: '/' });
  const answer = await fetch(`${url()}/_dorlin/unlock`, {
    method: 'POST',
    body,
    headers: { accept: 'application/json' },
  });
  assert.deepEqual(((await answer.json()) as { open: string[] }).open, ['meet']);
  await visitor.unlock('meet', password, '/');
  assert.match((await visitor.visit('/')).text, /ninth stone/);
  assert.match((await browser().visit('/', { 'x-roles': 'guide' })).text, /ninth stone/);
});
