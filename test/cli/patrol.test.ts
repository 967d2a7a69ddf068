import assert from 'node:assert/strict';
import { existsSync } from 'node:fs';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { SaxesParser } from 'saxes';
import { dorlin, endAll, repository, running } from '../support/command-line.js';
import { prose } from '../support/flawed-site.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

const page = (name: string, body = '') =>
  `<!doctype html><title>${name}</title><nav><a href="/">Start</a> <a href="/about">About</a></nav><main><h1>${name}</h1><p>${prose(name, 4).join(' ')}</p>${body}</main>`;

/** A small site on which the search index, a picture and a paper give locked pages away. */
const files = {
  'index.html': page('Start', '<script>fetch("/search.json")</script>'),
  'about.html': page('About', '<a href="/members/">Members</a>'),
  'members/index.html': page('Members', '<a href="log">Log</a> <a href="/papers/rules.txt">Rules</a>'),
  'members/log.html': page('Log'),
  'papers/rules.txt': prose('Rules', 5).join('\n'),
  'search.json': JSON.stringify(['About', 'Log'].map((name) => ({ name, text: prose(name, 4).join(' ') }))),
};

let folder = '';
let remove = () => Promise.resolve();
let url = '';

before(async () => {
  ({ folder, remove } = await temporaryFolder());
  await writeFiles(join(folder, 'site'), files);
  await dorlin(folder, ['init', 'site', '--name', 'Small site']);
  await dorlin(folder, ['lock', 'members', '/members/']);
  await dorlin(folder, ['password', 'add', 'members', '--password-stdin'], 'open-sesame-tonight');
  ({ url } = await running(folder, ['serve', '--port', '4377']));
});
after(async () => {
  endAll();
  await remove();
});

const codesOf = (stdout: string) =>
  (JSON.parse(stdout) as { findings: { code: string }[] }).findings.map(({ code }) => code);

describe('dorlin patrol', () => {
  test('without a policy tells what is open and closed, and what a password opens', async () => {
    const stranger = await dorlin(folder, ['patrol', url, '--no-ask']);
    assert.equal(stranger.exitCode, 0, stranger.stderr);
    assert.match(stranger.stdout, /\/members\/ +\d+ +screen/);
    assert.match(stranger.stdout, /Not played: guest of members, as no password was given/);
    const inside = await dorlin(folder, ['patrol', url, '--password-stdin', '--json'], 'open-sesame-tonight\n');
    assert.equal(inside.exitCode, 1);
    assert.deepEqual(codesOf(inside.stdout), ['file-beside-open', 'words-in-search-index']);
    const wrong = await dorlin(folder, ['patrol', url, '--password-stdin'], 'something-else');
    assert.match(wrong.stdout, /no password that was given opens it/);
  });

  test('with a policy finds what leaks, in words and in every report', async () => {
    const reports = ['--html', 'p.html', '--junit', 'p.xml', '--sarif', 'p.sarif'];
    const { stdout, exitCode } = await dorlin(folder, ['patrol', url, '--policy', 'dorlin.yaml', ...reports]);
    assert.equal(exitCode, 1);
    assert.match(stdout, /^Small site: 2 leaks$/m);
    assert.match(stdout, /\/members\/ +\d+ +LEAK +screen +let in/);
    assert.match(stdout, /\/search\.json holds words of \/members\/log/);
    const said = prose('Log', 4)[0]?.split(' ').slice(0, 4).join(' ') ?? '';
    assert.ok(stdout.includes(said), said);
    const read = (name: string) => readFile(join(folder, name), 'utf8');
    const html = await read('p.html');
    assert.match(html, /<h1>2 leaks<\/h1>/);
    assert.doesNotMatch(html, /<script|https?:\/\/(?!127)/);
    const { names, text } = readXml(await read('p.xml'));
    assert.equal(names[0], 'testsuites');
    assert.equal(names.filter((name) => name === 'failure').length, 3);
    assert.match(text, /search\.json holds words of/);
    const sarif = JSON.parse(await read('p.sarif')) as SarifLog;
    assert.equal(sarif.version, '2.1.0');
    const [run] = sarif.runs;
    assert.deepEqual(
      run?.results.map(({ ruleId, level }) => `${level} ${ruleId}`),
      ['error file-beside-open', 'error words-in-search-index'],
    );
    assert.deepEqual(
      run.results.map(({ ruleIndex, ruleId }) => run.tool.driver.rules[ruleIndex]?.id === ruleId),
      [true, true],
    );
    assert.equal(run.results[1]?.locations[0]?.physicalLocation.artifactLocation.uri, `${url}/search.json`);
  });

  test('goes on where it was cut short, and asks nothing twice', async () => {
    const words = ['patrol', url, '--policy', 'dorlin.yaml', '--resume', 'p.jsonl', '--json'];
    const part = JSON.parse((await dorlin(folder, [...words, '--pages', '6'])).stdout) as Result;
    assert.ok(part.left > 0);
    const kept = await readFile(join(folder, 'p.jsonl'), 'utf8');
    assert.doesNotMatch(kept, /open-sesame|harbor|lantern/);
    const other = await dorlin(folder, ['patrol', `${url}/about`, '--resume', 'p.jsonl']);
    assert.match(other.stderr, /no record of a patrol of this site/);
    const rest = await dorlin(folder, words);
    assert.deepEqual(codesOf(rest.stdout), ['file-beside-open', 'words-in-search-index']);
    const fresh = await dorlin(folder, ['patrol', url, '--policy', 'dorlin.yaml', '--json']);
    const asked = (stdout: string) => (JSON.parse(stdout) as Result).requests;
    assert.ok(asked(rest.stdout) < asked(fresh.stdout));
    assert.equal(existsSync(join(folder, 'p.jsonl')), false);
  });

  test('says what is wrong with a call', async () => {
    const calls: [words: string[], says: RegExp, input?: string][] = [
      [['kestrelmoor'], /is no address of a site/],
      [['http://127.0.0.1:9'], /does not answer/],
      [[url, '--skip', 'words-in-feeds'], /Did you mean `words-in-feed`/],
      [[url, '--pages', 'many'], /`--pages` takes a whole number from 1/],
      [[url, '--from', '10.0.0.0/8'], /is no address/],
      [[url, '--propose'], /name it with --policy/],
      [[url, '--policy', 'dorlin.yaml', '--password-stdin'], /Password 1 of those given opens no lock/, 'guess'],
      [[url, '--html', 'nowhere/p.html', '--no-ask'], /nowhere\/p\.html cannot be written/],
    ];
    for (const [words, says, input] of calls) {
      const { stderr, exitCode } = await dorlin(folder, ['patrol', ...words], input);
      assert.equal(exitCode, 2, words.join(' '));
      assert.match(stderr, says);
    }
  });

  test('proposes the change that closes it, and writes it on a yes alone', async () => {
    const policy = join(folder, 'dorlin.yaml');
    const text = `# by hand\n${await readFile(policy, 'utf8')}`;
    await writeFile(policy, text);
    const call = ['patrol', url, '--policy', 'dorlin.yaml', '--propose'];
    const shown = await dorlin(folder, call);
    assert.match(shown.stdout, /Closed: 2 addresses\n {2}by members\n {4}\/papers\/rules\.txt\n {4}\/search\.json/);
    assert.match(shown.stdout, /Nothing was written/);
    assert.equal(await readFile(policy, 'utf8'), text);
    const written = await dorlin(folder, [...call, '--yes']);
    assert.equal(written.exitCode, 1);
    const edited = await readFile(policy, 'utf8');
    assert.match(edited, /^# by hand\n[^]*covers: \[\/members\/, \/papers\/rules\.txt, \/search\.json\]/);
    const { stdout, exitCode } = await dorlin(folder, [...call.slice(0, -1)]);
    assert.equal(exitCode, 0, stdout);
    assert.match(stdout, /Nothing leaks, and nobody is kept out/);
    await dorlin(folder, ['back']);
    assert.equal(await readFile(policy, 'utf8'), text);
  });
});

describe('the demo', () => {
  test('holds', async () => {
    const demo = await running(repository, ['demo', '--port', '4378']);
    const file = / --policy (\S+)/.exec(demo.printed())?.[1] ?? '';
    const { stdout, exitCode } = await dorlin(folder, ['patrol', demo.url, '--policy', file]);
    await demo.end();
    assert.equal(exitCode, 0, stdout);
    assert.match(stdout, /Nothing leaks, and nobody is kept out\n/);
    // By password, by link, by address, by credentials.
    assert.match(stdout, /\/press\/embargoed\/ +\d+ +screen +screen +let in +screen +screen +let in +screen +let in/);
  });
});

/** @throws where it is not well-formed */
function readXml(xml: string): { names: string[]; text: string } {
  const names: string[] = [];
  let text = '';
  const parser = new SaxesParser();
  parser.on('error', (error) => {
    throw error;
  });
  parser.on('opentag', ({ name }) => names.push(name));
  parser.on('text', (piece) => {
    text += piece;
  });
  parser.write(xml).close();
  return { names, text };
}

interface Result {
  readonly left: number;
  readonly requests: number;
}

interface SarifLog {
  readonly version: string;
  readonly runs: readonly {
    readonly tool: { readonly driver: { readonly rules: readonly { readonly id: string }[] } };
    readonly results: readonly {
      readonly ruleId: string;
      readonly ruleIndex: number;
      readonly level: string;
      readonly locations: readonly {
        readonly physicalLocation: { readonly artifactLocation: { readonly uri: string } };
      }[];
    }[];
  }[];
}
