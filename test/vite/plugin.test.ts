import assert from 'node:assert/strict';
import { existsSync } from 'node:fs';
import { readdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { after, describe, test } from 'node:test';
import {
  build,
  createLogger,
  createServer,
  preview,
  type InlineConfig,
  type ViteDevServer,
  type PreviewServer,
} from 'vite';
import { DorlinError } from '../../src/core/errors.js';
import { dorlin, type DorlinOptions } from '../../src/vite.js';
import { siteToSeal } from '../support/sealed.js';
import { writeFiles } from '../support/sites.js';
import type { TestLock } from '../support/policies.js';

const strong = 'heather lantern slow comet kestrel';
const locks: Record<string, TestLock> = { members: { covers: ['/members/'], passwords: { aa: strong } } };
const page = (body: string) => `<!doctype html><html lang="en"><title>A page</title>${body}`;
const files = {
  'index.html': page('<p>For all</p><script type="module" src="/src/main.js"></script>'),
  'members/index.html': page('<p>CANARY-INDEX</p><script type="module">document.title = "CANARY-INLINE"</script>'),
  'src/main.js': 'document.body.dataset.main = "ran";',
  'members/moon.png': 'CANARY-MOON',
  'public/members/plan.txt': 'CANARY-PLAN',
  'public/logo.txt': 'logo',
};
const removes: (() => Promise<void>)[] = [];
after(() => Promise.all(removes.map((remove) => remove())));

/** A project of Vite’s own kind, its policy beside its pages. */
async function project(of: Readonly<Record<string, TestLock>> = locks, more: Record<string, string> = {}) {
  const site = await siteToSeal(of, {}, { folder: 'dist-unsealed' });
  removes.push(site.remove);
  await writeFiles(site.folder, { ...files, ...more });
  const config = (options: DorlinOptions = {}, rest: InlineConfig = {}): InlineConfig => ({
    root: site.folder,
    configFile: false,
    logLevel: 'silent',
    appType: 'mpa',
    build: {
      rolldownOptions: { input: [join(site.folder, 'index.html'), join(site.folder, 'members/index.html')] },
      ...rest.build,
    },
    server: { port: 0, host: '127.0.0.1' },
    preview: { port: 0, host: '127.0.0.1' },
    plugins: [dorlin({ policy: 'dorlin.yaml', seal: { rounds: 210_000 }, ...options })],
    ...rest,
  });
  return { ...site, config };
}

/** All that lies in a folder, as one text. */
async function textOf(folder: string): Promise<string> {
  const all = await readdir(folder, { recursive: true, withFileTypes: true });
  const own = all.filter((one) => one.isFile()).map((one) => readFile(join(one.parentPath, one.name), 'latin1'));
  return (await Promise.all(own)).join('\n');
}

const urlOf = ({ resolvedUrls }: ViteDevServer | PreviewServer) => resolvedUrls?.local[0] ?? '';
const isCode = (code: string) => (error: unknown) => error instanceof DorlinError && error.code === code;

test('a build is sealed: what a host gets has nothing locked, and git leaves the other out', async () => {
  const { folder, config } = await project();
  await writeFiles(folder, { 'dist/old.html': 'CANARY of an earlier build, in the clear' });
  await build(config());
  assert.doesNotMatch(await textOf(join(folder, 'dist')), /CANARY/);
  assert.equal(existsSync(join(folder, 'dist/dorlin-worker.js')), true);
  assert.match(await readFile(join(folder, 'dist/index.html'), 'utf8'), /For all/);
  assert.match(await textOf(join(folder, 'dist-unsealed')), /CANARY-INDEX[^]*CANARY-PLAN|CANARY-PLAN[^]*CANARY-INDEX/);
  assert.match(await readFile(join(folder, 'dist-unsealed/.gitignore'), 'utf8'), /^\*$/m);
  // Once more over what is sealed: nothing is emptied that is the same.
  const before = await readdir(join(folder, 'dist/_dorlin/sealed'));
  await build(config());
  assert.deepEqual(await readdir(join(folder, 'dist/_dorlin/sealed')), before);
});

test('what is built of locked sources lies beside them, under their locks', async () => {
  const { folder, config } = await project(locks, {
    'members/index.html': page('<img src="./moon.png"><link rel="stylesheet" href="./own.css">'),
    'members/moon.png': `CANARY-MOON${'x'.repeat(9000)}`,
    'members/own.css': '.canary{background:url(./moon.png)}',
  });
  await build(config({ seal: false }));
  const built = await readdir(join(folder, 'dist/members/assets'));
  assert.deepEqual(built.map((name) => name.replace(/-[^.]+/, '')).sort(), ['index.css', 'moon.png']);
  assert.deepEqual(
    (await readdir(join(folder, 'dist/assets'))).filter((name) => !name.endsWith('.js')),
    [],
  );
});

test('of a page that is locked by itself the build says what is public of it', async () => {
  const { config } = await project({ page: { covers: ['/members'], passwords: { aa: strong } } });
  const said: string[] = [];
  const customLogger = createLogger('warn', { allowClearScreen: false });
  customLogger.warn = (text) => said.push(text);
  await build(config({ seal: false }, { customLogger }));
  assert.match(said.join('\n'), /members\/index\.html is locked, and what is built of it is not/);
});

test('what cannot be sealed for certain fails the build, and nothing is there to be uploaded', async () => {
  const weak = await project({ members: { covers: ['/members/'], passwords: { aa: 'comet' } } });
  await assert.rejects(build(weak.config()), /seal-weak|would stand/);
  assert.equal(existsSync(join(weak.folder, 'dist/index.html')), false);
  const leaking = await project(locks, { 'public/data.json': '{"text":"CANARY-PLAN of the members for the season"}' });
  await writeFiles(leaking.folder, { 'public/members/plan.txt': 'CANARY-PLAN of the members for the season' });
  await assert.rejects(build(leaking.config()), /can be read in/);
  assert.equal(existsSync(join(leaking.folder, 'dist')), false, 'nothing is left to be put on a host');
  assert.match(await textOf(join(leaking.folder, 'dist-unsealed/.leaking')), /CANARY-PLAN/);
  await build(leaking.config({ seal: { rounds: 210_000, check: false } }));
});

test('without sealing a build is as it was', async () => {
  const { folder, config } = await project();
  await build(config({ seal: false }));
  assert.match(await textOf(join(folder, 'dist')), /CANARY-INDEX/);
  assert.equal(existsSync(join(folder, 'dist-unsealed')), false);
});

test('options that there are not are refused, and so is a base in one folder', async () => {
  assert.throws(() => dorlin({ polcy: 'dorlin.yaml' } as DorlinOptions), isCode('call-wrong'));
  assert.throws(() => dorlin({ seal: { rounds: 5 } }), isCode('call-wrong'));
  const { config, folder } = await project();
  await assert.rejects(build(config({}, { base: '/kestrelmoor/' })), isCode('vite-base'));
  await build(config({}, { base: './' }));
  await rm(join(folder, 'dorlin.yaml'));
  await assert.rejects(build(config()), /dorlin\.yaml/);
  await assert.rejects(createServer(config()), isCode('policy-missing'));
});

/** What it is like to visit: a status, and whether something of it is locked. */
async function visit(url: string, path: string, cookie = '') {
  const answer = await fetch(new URL(path, url), { headers: { accept: 'text/html', cookie }, redirect: 'manual' });
  return { status: answer.status, text: await answer.text() };
}

async function passFor(url: string): Promise<string> {
  const answer = await fetch(new URL('/_dorlin/unlock', url), {
    method: 'POST',
    body: new URLSearchParams({ lock: 'members', password: strong, to: '/members/' }),
    headers: { origin: url.replace(/\/$/, '') },
    redirect: 'manual',
  });
  assert.equal(answer.status, 303);
  return answer.headers
    .getSetCookie()
    .map((one) => one.split(';', 1)[0])
    .join('; ');
}

describe('vite dev behind the guard', () => {
  const all: [string, number][] = [
    ['/', 200],
    ['/logo.txt', 200],
    ['/src/main.js', 200],
    ['/@vite/client', 200],
    ['/members/', 403],
    ['/members/index.html', 403],
    ['/members/index.html?raw', 403],
    ['/members/index.html?import&raw', 403],
    ['/members/index.html?html-proxy&index=0.js', 403],
    ['/members/plan.txt', 403],
    ['/members/plan.txt?url', 403],
    ['/MEMBERS//%69ndex.html', 403],
    ['/members/%2e%2e/members/plan.txt', 403],
    ['/members/moon.png', 403],
    ['/public/members/plan.txt', 403],
    ['/nothing', 404],
  ];

  test('pages and public files are judged, sources are not; a password opens', async () => {
    const { config, folder } = await project();
    const server = await createServer(config());
    try {
      await server.listen();
      const url = urlOf(server);
      for (const [path, status] of all) {
        const got = await visit(url, path);
        assert.deepEqual([path, got.status, got.text.includes('CANARY')], [path, status, false]);
      }
      // By the path on the disk, as modules are asked for.
      for (const file of ['members/index.html', 'members/moon.png', 'public/members/plan.txt']) {
        for (const query of ['', '?raw', '?url', '?import', '?import&raw', '?html-proxy&index=0.js']) {
          const got = await visit(url, `/@fs${folder}/${file}${query}`);
          assert.deepEqual([file, query, got.status, got.text.includes('CANARY')], [file, query, 403, false]);
        }
      }
      const cookie = await passFor(url);
      assert.match((await visit(url, '/members/', cookie)).text, /CANARY-INDEX/);
      assert.match((await visit(url, '/members/plan.txt', cookie)).text, /CANARY-PLAN/);
    } finally {
      await server.close();
    }
  });

  test('a lock of the whole site leaves sources alone, which have no address in it', async () => {
    const { config } = await project({ all: { covers: ['/'], passwords: { aa: strong } } });
    const server = await createServer(config());
    try {
      await server.listen();
      const statusOf = async (path: string) => (await visit(urlOf(server), path)).status;
      assert.deepEqual(await Promise.all(['/', '/logo.txt', '/src/main.js'].map(statusOf)), [403, 403, 200]);
    } finally {
      await server.close();
    }
  });
});

test('vite preview: behind the guard, or as a plain host would', async () => {
  const { config } = await project();
  await assert.rejects(preview(config()), isCode('folder-missing'));
  await build(config());
  const guarded = await preview(config());
  const sealed = await preview(config({ preview: 'sealed' }));
  try {
    const [one, other] = [urlOf(guarded), urlOf(sealed)];
    assert.equal((await visit(one, '/members/')).status, 403);
    assert.match((await visit(one, '/members/', await passFor(one))).text, /CANARY-INDEX/);
    const shell = await visit(other, '/members/');
    assert.deepEqual(
      [shell.status, shell.text.includes('dorlin-area'), shell.text.includes('CANARY')],
      [200, true, false],
    );
  } finally {
    await Promise.all([guarded.close(), sealed.close()]);
  }
});
