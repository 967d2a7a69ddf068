import assert from 'node:assert/strict';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { lookNames } from '../../src/core/screen/looks/names.js';
import { dorlinHere as dorlin, endAll, running } from '../support/command-line.js';
import { temporaryFolder, until, writeFiles } from '../support/sites.js';

const policy = `# Kestrelmoor's own
dorlin: 1
site: { name: Kestrelmoor, folder: dist, languages: [en, ar] }
locks:
  members: { covers: [/members/], screen: evening, bypass: [staff] } # by role
  whole: { covers: [/], except: [/index.html], outsiders: closed, bypass: [staff] }
bypasses: { staff: { roles: [editor] } }
screens:
  evening: # lit
    look: lantern
    text: { heading: Evening log }
    colors: { light: { soft: '#b9a9c6' } }
    logo: { picture: /pictures/dome.svg, alt: Dome, width: 60, height: 40 }
    above: [{ countdown: end }]
  spare: { look: gazette, below: [{ links: [{ to: /a, text: A }, { to: /b, text: B }, { to: /c, text: C }, { to: /d, text: D }, { to: /e, text: E }, { to: /f, text: F }] }] }
`;

describe('dorlin screen', () => {
  let folder: string;
  let remove: () => Promise<void>;
  before(async () => {
    ({ folder, remove } = await temporaryFolder());
    await writeFiles(folder, {
      'dorlin.yaml': policy,
      'dist/index.html': '<h1>Start</h1>',
      'dist/members/log.html': '<p>Log</p>',
      'dist/pictures/dome.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
    });
  });
  after(async () => {
    endAll();
    await remove();
  });

  test('list shows screens with their locks, and the looks', async () => {
    const { stdout } = await dorlin(folder, ['screen', 'list']);
    assert.match(stdout, /evening +lantern, cover +shown by members +1 pair of colors too faint/);
    assert.match(stdout, /default +doorway, side +shown by whole +contrast passes/);
    assert.match(stdout, /ticket +A ticket with its stub/);
    const { screens, looks } = JSON.parse((await dorlin(folder, ['screen', 'list', '--json'])).stdout) as {
      screens: { name: string }[];
      looks: unknown[];
    };
    assert.deepEqual(
      screens.map(({ name }) => name),
      ['default', 'evening', 'spare'],
    );
    assert.equal(looks.length, lookNames.length);
  });

  test('check names the pair, its ratio and the nearest color that passes', async () => {
    const { stdout, exitCode } = await dorlin(folder, ['screen', 'check', 'evening']);
    assert.equal(exitCode, 1);
    const found = /light +soft +#b9a9c6 on the page +1\.\d\d of 4\.5 +fails: (#[0-9a-f]{6}) passes/.exec(stdout);
    assert.ok(found, stdout);
    assert.match(stdout, /counts down to the end of the lock members, which has none/);
    assert.match(stdout, /shows \/pictures\/dome\.svg, which is locked/);
    // With that color the pair passes indeed.
    const mended = join(folder, 'mended.yaml');
    await writeFile(mended, policy.replace('#b9a9c6', found[1] ?? ''));
    const again = await dorlin(folder, ['screen', 'check', 'evening', '--policy', mended]);
    assert.doesNotMatch(again.stdout, /fails/);
  });

  test('check of the policy tells of screens as well', async () => {
    const { stdout } = await dorlin(folder, ['check']);
    for (const code of ['screen-contrast', 'screen-file-locked', 'screen-unused', 'screen-countdown-endless'])
      assert.ok(stdout.includes(`[${code}]`), code);
    const shown = join(folder, 'shown.yaml');
    await writeFile(
      shown,
      policy
        .replace('screen: evening', 'screen: spare')
        .replace('dome.svg', 'moon.svg')
        .replace('except: [/index.html]', 'except: [/index.html, /pictures/]')
        .replace('outsiders: closed', 'screen: evening, outsiders: closed'),
    );
    const other = await dorlin(folder, ['check', '--policy', shown]);
    assert.match(other.stdout, /The screen spare has 6 links/);
    assert.match(other.stdout, /shows \/pictures\/moon\.svg, which is no file of the site/);
  });

  test('a mistake in a screen is told with its line and the nearest key', async () => {
    const wrong = join(folder, 'wrong.yaml');
    const said = async (from: string, to: string) => {
      await writeFile(wrong, policy.replace(from, to));
      const { stderr, exitCode } = await dorlin(folder, ['screen', 'list', '--policy', wrong]);
      assert.equal(exitCode, 2);
      return stderr;
    };
    assert.match(
      await said('heading:', 'headding:'),
      /wrong\.yaml:11:13[^]*no key `headding` here; did you mean `heading`\?/,
    );
    assert.match(await said('look: lantern', 'look: lamp'), /screens\.evening\.look/);
    assert.match(await said("'#b9a9c6'", 'reddish'), /`reddish` is no color/);
    assert.match(await said('width: 60', 'width: 6000'), /screens\.evening\.logo\.width/);
    assert.match(
      await said('/pictures/dome.svg', 'https://cdn.example/dome.svg'),
      /write the path of a picture on this site/,
    );
    assert.match(await said('{ countdown: end }', '{ countdown: end, markdown: x }'), /exactly one of/);
    assert.match(await said('screen: evening', 'screen: evenign'), /there is no screen `evenign`/);
    assert.match(await said('look: lantern', "look: lantern\n    css: '@import url(x)'"), /cannot import another/);
    assert.match(
      await said('look: lantern', "look: lantern\n    css: 'p{background:url(https://x.example/y)}'"),
      /asks nothing of other sites/,
    );
  });

  test('export writes one file that needs no other, and sends nothing', async () => {
    const { stdout } = await dorlin(folder, ['screen', 'export', 'evening', '--state', 'closed', '--language', 'ar']);
    assert.match(stdout, /<html lang="ar" dir="rtl">/);
    assert.match(stdout, /<img src="data:image\/svg\+xml;base64,/);
    assert.match(stdout, /content-security-policy" content="default-src 'none';[^"]*form-action 'none'/);
    assert.doesNotMatch(stdout, /<script|src="\//);
    const { stderr, exitCode } = await dorlin(folder, ['screen', 'export', 'evning']);
    assert.equal(exitCode, 2);
    assert.match(stderr, /no screen `evning`\. There are: default, evening, spare/);
  });

  test('sheet shows every look in every state, wide and narrow', async () => {
    const file = join(folder, 'looks.html');
    await dorlin(folder, ['screen', 'sheet', file, '--scheme', 'dark']);
    const html = await readFile(file, 'utf8');
    assert.equal(html.match(/<iframe /g)?.length, lookNames.length * 6 * 2);
  });

  test('tokens out of one screen and into a new one, comments kept', async () => {
    const file = join(folder, 'evening.tokens.json');
    const copy = join(folder, 'copy.yaml');
    await writeFile(copy, policy);
    await dorlin(folder, ['screen', 'tokens', 'export', 'evening', '--out', file]);
    const dry = await dorlin(folder, ['screen', 'tokens', 'import', 'dawn', file, '--dry-run', '--policy', copy]);
    assert.match(dry.stdout, /Nothing was written/);
    assert.equal(await readFile(copy, 'utf8'), policy);
    const { stdout } = await dorlin(folder, ['screen', 'tokens', 'import', 'dawn', file, '--policy', copy]);
    assert.match(stdout, /colors\.light\.soft +#b9a9c6 +from screen\.color\.light\.soft/);
    assert.match(stdout, /Made the screen dawn[^]*soft #b9a9c6 on the card has/);
    const text = await readFile(copy, 'utf8');
    assert.match(text, /^# Kestrelmoor's own/);
    assert.match(text, /# lit/);
    const again = join(folder, 'again.json');
    await dorlin(folder, ['screen', 'tokens', 'export', 'dawn', '--policy', copy, '--out', again]);
    const colors = async (name: string) =>
      (JSON.parse(await readFile(name, 'utf8')) as { screen: { color: unknown } }).screen.color;
    assert.deepEqual(await colors(again), await colors(file));
  });

  test('preview shows all states, tells of mistakes, and follows the policy', async () => {
    const live = join(folder, 'live.yaml');
    await writeFile(live, policy);
    const preview = await running(folder, ['screen', 'preview', 'evening', '--policy', live]);
    const at = (path: string) => fetch(new URL(path, preview.url));
    const page = await (await at('/')).text();
    assert.equal(page.match(/<iframe /g)?.length, 12);
    const frame = /src="(\/_preview\/screen\?[^"]*state=wrong[^"]*)"/.exec(page)?.[1]?.replaceAll('&amp;', '&');
    const shown = async () => (await at(frame ?? '')).text();
    assert.match(await shown(), /<h1>Evening log<\/h1>[^]*role="alert"/);
    assert.equal((await at('/pictures/dome.svg')).status, 200);
    assert.equal((await at('/members/log.html')).status, 404);
    await writeFile(live, policy.replace('Evening log', 'Night log'));
    await until(async () => (await shown()).includes('Night log'));
    await writeFile(live, policy.replace('lantern', 'lamp'));
    await until(async () => (await (await at('/')).text()).includes('screens.evening.look'));
    assert.match(await shown(), /Night log/);
    await preview.end();
  });
});
