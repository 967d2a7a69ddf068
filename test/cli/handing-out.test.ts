import assert from 'node:assert/strict';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { execa } from 'execa';
import jsqr from 'jsqr';
import { dorlinHere as dorlin, endAll, running } from '../support/command-line.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

const policy = `dorlin: 1
site:
  name: Kestrelmoor Observatory
  origin: https://kestrelmoor.example
  timeZone: Europe/Dublin
  folder: dist
  showAddress: true
  trustedProxies: [127.0.0.1/32]
locks:
  # what is under embargo
  press:
    title: Announcements under embargo
    covers: [/press/embargoed/]
  members:
    covers: [/members/]
`;

/** What a telephone reads from a picture of dark (1) and light (0) modules, at 8 pixels each. */
function scan(rows: readonly (readonly number[])[]): string | undefined {
  const scale = 8;
  const border = 4;
  const size = (rows.length + 2 * border) * scale;
  const pixels = new Uint8ClampedArray(size * size * 4).fill(255);
  for (let y = 0; y < size; y++) {
    for (let x = 0; x < size; x++) {
      const dark = rows[Math.floor(y / scale) - border]?.[Math.floor(x / scale) - border] === 1;
      if (dark) pixels.fill(0, (y * size + x) * 4, (y * size + x) * 4 + 3);
    }
  }
  const read = jsqr.default(pixels, size, size);
  return read?.data;
}

/** The modules of a code in half blocks, as a terminal shows them. */
function modulesInTerminal(printed: string): number[][] {
  const lines = printed.split('\n').filter((line) => /[█▀▄]/.test(line));
  const indent = Math.min(...lines.map((line) => line.search(/[█▀▄]/)));
  return lines.flatMap((line) => {
    const blocks = Array.from(line.slice(indent));
    const top = blocks.map((block) => Number('█▀'.includes(block)));
    return [top, blocks.map((block) => Number('█▄'.includes(block)))];
  });
}

function modulesInSheet(svg: string): number[][] {
  const size = Number(/viewBox="0 0 (\d+) \1" shape/.exec(svg)?.[1]);
  const rows = Array.from({ length: size }, () => Array<number>(size).fill(0));
  for (const [, x, y] of svg.matchAll(/M(\d+) (\d+)h1v1h-1z/g)) {
    const row = rows[Number(y)];
    if (row) row[Number(x)] = 1;
  }
  return rows;
}

describe('handing out', () => {
  let folder: string;
  let remove: () => Promise<void>;
  const run = (words: string[], input?: string) => dorlin(folder, words, input);
  const json = async <T>(words: string[], input?: string) => {
    const { stdout, exitCode } = await run([...words, '--json'], input);
    return { ...(JSON.parse(stdout) as T), exitCode };
  };
  before(async () => {
    ({ folder, remove } = await temporaryFolder());
    await writeFiles(folder, {
      'dorlin.yaml': policy,
      'dist/press/embargoed/index.html': '<h1>A comet</h1>',
      'dist/members/index.html': '<h1>The log</h1>',
    });
  });
  after(async () => {
    endAll();
    await remove();
  });
  interface Link {
    readonly id: string;
    readonly handedOut: { address: string; text: string; mailto: string; sms: string };
  }

  test('a link is made, shown again, listed, used on the running site, and revoked', async () => {
    const { handedOut: made } = await json<Link>(['link', 'press', '--label', 'Herald desk', '--uses', '1']);
    assert.match(made.address, /^https:\/\/kestrelmoor\.example\/_dorlin\/enter\?link=press\./);
    const { handedOut: again } = await json<Link>(['link', 'press', '--show', 'Herald desk']);
    assert.equal(again.address, made.address);
    assert.match(await readFile(join(folder, 'dorlin.yaml'), 'utf8'), /# what is under embargo\n {2}press:/);

    const site = await running(folder, ['serve', '--port', '0']);
    const here = made.address.replace('https://kestrelmoor.example', site.url);
    assert.equal((await fetch(here)).status, 200);
    const enter = () =>
      fetch(`${site.url}/_dorlin/enter`, {
        method: 'POST',
        body: new URLSearchParams({ link: new URL(made.address).searchParams.get('link') ?? '' }),
        redirect: 'manual',
      });
    const answers = await Promise.all(Array.from({ length: 8 }, enter));
    const entered = answers.filter(({ status }) => status === 303);
    assert.equal(entered.length, 1);
    const cookie = entered[0]?.headers
      .getSetCookie()
      .map((line) => line.split(';')[0])
      .join('; ');
    const page = () => fetch(`${site.url}/press/embargoed/`, { headers: { cookie: cookie ?? '' } });
    assert.equal((await page()).status, 200);
    await site.end();
    const anew = await running(folder, ['serve', '--port', '0']);
    const late = await fetch(`${anew.url}/_dorlin/enter`, {
      method: 'POST',
      body: new URLSearchParams({ link: new URL(made.address).searchParams.get('link') ?? '' }),
    });
    assert.equal(late.status, 403, 'a restart gives no use back');
    await anew.end();

    const { links } = await json<{ links: { used: number; uses: number }[] }>(['link', 'press', '--list']);
    assert.deepEqual(
      links.map(({ used, uses }) => [used, uses]),
      [[1, 1]],
    );
    assert.match((await run(['link', 'press', '--revoke', 'Herald desk'])).stdout, /is out as of now/);
    assert.doesNotMatch(await readFile(join(folder, 'dorlin.yaml'), 'utf8'), /links|Herald/);
  });

  test('as a code in the terminal and on a sheet, which a telephone reads', async () => {
    const printed = await run(['link', 'press', '--label', 'Q', '--qr', '--svg', 'q.svg']);
    const address = /https:\S+/.exec(printed.stdout)?.[0];
    assert.ok(address);
    assert.equal(scan(modulesInTerminal(printed.stdout)), address);
    const svg = await readFile(join(folder, 'q.svg'), 'utf8');
    assert.equal(scan(modulesInSheet(svg)), address);
    assert.match(svg, />Announcements under embargo</);
    const twice = await run(['link', 'press', '--show', 'Q', '--svg', 'q.svg']);
    assert.equal(twice.exitCode, 2);
    assert.match(twice.stderr, /q\.svg is there already/);
  });

  test('a password as a text, as mail, as a message and on a sheet, in a language', async () => {
    await run(
      ['password', 'add', 'members', '--label', 'Season', '--password-stdin', '--until', '2030-09-14'],
      'Plöver & "owl" <3',
    );
    const { handedOut: out } = await json<Link>([
      'password',
      'show',
      'members',
      '--text',
      '--language',
      'de',
      '--svg',
      'm.svg',
    ]);
    assert.match(out.text, /^Kestrelmoor Observatory\n\nDas Passwort für .*:\n\nPlöver & "owl" <3\n/);
    assert.match(out.text, /Gültig bis 14\. September 2030/);
    const mail = new URL(out.mailto);
    assert.equal(mail.searchParams.get('body')?.replaceAll('\r\n', '\n'), out.text);
    assert.equal(mail.searchParams.get('subject'), 'Kestrelmoor Observatory: so kommen Sie hinein');
    assert.equal(new URL(out.sms).searchParams.get('body'), out.text);
    const svg = await readFile(join(folder, 'm.svg'), 'utf8');
    assert.match(svg, />Plöver &amp; &quot;owl&quot; &lt;3</);
    // The code leads to the place; the password is not in it.
    assert.equal(scan(modulesInSheet(svg)), 'https://kestrelmoor.example/members/');
  });

  test('mistakes say what to do, and write nothing', async () => {
    const before = await readFile(join(folder, 'dorlin.yaml'), 'utf8');
    const cases: [string[], RegExp][] = [
      [['link', 'nothing'], /no lock `nothing`/],
      [['link', 'press', '--uses', '0'], /from 1 to 100,000 times/],
      [['link', 'press', '--until', '2020-01-01'], /is past/],
      [['link', 'press', '--until', 'soon'], /neither a moment/],
      [['link', 'press', '--to', '//elsewhere.example'], /no path on this site/],
      [['link', 'press', '--label', 'Q'], /a link for Q already/],
      [['link', 'press', '--show', 'X'], /no link `X`. It has: .*\w+ \(Q\)/],
      [['link', 'press', '--list', '--show', 'Q'], /exclude each other/],
      [['link', 'press', '--origin', 'kestrelmoor'], /no scheme and host/],
      [['link', 'press', '--svg', 'q.svg', '--label', 'Z'], /there already/],
    ];
    for (const [words, expected] of cases) {
      const { stderr, exitCode } = await run(words);
      assert.equal(exitCode, 2, words.join(' '));
      assert.match(stderr, expected);
    }
    assert.equal(await readFile(join(folder, 'dorlin.yaml'), 'utf8'), before);
  });

  test('one’s own address, asked of the running site', async () => {
    const site = await running(folder, ['serve', '--port', '0']);
    const added = await run(['bypass', 'add', 'home', '--address', 'mine', '--site', site.url, '--lock', 'members']);
    assert.match(added.stdout, /home lets in the address 127\.0\.0\.1 at members/);
    await site.end();
    const gone = await run(['bypass', 'add', 'away', '--address', 'mine', '--site', site.url]);
    assert.equal(gone.exitCode, 2);
    assert.match(gone.stderr, /does not answer/);
    await writeFile(join(folder, 'off.yaml'), policy.replace('showAddress: true', 'showAddress: false'));
    const off = await running(folder, ['serve', '--port', '0', '--policy', 'off.yaml']);
    const untold = await run(['bypass', 'add', 'away', '--address', 'mine', '--site', off.url]);
    assert.match(untold.stderr, /answers 404[\s\S]*--show-address yes/);
    await off.end();
  });

  const skip = (process.env['DORLIN_MISSING'] ?? '').includes('htpasswd') ? 'htpasswd is missing' : false;
  describe('htpasswd files, with the real tool', { skip }, () => {
    const htpasswd = (...words: string[]) => execa('htpasswd', words, { cwd: folder, reject: false });

    test('are taken: bcrypt and apr1, each user, and each can be ended', async () => {
      await htpasswd('-cbB', 'team', 'bran', 'wading bird');
      await htpasswd('-bm', 'team', 'wren', 'small: bird');
      const taken = await run(['password', 'import', 'press', 'team', '--always']);
      assert.match(taken.stdout, /2 users may enter press by HTTP Basic: bran and wren/);
      const site = await running(folder, ['serve', '--port', '0']);
      const visit = async (user: string, password: string) => {
        const authorization = `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}`;
        return (await fetch(`${site.url}/press/embargoed/`, { headers: { authorization } })).status;
      };
      assert.equal(await visit('bran', 'wading bird'), 200);
      assert.equal(await visit('wren', 'small: bird'), 200);
      assert.equal(await visit('wren', 'wading bird'), 401);
      type Listed = { passwords: { label: string; imported: boolean }[] }[];
      const { locks } = await json<{ locks: Listed }>(['password', 'list', 'press']);
      assert.deepEqual(
        locks[0]?.passwords.map(({ label, imported }) => [label, imported]),
        [
          ['bran', true],
          ['wren', true],
        ],
      );
      assert.equal((await run(['password', 'retire', 'press', 'wren'])).exitCode, 0);
      const giveUp = Date.now() + 10_000;
      while ((await visit('wren', 'small: bird')) !== 401) assert.ok(Date.now() < giveUp);
      assert.equal(await visit('bran', 'wading bird'), 200);
      await site.end();
    });

    test('are taken whole or not at all', async () => {
      const before = await readFile(join(folder, 'dorlin.yaml'), 'utf8');
      await writeFile(
        join(folder, 'bad'),
        '# ours\n\nann:{SHA}x\nbo\ncid:abcdefghijklm\nann:$apr1$abcdefgh$6LrfU5Del4GDbq.LEfGiS.\n',
      );
      const bad = await run(['password', 'import', 'press', 'bad']);
      assert.equal(bad.exitCode, 2);
      assert.match(bad.stderr, /bad:3 {2}the hash of ann is SHA-1[\s\S]*bad:4[\s\S]*bad:5.*old crypt/);
      const double = await run(['password', 'import', 'press', 'team']);
      assert.match(double.stderr, /passwords for bran already[\s\S]*--replace/);
      assert.equal(await readFile(join(folder, 'dorlin.yaml'), 'utf8'), before);
      assert.equal(
        (await run(['password', 'import', 'press', '-', '--replace'], await readFile(join(folder, 'team'), 'utf8')))
          .exitCode,
        0,
      );
    });

    test('are written: with bcrypt, and as the tool checks them', async () => {
      await run(['password', 'add', 'press', '--label', 'Ann', '--password-stdin'], 'ink and harrier');
      const wrote = await run(['password', 'export', 'press', '--out', 'made']);
      assert.match(wrote.stdout, /Wrote 3 users of press to made/);
      for (const [user, password, expected] of [
        ['Ann', 'ink and harrier', 0],
        ['Ann', 'ink and harrie', 3],
        ['bran', 'wading bird', 0],
        ['wren', 'small: bird', 0],
      ] as const) {
        assert.equal((await htpasswd('-vb', 'made', user, password)).exitCode, expected, user);
      }
      assert.match(await readFile(join(folder, 'made'), 'utf8'), /^Ann:\$2y\$10\$/m);
      assert.equal((await run(['password', 'export', 'press', '--out', 'made'])).exitCode, 2);
      const text = (await run(['password', 'export', 'press'])).stdout;
      assert.equal(text.trim().split('\n').length, 3);
    });

    test('what is known by its hash alone is not exported silently', async () => {
      const { folder: elsewhere, remove: removeIt } = await temporaryFolder();
      await writeFile(join(elsewhere, 'dorlin.yaml'), await readFile(join(folder, 'dorlin.yaml'), 'utf8'));
      const refused = await dorlin(elsewhere, ['password', 'export', 'press']);
      assert.equal(refused.exitCode, 2);
      assert.match(refused.stderr, /Ann: only its hash is here[\s\S]*--skip/);
      const skipped = await dorlin(elsewhere, ['password', 'export', 'press', '--skip']);
      assert.equal(skipped.exitCode, 0);
      assert.doesNotMatch(skipped.stdout, /Ann/);
      assert.match(skipped.stderr, /left out Ann/);
      await removeIt();
    });
  });
});
