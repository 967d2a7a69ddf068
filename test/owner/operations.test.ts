import assert from 'node:assert/strict';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, test } from 'node:test';
import { audienceOf } from '../../src/core/passes/pass.js';
import { addBypass } from '../../src/owner/bypasses.js';
import { check } from '../../src/owner/check/check.js';
import { goBack, goLive } from '../../src/owner/drafts.js';
import { explain } from '../../src/owner/explain.js';
import { showPassword } from '../../src/owner/hand-out.js';
import { startPolicy } from '../../src/owner/init.js';
import { makeLink } from '../../src/owner/links.js';
import type { LockSettings } from '../../src/owner/lock-settings.js';
import { changeLock, describeLock } from '../../src/owner/locks.js';
import { addPassword, changePassword, retirePassword, rotatePassword } from '../../src/owner/passwords/passwords.js';
import { planPasswords } from '../../src/owner/passwords/plan.js';
import { listPlaces } from '../../src/owner/places.js';
import { release } from '../../src/owner/release.js';
import { changeScreen, makeScreen } from '../../src/owner/screens.js';
import { changeSite } from '../../src/owner/site.js';
import { viewSite } from '../../src/owner/view.js';
import { openDraft } from '../../src/stores/draft.js';
import { guardFromFile } from '../../src/stores/file-guard.js';
import { loadPolicy } from '../../src/stores/policy-file.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

const page = (needs: string) =>
  `<script src="/_dorlin/page.js"></script><link rel="stylesheet" href="/style.css">${needs}<p id="walk">x</p>`;
const files = {
  'dist/index.html': page('<img src="/pics/a.png" srcset="/pics/b.png 2x">'),
  'dist/about.html': page(''),
  'dist/members/index.html': page(''),
  'dist/members/log.html': page(''),
  'dist/style.css': 'p{}',
  'dist/pics/a.png': 'x',
  'dist/pics/b.png': 'x',
};

let file: string;
let remove: () => Promise<void>;
beforeEach(async () => {
  const made = await temporaryFolder();
  remove = made.remove;
  file = join(made.folder, 'dorlin.yaml');
  await writeFiles(made.folder, files);
  await startPolicy(file, { folder: join(made.folder, 'dist'), name: 'Kestrelmoor', origin: 'https://k.example' });
});
afterEach(() => remove());
const text = () => readFile(file, 'utf8');
const words = { words: 4 };

describe('a lock', () => {
  test('is set key by key, and back to what it is by itself', async () => {
    await changeLock(file, 'members', { places: ['/members/'] });
    const plain = await text();
    const set: [LockSettings, LockSettings, RegExp][] = [
      [{ title: 'M' }, { title: null }, /title: M\n/],
      [{ remember: '30 days' }, { remember: 'visit' }, /remember: 30 days\n/],
      [{ remember: { choice: '7d' } }, { remember: null }, /remember: \{ choice: 7d \}\n/],
      [{ until: '7 days' }, { until: null }, /until: "?\d{4}-\d\d-\d\dT\d\d:\d\d\[/],
      [{ from: '2030-01-01' }, { from: null }, /from: 2030-01-01\n/],
      [{ outsiders: 'not-found' }, { outsiders: 'screen' }, /outsiders: not-found\n/],
      [
        { outsiders: { redirect: 'https://k.example/about' } },
        { outsiders: null },
        /outsiders: \{ redirect: \/about \}\n/,
      ],
      [{ after: '/about' }, { after: 'same' }, /after: \/about\n/],
      [{ basic: 'always' }, { basic: false }, /basic: always\n/],
      [{ enabled: false }, { enabled: true }, /enabled: false\n/],
    ];
    for (const [there, back, written] of set) {
      await changeLock(file, 'members', { settings: there });
      assert.match(await text(), written);
      await changeLock(file, 'members', { settings: back });
      assert.equal(await text(), plain);
    }
    const { remember, standing } = await describeLock(file, 'members');
    assert.deepEqual([remember, standing], ['visit', 'counts']);
  });
  test('says what is not so, and writes nothing then', async () => {
    await changeLock(file, 'members', { places: ['/members/'] });
    const before = await text();
    const refused: [Parameters<typeof changeLock>[2], string, RegExp][] = [
      [{ places: ['/abuot'] }, 'place-empty', /Did you mean `\/about`/],
      [{ places: ['/membres/'] }, 'place-empty', /Did you mean `\/members\/`/],
      [{ places: ['/about#walc'] }, 'place-empty', /Did you mean `#walk`/],
      [{ places: ['https://other.example/about'] }, 'place-invalid', /not on https:\/\/k\.example/],
      [{ settings: { until: '2020-01-01' } }, 'time-past', /would shut nothing/],
      [{ settings: { until: 'soon' } }, 'time-invalid', /neither a moment nor a span/],
      [{ settings: { remember: '30' } }, 'edit-refused', /`locks\.members\.remember`/],
      [{ settings: { screen: 'evning' } }, 'screen-unknown', /There are: default/],
      [{ settings: { requires: ['all'] } }, 'lock-unknown', /no lock `all`/],
      [{ settings: { outsiders: { redirect: 'https://id.example/x' } } }, 'place-invalid', /not on/],
    ];
    for (const [order, code, message] of refused) {
      await assert.rejects(changeLock(file, 'members', order), { code, message });
      assert.equal(await text(), before);
    }
    const { made, places } = await changeLock(file, 'app', { places: ['/app/'], dynamic: true });
    assert.deepEqual([made, places], [true, ['/app/']]);
  });
  test('that is off takes places all the same, and pasted addresses', async () => {
    await changeLock(file, 'm', { places: ['/members/'], settings: { enabled: false } });
    const { places, closed } = await changeLock(file, 'm', { places: ['http://localhost:4280/about?x=1#walk'] });
    assert.deepEqual([places, closed], [['/about#walk'], []]);
  });
  test('a page that is released names the files that it still needs', async () => {
    await changeLock(file, 'all', { places: ['/'] });
    const { needs, stillShut } = await release(file, { places: ['/index.html'] });
    assert.deepEqual(
      needs.map((one) => [one.file, one.locks]),
      [
        ['/style.css', ['all']],
        ['/pics/a.png', ['all']],
        ['/pics/b.png', ['all']],
      ],
    );
    assert.deepEqual(stillShut, []);
    const { kinds } = await check(file);
    const found = kinds.find(({ code }) => code === 'open-needs-locked');
    assert.deepEqual(found?.findings.map(({ about }) => about).sort(), ['/pics/a.png', '/pics/b.png', '/style.css']);
    await release(file, { places: ['/style.css', '/pics/'] });
    assert.equal(
      (await check(file)).kinds.some(({ code }) => code === 'open-needs-locked'),
      false,
    );
  });
  test('places are listed under a folder, and the locked alone', async () => {
    await changeLock(file, 'members', { places: ['/members/log'] });
    const paths = async (order: Parameters<typeof listPlaces>[1]) =>
      (await listPlaces(file, order)).places.map(({ path }) => path);
    assert.deepEqual(await paths({ under: '/members/' }), ['/members/index.html', '/members/log.html']);
    assert.deepEqual(await paths({ under: '/about' }), ['/about.html']);
    assert.deepEqual(await paths({ locked: true }), ['/members/log.html']);
  });

  test('a lock that does not count is told where it would stand, nearest first, and not where it leaves out', async () => {
    await changeLock(file, 'site', { places: ['/'] });
    await changeLock(file, 'members', { places: ['/members/'] });
    await release(file, { places: ['/members/log'], from: 'members' });
    const idle = async (at?: string) => {
      const listed = (await listPlaces(file)).places.map(({ path, idle: names }) => [path, names.join()] as const);
      const viewed = (await viewSite(file, { at })).places.map(({ path, idle: names = [] }) => [path, names.join()]);
      if (at === undefined) assert.deepEqual(viewed, listed);
      const by = new Map(viewed.map(([path = '', names = '']) => [path, names]));
      return ['/members/index.html', '/members/log.html', '/about.html'].map((path) => by.get(path));
    };
    assert.deepEqual(await idle(), ['', '', '']);
    await changeLock(file, 'members', { settings: { enabled: false } });
    assert.deepEqual(await idle(), ['members', '', '']);
    await changeLock(file, 'site', { settings: { until: '2099-01-01' } });
    await changeLock(file, 'members', { settings: { enabled: true, from: '2098-01-01' } });
    assert.deepEqual(await idle(), ['members', '', '']);
    assert.deepEqual(await idle('2098-06-01'), ['', '', '']);
    assert.deepEqual(await idle('2099-06-01'), ['site', 'site', 'site']);
  });

  test('a lock of a section that does not count is told there, and nowhere in bold', async () => {
    await changeLock(file, 'walk', { places: ['/about#walk'] });
    await changeLock(file, 'later', { places: ['/about#walk'], settings: { from: '2098-01-01' } });
    const told = async (at?: string) => {
      const of = (await viewSite(file, { at })).places.find(({ path }) => path === '/about.html')?.sections ?? [];
      if (at === undefined) {
        const place = (await listPlaces(file)).places.find(({ path }) => path === '/about.html');
        const names = place?.idleSections.map(({ lock }) => lock);
        assert.deepEqual(names, of[0]?.idle ?? [], 'by the command as in the console');
      }
      return of.map(({ id, outcome, locks, idle = [] }) => [id, outcome, locks.join(), idle.join()].join(' '));
    };
    assert.deepEqual(await told(), ['walk closed walk later']);
    await changeLock(file, 'walk', { settings: { enabled: false } });
    assert.deepEqual(await told(), ['walk open  walk,later']);
    assert.deepEqual(await told('2098-06-01'), ['walk closed later walk']);
    await changeLock(file, 'walk', { settings: { enabled: true, until: '2097-01-01' } });
    assert.deepEqual(await told(), ['walk closed walk later']);
    assert.deepEqual(await told('2097-06-01'), ['walk open  walk,later']);
  });
});

describe('passwords', () => {
  beforeEach(() => changeLock(file, 'members', { places: ['/members/'] }));

  test('a step back brings back what could be looked up, over rotating, retiring and ending', async () => {
    const { password } = await addPassword(file, 'members', { password: words, label: 'One' });
    const isLost = () => assert.rejects(showPassword(file, 'members', 'One'));
    const acts = [
      () => retirePassword(file, 'members', 'One'),
      () => rotatePassword(file, 'members', 'One', { password: words, label: 'Two' }),
      () => release(file, { locks: ['members'] }),
    ];
    for (const act of acts) {
      await act();
      await isLost();
      await goBack(file);
      assert.equal((await showPassword(file, 'members', 'One')).password, password);
    }
    const draft = await openDraft(file);
    await retirePassword(draft, 'members', 'One');
    assert.equal((await showPassword(file, 'members', 'One')).password, password);
    await goLive(file);
    await isLost();
    await goBack(file);
    assert.equal((await showPassword(file, 'members', 'One')).password, password);
  });
  test('are planned by month, week and span, each with its window, over the clock’s change', async () => {
    await changeSite(file, ['timeZone=Europe/Dublin', 'languages=en-IE']);
    const planned = async (every: string, count: number, from?: string, overlap?: string) =>
      (await planPasswords(file, 'members', { every, count, from, overlap })).passwords.map((one) => [
        one.label,
        one.from,
        one.until,
      ]);
    assert.deepEqual(await planned('month', 3, '2027-12-01', '7 days'), [
      ['December 2027', '2027-12-01', '2028-01-08'],
      ['January 2028', '2028-01-01', '2028-02-08'],
      ['February 2028', '2028-02-01', '2028-03-08'],
    ]);
    const months = await planned('month', 3, '2029-01-31');
    assert.deepEqual(
      months.map(([, from, until]) => [from, until]),
      [
        ['2029-01-31', '2029-02-28'],
        ['2029-02-28', '2029-03-31'],
        ['2029-03-31', '2029-04-30'],
      ],
    );
    // Clocks go forward on 25 March 2029: a week is a week by the calendar.
    const weeks = await planned('week', 2, '2029-03-19T18:00', '1 day');
    assert.deepEqual(
      weeks.map(([, from, until]) => [from, until]),
      [
        ['2029-03-19T18:00[Europe/Dublin]', '2029-03-27T18:00[Europe/Dublin]'],
        ['2029-03-26T18:00[Europe/Dublin]', '2029-04-03T18:00[Europe/Dublin]'],
      ],
    );
    const spans = await planned('36 hours', 2, '2031-01-01');
    assert.deepEqual(
      spans.map(([, from]) => from),
      ['2031-01-01', '2031-01-02T12:00[Europe/Dublin]'],
    );
    const texts = new Set((await loadPolicy(file)).locks.get('members')?.passwords.map(({ label }) => label));
    assert.equal(texts.size, 10);
    for (const order of [
      { every: 'fortnite', count: 2 },
      { every: 'month', count: 0 },
      { every: 'week', count: 2, from: '2020-01-01' },
      { every: '5 minutes', count: 2 },
    ]) {
      await assert.rejects(planPasswords(file, 'members', order), { code: 'plan-invalid' });
    }
    await assert.rejects(planned('month', 1, '2027-12-01'), { code: 'label-taken' });
  });
  test('are changed in their time and label, and stay the same', async () => {
    const { password } = await addPassword(file, 'members', { password: words, label: 'One', until: '9 days' });
    const changed = await changePassword(file, 'members', 'One', { label: 'Uno', until: null, from: '2001-01-01' });
    assert.deepEqual(
      [changed.label, changed.until, changed.from, changed.counts],
      ['Uno', undefined, '2001-01-01', true],
    );
    assert.equal((await showPassword(file, 'members', undefined)).password, password);
    await assert.rejects(changePassword(file, 'members', 'Uno', { until: '2002-01-01' }), { code: 'time-past' });
  });
});

describe('the site', () => {
  test('is set by key, with near misses named; what is wrong is not written', async () => {
    await changeSite(file, [
      'languages=en-IE, fr',
      'guessing.perLock=50 per hour',
      'showAddress=yes',
      'identity.header={ from: trustedProxies, roles: x }',
    ]);
    const { site, guessing, identity } = await loadPolicy(file);
    assert.deepEqual(
      [site.languages, guessing.perLock.tries, site.showAddress, identity?.header?.roles],
      [['en-IE', 'fr'], 50, true, 'x'],
    );
    await changeSite(file, ['languages=', 'guessing.perLock=', 'identity.header=']);
    assert.doesNotMatch(await text(), /languages|guessing|identity/);
    for (const [setting, code, message] of [
      ['langages=en', 'setting-unknown', /did you mean `languages`/i],
      ['showAddress=perhaps', 'setting-invalid', /yes, no/],
      ['timeZone=Dublin', 'edit-refused', /IANA/],
      ['perVisitor=5 per hour', 'setting-unknown', /guessing\.perVisitor, mail\.perVisitor/],
      ['hosts', 'setting-invalid', /KEY=VALUE/],
      ['__proto__.x=1', 'setting-unknown', /no setting/],
    ] as const) {
      const before = await text();
      await assert.rejects(changeSite(file, [setting]), { code, message });
      assert.equal(await text(), before);
    }
  });
  test('whatever it is called, nobody is put out; a new id puts everybody out, and that is said', async () => {
    const audience = async () => audienceOf((await loadPolicy(file)).site);
    const first = await audience();
    assert.equal((await changeSite(file, ['name=Other', 'origin=https://o.example'])).putsOut, false);
    assert.equal(await audience(), first);
    assert.equal((await changeSite(file, ['id=fresh'])).putsOut, true);
    // A policy from before there were ids.
    await writeFile(file, (await text()).replace(/^ {2}id: .*\n/m, ''));
    assert.equal((await changeSite(file, ['name=Third', 'origin='])).putsOut, false);
    assert.equal(await audience(), 'https://o.example');
  });
  test('other hosts are to be named before visitors are sent there', async () => {
    await assert.rejects(changeSite(file, ['identity.signIn=https://id.k.example/login']), {
      code: 'edit-refused',
      message: /site\.hosts/,
    });
    await changeSite(file, [
      'hosts=ID.k.example',
      'identity.signIn={ to: https://id.k.example/login?a=b, returnAs: next }',
    ]);
    await addBypass(file, 'staff', { roles: ['staff'] });
    await changeLock(file, 'staff', { places: ['/members/'], settings: { bypass: ['staff'] } });
    const guard = await guardFromFile(file);
    const verdict = await guard.answer({
      method: 'GET',
      target: '/members/log?q=%22%3E',
      headers: { host: 'k.example', accept: 'text/html' },
      encrypted: true,
    });
    await guard.close();
    const html = verdict.kind === 'answer' ? String(verdict.body) : '';
    assert.match(
      html,
      /href="https:\/\/id\.k\.example\/login\?a=b&amp;next=https%3A%2F%2Fk\.example%2Fmembers%2Flog%3Fq%3D%2522%253E"/,
    );
  });
});

test('a bypass is added to, narrowed only when that is said, and ends by itself', async () => {
  await changeLock(file, 'a', { places: ['/about'] });
  await changeLock(file, 'm', { places: ['/members/'] });
  await addBypass(file, 'office', { addresses: ['192.0.2.1'], locks: ['a'], until: '3 days' });
  const more = await addBypass(file, 'office', { addresses: ['192.0.2.2'], locks: ['m'] });
  assert.deepEqual(
    [more.addresses, more.locks, more.narrowed, more.made],
    [['192.0.2.1', '192.0.2.2'], ['a', 'm'], false, false],
  );
  const from = '192.0.2.2';
  const own = await explain(file, '/dorlin.yaml');
  assert.match(own.answer, /not found/);
  assert.match(own.wouldChange.join(), /never sent/);
  assert.equal((await explain(file, '/members/log', { from })).decision, 'let-in');
  assert.equal((await explain(file, '/members/log', { from, at: '4 days' })).decision, 'shut');
  const narrowed = await addBypass(file, 'office', { roles: ['editor'], until: null });
  assert.deepEqual([narrowed.narrowed, narrowed.until, typeof narrowed.idle], [true, undefined, 'string']);
  await assert.rejects(addBypass(file, 'all', { locks: ['a'] }), { code: 'bypass-open' });
});

test('a screen is made, changed by key, long or short, and by language', async () => {
  const made = await makeScreen(file, 'hall', {
    look: 'lantern',
    settings: ['heading=The hall', 'colors.light.button=#fff', 'type.size=18'],
  });
  assert.equal(made.look, 'lantern');
  assert.ok(made.faint.length > 0, 'white on white is told');
  await changeScreen(file, 'hall', [
    'heading=',
    'text.heading={ en: Hall, fr: Salle }',
    'text.heading.de=Halle',
    'colors.light.button=',
  ]);
  assert.match(await text(), /heading: \{ en: Hall, fr: Salle, de: Halle \}/);
  await makeScreen(file, 'copy', { like: 'hall', settings: ['look=harbour'] });
  assert.match(await text(), /copy:\n? *\{? *look: harbour/);
  for (const [setting, code, message] of [
    ['look=harbor', 'setting-invalid', /Did you mean `harbour`/],
    ['button=Go', 'setting-unknown', /text\.button/],
    ['headign=x', 'setting-unknown', /text\.heading/],
    ['type.size=900', 'edit-refused', /`screens\.hall\.type\.size`/],
  ] as const) {
    await assert.rejects(changeScreen(file, 'hall', [setting]), { code, message });
  }
  await assert.rejects(makeScreen(file, 'hall', {}), { code: 'screen-exists' });
});

test('what a command changes counts for a running site when the command ends', async () => {
  await changeLock(file, 'm', { places: ['/members/'] });
  const guard = await guardFromFile(file);
  const visit = { method: 'GET', target: '/members/log', headers: { host: 'k.example' }, encrypted: true };
  const kind = async () => (await guard.answer(visit)).kind;
  for (let round = 0; round < 3; round++) {
    assert.equal(await kind(), 'answer');
    await release(file, { places: ['/members/'] });
    assert.equal(await kind(), 'open');
    await goBack(file);
  }
  await makeLink(file, 'm', { label: 'Guest' });
  await guard.close();
});
