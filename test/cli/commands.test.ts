import assert from 'node:assert/strict';
import { readFile, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, test } from 'node:test';
import { commandsIn, dorlin, dorlinHere, endAll, running } from '../support/command-line.js';
import { temporaryFolder, until, writeFiles } from '../support/sites.js';

const files = {
  'dist/index.html': '<p id="walk">start</p>',
  'dist/about.html': '<p id="walk">about</p>',
  'dist/members/index.html': 'home',
  'dist/members/log.html': 'log',
  'dist/members/join.html': 'join',
  'dist/members/handbook.pdf': 'pdf',
  'dist/sitemap.xml': '<urlset/>',
};

interface Listed {
  readonly passwords: readonly { label: string; until?: string; counts: boolean }[];
}

let folder: string;
let remove: () => Promise<void>;
// What starts and ends as a process is tested with `results.test.ts`; here it is about what is said and done.
const { run, fails } = commandsIn(() => folder, dorlinHere);
const { run: runBeside } = commandsIn(() => folder);
const json = async (...words: string[]) => JSON.parse(await run(...words, '--json')) as Record<string, unknown>;
const policy = () => readFile(join(folder, 'dorlin.yaml'), 'utf8');

beforeEach(async () => {
  ({ folder, remove } = await temporaryFolder());
  await writeFiles(folder, files);
  await run('init', 'dist', '--name', 'Kestrelmoor');
});
afterEach(async () => {
  endAll();
  await remove();
});

describe('starting', () => {
  test('init writes a policy, a secret only its owner can read, and never over another', async () => {
    assert.match(await policy(), /folder: dist\n(.*\n)*.*sitemaps:\n.*\/sitemap\.xml/);
    assert.equal((await stat(join(folder, '.dorlin/secret'))).mode & 0o777, 0o600);
    assert.equal((await stat(join(folder, '.dorlin'))).mode & 0o777, 0o700);
    assert.equal(await readFile(join(folder, '.dorlin/.gitignore'), 'utf8'), '*\n!/pictures/\n!/pictures/*\n');
    assert.match(await fails('init', 'dist'), /dorlin\.yaml is there already/);
  });
  test('help, version, a wrong command and a wrong option', async () => {
    assert.match(await runBeside('--help'), /^dorlin: lock pages[^]*serve[^]*demo/);
    assert.match(await runBeside('--version'), /^\d+\.\d+\.\d+$/);
    for (const name of ['init', 'places', 'lock', 'release', 'password', 'bypass', 'explain', 'serve', 'demo']) {
      assert.match(await run(name, '--help'), /Example:\n {2}dorlin /, name);
    }
    assert.match(await fails('palces'), /no command `palces`[^]*dorlin places/);
    assert.match(await fails('places', '--al'), /no option `--al` here[^]*--all/);
    assert.match(await fails('places', '--policy', 'none.yaml'), /no policy at none\.yaml[^]*dorlin init/);
    const told = await dorlin(folder, ['places', '--policy', 'none.yaml', '--json']);
    assert.equal((JSON.parse(told.stdout) as { error: { code: string } }).error.code, 'policy-missing');
  });
});

describe('locking and releasing many places at once', () => {
  test('says what closed, what opened, and what is still shut', async () => {
    assert.match(
      await run('lock', 'members', '/members/', '/about'),
      /Closed: 5 addresses\n {2}by members\n {4}\/about\.html\n {4}\/members\/ +all 4 addresses in it\n[^]*no password/,
    );
    assert.match(await run('lock', 'all', '/'), /Closed: 2 addresses/);
    const { opened, stillShut } = await json('release', '/members/join', '/about', '/members/log');
    assert.deepEqual(opened, ['/about.html', '/members/join.html', '/members/log.html']);
    assert.deepEqual(stillShut, []);
    assert.match(
      await run('release', '--from', 'members', '/members/handbook.pdf'),
      /Under another lock: 1 address[^]*still shut by all/,
    );
    const ended = await json('release', 'members', 'all');
    assert.deepEqual(ended['opened'], ['/index.html', '/members/handbook.pdf', '/members/index.html', '/sitemap.xml']);
    assert.match(await policy(), /^locks: \{\}$/m);
  });
  test('a section is locked, explained, listed and released', async () => {
    assert.match(await run('lock', 'walk', '/about#walk'), /Closed: 1 address\n {2}by walk\n {4}\/about#walk\n/);
    assert.match(await policy(), /covers: \[\/about#walk\]/);
    assert.match(await run('places'), /about\.html +open +#walk under walk/);
    assert.match(await run('explain', '/about#walk'), /is open to everybody[^]*section #walk is shut by walk/);
    assert.match(await run('release', '/about#walk'), /Opened: 1 address\n {2}was shut by walk\n {4}\/about#walk/);
    assert.match(await fails('release', '/about#walk'), /is under no lock/);
    assert.match(await fails('lock', 'walk', '/members/*#walk'), /of one page/);
    assert.match(await fails('lock', 'walk', '/about#'), /the id of an element/);
  });

  test('review compares two policies over the site’s files, or over addresses', async () => {
    await run('lock', 'members', '/members/');
    await writeFile(join(folder, 'old.yaml'), await policy());
    await run('release', '/members/join');
    await run('lock', 'all', '/about', '/index.html#walk');
    assert.match(
      await run('review', 'old.yaml', 'dorlin.yaml'),
      /of 8 addresses:\n\nClosed: 2 addresses\n {2}by all\n {4}\/about\.html\n {4}\/index\.html#walk\nOpened: 1 address\n {2}was shut by members\n {4}\/members\/join\.html/,
    );
    await writeFile(join(folder, 'pages.txt'), '# ours\n/about\n\n/members/join\n/nowhere\n');
    const told = await json('review', 'old.yaml', 'dorlin.yaml', '--pages', 'pages.txt');
    assert.deepEqual(told['opened'], ['/members/join']);
    assert.deepEqual(told['closed'], ['/about', '/index.html#walk']);
    assert.match(await run('review', 'dorlin.yaml', 'dorlin.yaml'), /Nothing opened and nothing/);
    await writeFile(join(folder, 'bad.yaml'), 'dorlin: 2\n');
    assert.match(await fails('review', 'old.yaml', 'bad.yaml'), /bad\.yaml:1:1/);
  });

  test('locking again takes an exception back', async () => {
    await run('lock', 'members', '/members/');
    await run('release', '/members/join');
    assert.match(await policy(), /except: \[\/members\/join\]/);
    assert.deepEqual((await json('lock', 'members', '/members/join'))['closed'], ['/members/join.html']);
    assert.doesNotMatch(await policy(), /except/);
  });
  test('a wrong place or name changes nothing', async () => {
    await run('lock', 'members', '/members/');
    const before = await policy();
    assert.match(
      await fails('lock', 'members', '/about', 'news'),
      /`news`: a place begins with a slash: write `\/news`/,
    );
    assert.match(await fails('lock', 'The Press', '/press/'), /cannot be the name/);
    assert.match(await fails('release', '/members/log', '/about'), /`\/about` is under no lock/);
    assert.match(await fails('release', 'presss'), /no lock `presss`/);
    assert.equal(await policy(), before);
  });
  test('comments stay', async () => {
    await writeFile(
      join(folder, 'dorlin.yaml'),
      (await policy()).replace('locks: {}', 'locks:\n  # ours\n  members: # here\n    covers: [/members/] # all\n'),
    );
    await run('release', '/members/join');
    assert.match(
      await policy(),
      /locks:\n {2}# ours\n {2}members: # here\n {4}covers: \[\/members\/\] # all\n {4}except: \[\/members\/join\]\n+$/,
    );
  });
  test('six commands at once all count', async () => {
    await Promise.all(
      Array.from({ length: 6 }, (_, at) => runBeside('lock', 'members', `/members/p${at}`, '--dynamic')),
    );
    const text = await policy();
    for (let at = 0; at < 6; at++) assert.ok(text.includes(`/members/p${at}`), `p${at}`);
  });
});

describe('passwords', () => {
  beforeEach(() => run('lock', 'members', '/members/'));
  const typed = (password: string, ...words: string[]) => dorlinHere(folder, [...words, '--password-stdin'], password);

  test('one is made, shown, listed, rotated and retired', async () => {
    const added = await run('password', 'add', 'members', '--label', 'Season 2026');
    const [made] = /^ {2}[a-z]+(-[a-z]+){4}$/m.exec(added) ?? [''];
    assert.match(added, /Made of 5 words: 50 bits/);
    assert.equal(await run('password', 'show', 'members'), made.trim());
    assert.doesNotMatch(await policy(), new RegExp(made.trim()));
    assert.doesNotMatch(await readFile(join(folder, '.dorlin/recall.json'), 'utf8'), new RegExp(made.trim()));
    const rotated = await run('password', 'rotate', 'members', 'Season 2026', '--words', '5');
    assert.match(rotated, /50 bits[^]*out as of now/);
    assert.notEqual(await run('password', 'show', 'members'), made.trim());
    await run('password', 'add', 'members', '--label', 'Guests');
    const [{ passwords } = { passwords: [] }] = (await json('password', 'list', 'members'))['locks'] as Listed[];
    assert.deepEqual(
      passwords.map(({ label }) => label),
      ['Season 2026', 'Guests'],
    );
    assert.match(await fails('password', 'show', 'members'), /Say which password of members you mean/);
    assert.match(await run('password', 'retire', 'members', 'Guests'), /Retired Guests/);
    assert.match(await run('password', 'retire', 'members', 'Season 2026'), /members has no password now/);
    assert.equal(await readFile(join(folder, '.dorlin/recall.json'), 'utf8'), '{}\n');
  });
  test('one is typed, judged, and refused where it is taken or empty', async () => {
    assert.match((await typed('kestrelmoor', 'password', 'add', 'members')).stdout, /Guessable: about/);
    assert.equal(await run('password', 'show', 'members'), 'kestrelmoor');
    const again = await typed(' kestrelmoor\n', 'password', 'add', 'members');
    assert.equal(again.exitCode, 2);
    assert.match(again.stderr, /same password as the one of Password 1/);
    assert.match((await typed('\n', 'password', 'add', 'members')).stderr, /empty/);
    assert.match((await typed('a\nb', 'password', 'add', 'members')).stderr, /more than one line/);
    assert.match(await fails('password', 'add', 'presss'), /no lock `presss`. The locks are: members/);
  });
  test('rotating with an overlap keeps the old one for a while, and windows are shown', async () => {
    await typed('one two', 'password', 'add', 'members', '--label', 'Season');
    const rotated = await typed('three four', 'password', 'rotate', 'members', '--overlap', '14d');
    assert.match(rotated.stdout, /goes on counting until \d{4}-\d\d-\d\dT\d\d:\d\d\[UTC\]/);
    const text = await policy();
    assert.match(text, /label: ["']Season, old["'], hash: [^}]*until: /);
    for (const password of ['one two', 'three four']) {
      assert.match((await typed(password, 'explain', '/members/')).stdout, /opens members/);
    }
    const [{ passwords } = { passwords: [] }] = (await json('password', 'list', 'members'))['locks'] as Listed[];
    const fortnight = new Date(Date.now() + 15 * 86_400_000).toISOString();
    const [old, current] = passwords;
    assert.ok(old?.until !== undefined && old.until < fortnight && old.counts);
    assert.deepEqual([current?.label, current?.until], ['Season', undefined]);
    await typed('five six', 'password', 'add', 'members', '--label', 'Later', '--from', '2099-01-01');
    assert.match(await run('password', 'list', 'members'), /Later +from 2099-01-01 \(not now\)/);
    assert.match((await typed('five six', 'explain', '/members/')).stdout, /does not count at this time/);
    assert.match(
      (await typed('five six', 'explain', '/members/', '--at', '2099-02-01')).stdout,
      /is open to that visitor/,
    );
    assert.match(
      (await typed('x', 'password', 'add', 'members', '--until', 'soon')).stderr,
      /--until: `soon` is neither a moment nor a span/,
    );
    assert.match(await fails('explain', '/members/', '--at', 'soon'), /neither a moment/);
    assert.match(await fails('password', 'rotate', 'members', 'Season', '--overlap', '14'), /no span of time/);
  });
  test('adding, rotating and ending at the same moment forget no password that counts', async () => {
    await run('lock', 'a', '/a', '--dynamic');
    await run('lock', 'b', '/b', '--dynamic');
    await run('lock', 'gone', '/gone', '--dynamic');
    for (const name of ['members', 'gone']) await run('password', 'add', name, '--generate');
    await Promise.all([
      runBeside('password', 'rotate', 'members', '--generate'),
      runBeside('password', 'add', 'a', '--generate'),
      runBeside('password', 'add', 'b', '--generate'),
      runBeside('release', 'gone'),
    ]);
    for (const name of ['members', 'a', 'b']) {
      assert.match(await run('password', 'show', name), /^[a-z]+(-[a-z]+){4}$/, name);
    }
    const kept = JSON.parse(await readFile(join(folder, '.dorlin/recall.json'), 'utf8')) as object;
    assert.deepEqual(Object.keys(kept).sort(), ['a', 'b', 'members']);
  });
  test('what the secret no longer opens is not shown', async () => {
    await run('password', 'add', 'members');
    await writeFile(join(folder, '.dorlin/secret'), 'z'.repeat(43));
    assert.match(await fails('password', 'show', 'members'), /cannot be looked up[^]*rotate/);
    assert.match(await run('password', 'list', 'members'), /only its hash is here/);
  });
  test('explain tells what would open it, and the very headers of the answer', async () => {
    await typed('plover kettle', 'password', 'add', 'members');
    const told = await json('explain', '/members/log');
    const [opener] = told['openers'] as Record<string, unknown>[];
    assert.deepEqual([opener?.['lock'], opener?.['kind'], opener?.['standing']], ['members', 'password', 'counts']);
    assert.equal(told['status'], 403);
    const headers = told['headers'] as Record<string, string>;
    assert.equal(headers['cache-control'], 'no-store');
    assert.match(headers['content-security-policy'] ?? '', /^default-src 'none'; style-src 'sha256-/);
    const known = await typed('plover kettle', 'explain', '/members/log', '--json');
    const { status, headers: letIn } = JSON.parse(known.stdout) as { status: unknown; headers: Record<string, string> };
    assert.deepEqual([status, letIn['cache-control']], [null, 'private, no-store']);
    assert.match(await fails('explain'), /One address is explained at a time/);
  });

  test('explain --matrix tells what each kind of visitor gets', async () => {
    await typed('plover kettle', 'password', 'add', 'members');
    const { kinds, rows } = (await json('explain', '--matrix', '/members/log', '/', '/a/../b')) as unknown as {
      kinds: string[];
      rows: { target: string; gets: Record<string, string> }[];
    };
    assert.deepEqual(kinds.slice(0, 2), ['stranger', 'opened members']);
    assert.deepEqual(
      rows.map(({ target, gets }) => [target, gets['stranger'], gets['opened members']]),
      [
        ['/members/log', 'asked', 'let-in'],
        ['/', 'open', 'open'],
        ['/a/../b', 'refused', 'refused'],
      ],
    );
    assert.match(await run('explain', '--matrix'), /stranger[^]*\/members\/ +asked +let in/);
  });

  test('explain says why, also for somebody with a password', async () => {
    await typed('plover kettle', 'password', 'add', 'members');
    assert.match(
      await run('explain', '/MEMBERS//log.html'),
      /is shut to a stranger[^]*reads as \/members\/log\n[^]*covers it by \/members\/[^]*403, the screen of members/,
    );
    assert.match(await run('explain', 'https://x.example/about#a'), /is open to everybody/);
    assert.match(await run('explain', '/a/../members/'), /is refused[^]*400/);
    const known = await typed('plover kettle', 'explain', '/members/log');
    assert.match(known.stdout, /is open to that visitor[^]*opens members/);
    assert.match((await typed('wrong', 'explain', '/members/log')).stdout, /is shut[^]*opens no lock/);
    assert.deepEqual((await json('explain', '/members/log'))['locks'], ['members']);
  });
  test('places shows the tree, and JSON', async () => {
    await run('lock', 'gone', '/nothing/', '--dynamic');
    const tree = await run('places');
    assert.match(tree, /^Kestrelmoor: 5 pages, 7 files in all, 3 open/);
    assert.match(tree, /├─ about\.html +open\n/);
    assert.match(tree, / {3}├─ handbook\.pdf +members +by \/members\/\n/);
    assert.match(tree, /sitemap\.xml \(sitemap\)/);
    assert.match(tree, /gone: 0 passwords, decides over 0 files \(no file of this site\)/);
    const listed = (await json('places'))['places'] as { path: string; locks: string[] }[];
    assert.deepEqual(listed.find(({ path }) => path === '/members/log.html')?.locks, ['members']);
  });
});

describe('bypasses', () => {
  beforeEach(() => run('lock', 'members', '/members/'));
  test('are added, explained, listed and removed', async () => {
    assert.match(
      await run(
        'bypass',
        'add',
        'staff',
        '--role',
        'editor',
        'warden',
        '--address',
        '203.0.113.0/24',
        '--lock',
        'members',
      ),
      /staff lets in the role editor or warden, with the address 203\.0\.113\.0\/24 at members/,
    );
    assert.match(
      await policy(),
      /bypass: \[staff\]\nbypasses:\n {2}staff: \{ addresses: \[203\.0\.113\.0\/24\], roles: \[editor, warden\] \}/,
    );
    const explained = await run('explain', '/members/', '--role', 'warden', '--from', '203.0.113.7');
    assert.match(
      explained,
      /open to that visitor[^]*→ +bypass staff of lock members lets the visitor in[^]*Dorlin-Let-In: bypass staff/,
    );
    assert.match(
      await run('explain', '/members/', '--role', 'warden', '--from', '192.0.2.1'),
      /shut to that visitor[^]*does not apply: another address/,
    );
    assert.match(
      await run('bypass', 'add', 'crew', '--person', 'imke@kestrelmoor.example', '--every-lock'),
      /crew lets in the person imke@kestrelmoor\.example at members/,
    );
    assert.match(
      await run('bypass', 'list'),
      /staff .*members +always\n.*crew .*members[^]*staff lets nobody in: it asks for a role/,
    );
    assert.match(await run('bypass', 'remove', 'staff'), /nobody is let in by it any more at members/);
    await run('bypass', 'remove', 'crew');
    assert.doesNotMatch(await policy(), /bypass/);
  });
  test('that let in everybody, or are written wrong, are not made', async () => {
    const before = await policy();
    assert.match(await fails('bypass', 'add', 'all', '--lock', 'members'), /would let in everybody/);
    assert.match(await fails('bypass', 'add', 'all', '--address', 'everywhere'), /no address or range/);
    assert.match(await fails('bypass', 'add', 'all', '--signed-in', '--lock', 'presss'), /no lock `presss`/);
    assert.match(await fails('bypass', 'remove', 'all'), /no bypass `all`/);
    assert.match(await fails('explain', '/members/', '--from', 'here'), /no address/);
    assert.equal(await policy(), before);
  });
});

describe('serving', () => {
  test('summary, events, changes while it runs, a broken edit, and a clean end', async () => {
    await run('lock', 'members', '/members/');
    await dorlin(folder, ['password', 'add', 'members', '--label', 'All', '--password-stdin'], 'one two');
    const site = await running(folder, ['serve', '--console', '0']);
    const link = /http:\/\/127\.0\.0\.1:\d+\/invited#[\w-]{43}/.exec(site.printed())?.[0] ?? '';
    assert.match(await (await fetch(link)).text(), /<div id="console">/, 'the console beside it, to be set up');
    assert.match(site.printed(), /Kestrelmoor by dorlin\.yaml\n\n {2}members +\/members\/ +1 password, for one visit/);
    const second = await running(folder, ['serve']);
    assert.notEqual(second.url, site.url, 'the next free port is taken');
    assert.equal(await second.end('SIGTERM'), 0);
    assert.match(await fails('serve', '--port', new URL(site.url).port), /is taken/);

    assert.equal((await fetch(`${site.url}/members/log?secret=1`)).status, 403);
    const unlock = (password: string) =>
      fetch(`${site.url}/_dorlin/unlock`, {
        method: 'POST',
        redirect: 'manual',
        body: new URLSearchParams({ lock: 'members', password, to: '/members/log' }),
      });
    assert.equal((await unlock('no')).status, 403);
    const right = await unlock('one two');
    const cookie = right.headers
      .getSetCookie()
      .map((line) => line.split(';')[0])
      .join('; ');
    const inside = async () => (await fetch(`${site.url}/members/log`, { headers: { cookie } })).status;
    assert.equal(await inside(), 200);
    await until(() => /unlocked {2}members {2}by All {2}127\.0\.0\.0\/24\n/.test(site.printed()));
    assert.match(site.printed(), /asked +at \/members\/log \(members\)[^]*wrong password {2}members/);
    assert.doesNotMatch(site.printed(), /secret=1|one two/);

    const good = await policy();
    await writeFile(join(folder, 'dorlin.yaml'), `${good}nonsense: 1\n`);
    await until(() => site.printed().includes('the policy is broken'));
    assert.match(site.printed(), /dorlin\.yaml:\d+:1 {2}nonsense: there is no key/);
    assert.equal(await inside(), 200);
    await writeFile(join(folder, 'dorlin.yaml'), good);
    await run('password', 'rotate', 'members', '--generate');
    await until(async () => (await inside()) === 403);
    await run('release', 'members');
    await until(() => site.printed().includes('4 addresses opened, 0 addresses closed'));
    assert.equal(await site.end(), 0);
  });
  test('what cannot be served is said', async () => {
    assert.match(await fails('serve', '--folder', 'nowhere'), /no folder .*nowhere/);
    assert.match(await fails('serve', '--port', '99999'), /no port/);
    assert.match(await fails('serve', '--to', 'localhost'), /no address of a server/);
    await writeFile(join(folder, 'dorlin.yaml'), 'dorlin: 1\nsite: { name: x }\nlocks: { a: { covers: [b] } }\n');
    assert.match(await fails('serve'), /^dorlin: dorlin\.yaml:3:\d+ {2}locks\.a\.covers\[0\]/);
  });
});
