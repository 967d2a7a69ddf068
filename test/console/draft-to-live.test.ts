import assert from 'node:assert/strict';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { explainMatrix } from '../../src/owner/explain.js';
import { changeLock } from '../../src/owner/locks.js';
import { listPlaces } from '../../src/owner/places.js';
import { titleOf } from '../../src/owner/view.js';
import { draftFile } from '../../src/stores/draft-files.js';
import { testConsole } from '../support/consoles.js';

const policy = `# Kept by hand.
dorlin: 1
site: { name: Kestrelmoor, origin: https://kestrelmoor.example, folder: dist }
locks:
  members: # the season's
    covers: [/members/]
    except: [/members/join]
    passwords:
      - { id: abcd, label: Season, hash: "$argon2id$v=19$m=8,t=1,p=1$c2FsdHNhbHRzYWx0$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA" }
  walk: { covers: ["/events#walk"], outsiders: not-found }
  staff: { covers: [/rota, "/**/*.pdf"], bypass: [office] }
bypasses:
  office: { addresses: [203.0.113.0/24] }
`;
const page = (title: string) => `<!doctype html><title>${title}</title><section id="walk"><h2>The walk</h2></section>`;
const files = {
  'events.html': page('Events &amp; nights'),
  'rota.html': page('Rota'),
  'members/index.html': page('Members'),
  'members/join.html': page('Join'),
  'members/book.pdf': 'pdf',
};

type World = Awaited<ReturnType<typeof testConsole>>;

describe('from draft to live', () => {
  let world: World;
  const live = () => readFile(world.policyFile, 'utf8');
  before(async () => {
    world = await testConsole(policy, files);
  });
  after(() => world.close());

  test('edits wait in a draft, are seen, undone, reviewed, and count at once; comments stay', async () => {
    const imke = await world.person('Imke');
    const before = await live();
    const { password, closed } = await imke.call('lock.change', {
      lock: 'events',
      places: ['/events'],
      password: { is: { typed: 'comet lantern' } },
    });
    assert.deepEqual(closed, ['/events.html']);
    assert.equal(password?.password, 'comet lantern');
    assert.equal(await live(), before);
    const seen = (await imke.call('view', {})).places.find(({ path }) => path === '/events.html');
    assert.deepEqual([seen?.outcome, seen?.before], ['asked', 'open']);
    await imke.call('draft.undo', {});
    assert.equal((await imke.session()).draft, undefined, 'a draft that changes nothing is none');

    assert.equal(await imke.refused('lock.change', { lock: 'x', places: ['/nowhere'] }), '400 place-empty');
    assert.equal((await imke.session()).draft, undefined, 'nor does an edit that failed leave one');
    await imke.call('lock.change', { lock: 'events', places: ['/events'] });
    const { review } = (await imke.call('review', {})) as { review?: { closed: readonly string[] } };
    assert.deepEqual(review?.closed, ['/events.html']);
    assert.ok(
      (await imke.call('check', {})).kinds.some(({ isNew }) => isNew),
      'a lock that nobody can open is a finding',
    );
    await imke.call('live', {});
    assert.match(await live(), /# Kept by hand\.[^]*# the season's[^]*events:/);
    const back = await imke.call('back', {});
    assert.deepEqual(back.opened, ['/events.html']);
    assert.equal(await live(), before);
  });

  test('who has not seen the newest is refused, and nothing of the other’s is lost', async () => {
    const [ann, ben] = [await world.person('Ann'), await world.person('Ben')];
    const { version } = await ben.session();
    await ann.call('lock.change', { lock: 'ann', places: ['/events'] });
    assert.equal(await ben.refused('release', { places: ['/rota'] }, version), '409 policy-changed');
    assert.equal(await ben.refused('release', { places: ['/rota'] }, 'x'), '409 policy-changed');
    await ben.call('release', { places: ['/rota'] });
    const draft = await readFile(join(world.folder, 'dorlin.draft.yaml'), 'utf8');
    assert.match(draft, /ann:/);
    assert.doesNotMatch(draft, /\/rota/);
    // Twenty at once, with the same version: one is done.
    const now = (await ben.session()).version;
    const all = await Promise.all(
      Array.from({ length: 20 }, (_, at) => ben.refused('lock.change', { lock: `n${at}`, places: ['/events'] }, now)),
    );
    assert.equal(all.filter((answer) => answer === 'done').length, 1);
    await ann.call('draft.drop', {});
  });

  test('a policy edited by hand meanwhile: refused, both shown, carried over, or in conflict', async () => {
    const cid = await world.person('Cid');
    await cid.call('lock.change', { lock: 'cid', places: ['/events'] });
    const before = await live();
    await writeFile(world.policyFile, before.replace('[203.0.113.0/24]', '[203.0.113.0/25]'));
    assert.equal(await cid.refused('live', {}), '409 policy-changed');
    const behind = (await cid.call('review', {})) as { draft?: { isBehind: boolean } };
    assert.equal(behind.draft?.isBehind, true);
    await cid.call('draft.carry', {});
    await cid.call('live', {});
    assert.match(await live(), /203\.0\.113\.0\/25[^]*/);
    assert.match(await live(), /cid:/);

    await cid.call('lock.change', { lock: 'members', settings: { remember: '3 days' } });
    await writeFile(world.policyFile, (await live()).replace('/members/join]', '/members/join]\n    remember: 9 days'));
    assert.equal(await cid.refused('draft.carry', {}), '409 draft-conflict');
    assert.equal(await cid.refused('live', {}), '409 policy-changed');
    await cid.call('live', { over: true });
    assert.match(await live(), /3 days/);
    await writeFile(world.policyFile, before);
  });

  test('a draft left for days: who made it is signed out, the site went on, and it goes live all the same', async () => {
    const before = await live();
    const imke = await world.person('Imke, before');
    await imke.call('lock.change', { lock: 'left', places: ['/events'], settings: { until: '2099-01-01' } });
    // More steps than are kept to go back by, made by commands.
    for (let days = 2; days < 37; days++)
      await changeLock(world.policyFile, 'members', { settings: { remember: `${days} days` } });
    const made = world.now;
    world.now += 9 * 86_400;
    assert.equal(await imke.refused('review', {}), '401 not-signed-in');
    // An invitation is dated by the machine.
    world.now = made;
    const later = await world.person('Imke, after');
    assert.equal(await later.refused('live', {}), '409 policy-changed');
    await later.call('draft.carry', {});
    await later.call('live', {});
    assert.match(await live(), /remember: 36 days[^]*left:\n\s+covers: \[\/events\]/);
    await writeFile(world.policyFile, before);
  });

  test('a change is carried into a draft of thousands of alike lines, and comments stay', async () => {
    const lines = Array.from({ length: 6000 }, (_, at) => `      - /p${at} # kept ${at}`);
    const long = (from: string, to: string) =>
      `dorlin: 1\nsite: { name: S } # ${from}\nlocks:\n  a:\n    covers:\n${lines.join('\n')}\n  z: { covers: [/z/] } # ${to}\n`;
    const big = await testConsole(long('begin', 'end'));
    const imke = await big.person('Imke');
    await imke.call('lock.change', { lock: 'a', settings: { title: 'First' } });
    await writeFile(
      big.policyFile,
      long('begin', 'end').replace('[/z/]', '[/z/, /y/]').replace('# begin', '# by hand'),
    );
    await imke.call('draft.carry', {});
    await imke.call('live', {});
    const text = await readFile(big.policyFile, 'utf8');
    for (const kept of ['# by hand', 'title: First', '# kept 0\n', '# kept 5999\n', '[/z/, /y/]', '# end'])
      assert.ok(text.includes(kept), kept);
    await big.close();
  });

  test('an urgent act counts at once and leaves the draft fit to go live', async () => {
    const dee = await world.person('Dee');
    await dee.call('lock.change', { lock: 'dee', places: ['/events'] });
    await dee.call('password.retire', { lock: 'members', which: 'Season', now: true });
    assert.doesNotMatch(await live(), /Season/);
    assert.doesNotMatch(await live(), /dee:/);
    await dee.call('live', {});
    assert.doesNotMatch(await live(), /Season/, 'the draft does not bring it back');
    assert.match(await live(), /dee:/);
    await writeFile(world.policyFile, policy);
  });

  test('an act of several steps is done whole or not at all, in a draft and at once', async () => {
    const imke = await world.person('Ona');
    const before = await live();
    const order = { lock: 'half', places: ['/events'], password: { is: { typed: '' } } };
    assert.equal(await imke.refused('lock.change', order), '400 password-empty');
    assert.equal((await imke.session()).draft, undefined, 'no draft is left');
    assert.equal(await imke.refused('lock.change', { ...order, now: true }), '400 password-empty');
    assert.equal(await live(), before);
    // A draft that waits stays as it was.
    await imke.call('lock.change', { lock: 'rota', places: ['/rota'], password: { is: { words: 4 } } });
    const draft = await readFile(draftFile(world.policyFile), 'utf8');
    assert.equal(await imke.refused('lock.change', order), '400 password-empty');
    assert.equal(await readFile(draftFile(world.policyFile), 'utf8'), draft);
    await imke.call('draft.undo', {});
    assert.equal((await imke.session()).draft, undefined, 'and its last step is the one that was taken before');
  });

  test('a policy that is broken on disk is told with its line, and nothing is edited', async () => {
    const eve = await world.person('Eve');
    await writeFile(world.policyFile, policy.replace('covers: [/members/]', 'cover: [/members/]'));
    const session = (await eve.session()) as { about?: { broken?: string } };
    assert.match(session.about?.broken ?? '', /:6:|line 6|covers/);
    assert.equal(await eve.refused('lock.change', { lock: 'x', places: ['/rota'] }), '400 policy-invalid');
    assert.equal(await eve.refused('view', {}), '400 policy-invalid');
    await writeFile(world.policyFile, policy);
    assert.equal((await eve.raw('view', {})).status, 200);
  });

  test('bulk: two hundred places locked and released at once', async () => {
    const big = await testConsole(
      policy,
      Object.fromEntries(Array.from({ length: 200 }, (_, at) => [`n/${at}.html`, page('N')])),
    );
    const imke = await big.person('Imke');
    const places = Array.from({ length: 200 }, (_, at) => `/n/${at}`);
    const done = await imke.call('lock.change', { lock: 'many', places });
    assert.equal(done.closed.length, 200);
    const released = await imke.call('release', { places: places.slice(50) });
    assert.equal(released.opened.length, 150);
    assert.equal((await imke.call('release', { locks: ['many'] })).opened.length, 50);
    await big.close();
  });
});

test('a site seen through somebody’s eyes is what `decide` says of each address', async () => {
  const world = await testConsole(policy, files);
  const imke = await world.person('Imke');
  const view = await imke.call('view', {});
  const listed = await listPlaces(world.policyFile);
  assert.equal(view.gets, 3);
  assert.deepEqual(
    view.places.map(({ path, locks = [] }) => [path, locks]),
    listed.places.map(({ path, locks }) => [path, [...locks]]),
  );
  const outcomes = async (seenBy: object) =>
    Object.fromEntries((await imke.call('view', { seenBy })).places.map(({ path, outcome }) => [path, outcome]));
  const targets = ['/members/index.html', '/rota.html', '/members/book.pdf', '/events.html'];
  const { rows } = await explainMatrix(world.policyFile, targets);
  for (const { target, gets } of rows) {
    assert.equal((await outcomes({}))[target], gets['stranger'], target);
    assert.equal((await outcomes({ opened: ['members'] }))[target], gets['opened members'], target);
    assert.equal((await outcomes({ from: '203.0.113.7' }))[target], gets['bypass office'], target);
  }
  const events = view.places.find(({ path }) => path === '/events.html');
  assert.deepEqual(events?.sections, [{ id: 'walk', title: 'The walk', outcome: 'hidden', locks: ['walk'] }]);
  assert.equal(events.title, 'Events & nights');
  assert.deepEqual(view.patterns, [{ place: '/**/*.pdf', lock: 'staff', says: 'covers' }]);
  const { parts } = await imke.call('parts', { path: '/events' });
  assert.deepEqual(parts, [{ id: 'walk', tag: 'section', text: 'The walk' }]);
  assert.deepEqual((await imke.call('view', { seenBy: { opened: ['walk'] } })).unopened, ['walk']);
  assert.equal(await imke.refused('view', { seenBy: { at: 'no time' } }), '400 time-invalid');
  await world.close();
});

test('titles are text, whatever stands in them', () => {
  assert.equal(titleOf('<title>A &lt;script&gt;\n b</title>'), 'A <script> b');
  assert.equal(titleOf('<TITLE lang=en>Caps</TITLE>'), 'Caps');
  assert.equal(titleOf(`<title>${'x'.repeat(5000)}`), '');
  assert.equal(titleOf('<titles>no</titles>'), '');
});
