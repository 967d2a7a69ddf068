import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** An address form, a link of one's own by mail, the file; how long that is valid, and who need not ask. */
export default walk('the landing page', ['index.html', 'offer.html', 'offer.pdf'], async (owner) => {
  const { dorlin, browser, letters, wait } = owner;
  const ask = async (address: string) => {
    const body = new URLSearchParams({ lock: 'offer', to: '/offer', consent: 'on', address });
    await fetch(`${owner.url()}/_dorlin/request`, { method: 'POST', body });
    const link = /https:\S+/.exec(letters.at(-1)?.text ?? '')?.[0] ?? '';
    return link.replace('https://kestrelmoor.example', '');
  };
  await dorlin('init', ['init', 'dist', '--origin', 'https://kestrelmoor.example']);
  await dorlin('lock', ['lock', 'offer', '/offer', '/offer.pdf', '--remember', '90 days']);
  await dorlin('link', ['link', 'offer', '--label', 'Mailing', '--until', '60 days', '--to', '/offer.pdf']);
  await dorlin('site KEY=VALUE', [
    'site',
    '--mail-from',
    'post@kestrelmoor.example',
    '--mail-server',
    'smtp://127.0.0.1',
    '--trusted-proxies',
    '127.0.0.1',
  ]);
  await dorlin('screen new', [
    'screen',
    'new',
    'offer',
    '--look',
    'orchard',
    '--lock',
    'offer',
    "below=[{ request: { gives: { link: Mailing, for: 2 days }, consent: 'Write to me.' } }]",
  ]);
  await dorlin('bypass add', ['bypass', 'add', 'office', '--address', '203.0.113.0/24', '--lock', 'offer']);
  const [ann, bo] = [await ask('ann@a.example'), await ask('bo@b.example')];
  assert.notEqual(ann, bo);
  const visitor = browser();
  assert.deepEqual([(await visitor.visit(ann)).path, (await visitor.visit('/offer')).status], ['/offer.pdf', 200]);
  const office = { 'x-forwarded-for': '203.0.113.9' };
  assert.equal((await browser().visit('/offer', office)).status, 200);
  assert.equal((await browser().visit('/offer', { 'x-forwarded-for': '198.51.100.9' })).status, 403);
  wait(3);
  assert.equal((await browser().visit(bo)).status, 403, 'ended');
  assert.equal((await visitor.visit('/offer')).status, 403, 'and so has what it gave');
});
