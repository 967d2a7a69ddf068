import assert from 'node:assert/strict';
import { createServer as createHttp, request } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { after, test } from 'node:test';
import express from 'express';
import { createServer as createVite, preview as previewVite, type InlineConfig } from 'vite';
import { guardMiddleware } from '../../src/adapters/node.js';
import { startSite } from '../../src/server/site-server.js';
import { guardFromFile } from '../../src/stores/file-guard.js';
import { openKeys } from '../../src/stores/keeping.js';
import { rememberPasswords } from '../../src/stores/recall-file.js';
import { dorlin } from '../../src/vite.js';
import { policyText } from '../support/policies.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

const ends: (() => unknown)[] = [];
after(async () => {
  for (const end of ends.reverse()) await end();
});

/** A project whose folder a careless server gives out whole. */
async function project(policyName: string) {
  const { folder, remove } = await temporaryFolder();
  ends.push(remove);
  const policyFile = join(folder, policyName);
  const text = await policyText({ members: { covers: ['/members/'], passwords: { aa: 'one' } } }, { folder: '.' });
  const marked = `# OWNERS-SECRET\n${text}`;
  await writeFiles(folder, {
    [policyName]: marked,
    [`${policyName}~`]: marked,
    [`${policyName}.bak`]: marked,
    [policyName.replace('.yaml', '.draft.yaml')]: marked,
    'index.html': '<!doctype html><title>Home</title>',
    'about.html': '<!doctype html><title>About</title>',
    'app/.dorlin/secret': 'OWNERS-SECRET of a copy',
    'app/dorlin.yaml': marked,
    'dist/index.html': '<!doctype html><title>Built</title>',
    'dist/dorlin.yaml': marked,
    'dist/.dorlin/secret': 'OWNERS-SECRET of a build',
  });
  await rememberPasswords(policyFile, 'members', [{ id: 'aa', password: 'OWNERS-SECRET' }], await openKeys(policyFile));
  await writeFiles(folder, { '.dorlin/note.txt': 'OWNERS-SECRET' });
  return { folder, policyFile };
}

/** Addresses of what is the owner's alone. */
const addressesOf = (folder: string, policyName: string) =>
  [
    ...['/.dorlin/secret', '/.dorlin/recall.json', '/.dorlin/note.txt', '/%2edorlin/secret', '/.DORLIN/secret'],
    ...['/.dorlin/./secret', '/x/../.dorlin/secret', '//.dorlin/secret', '/.dorlin%2fsecret', '/.dorlin/secret.gz'],
    ...['/app/.dorlin/secret', '/app/dorlin.yaml', '/dist/.dorlin/secret', '/dist/dorlin.yaml'],
    ...['', '~', '.bak', '/', '.', '%20', ';x'].map((end) => `/${policyName}${end}`),
    `/${policyName.replace('.yaml', '.draft.yaml')}`,
    `/${policyName.toUpperCase()}`,
    `/%64${policyName.slice(1)}`,
    `/@fs${folder}/${policyName}`,
    `/@fs${folder}/.dorlin/secret`,
    `/@fs/${folder}/.dorlin/recall.json`,
    `/_next/image?url=%2F${policyName}&w=64`,
  ].flatMap((address) => [address, ...['raw', 'url', 'import&raw', 'inline'].map((query) => `${address}?${query}`)]);

/** Asks without a client that tidies addresses up. */
const ask = (port: number, path: string) =>
  new Promise<{ status: number; text: string }>((resolve, reject) => {
    request({ port, path, host: '127.0.0.1', headers: { accept: '*/*' } }, (answer) => {
      const chunks: Buffer[] = [];
      answer.on('data', (chunk: Buffer) => chunks.push(chunk));
      answer.on('end', () => {
        resolve({ status: answer.statusCode ?? 0, text: Buffer.concat(chunks).toString() });
      });
    })
      .on('error', reject)
      .end();
  });

async function holdsAt(port: number, folder: string, policyName: string) {
  assert.equal((await ask(port, '/')).status, 200);
  for (const address of addressesOf(folder, policyName)) {
    const { text, status } = await ask(port, address);
    assert.doesNotMatch(text, /OWNERS-SECRET|\$argon2id/, `${address}: ${status}`);
  }
}

const portOf = (server: { address(): unknown }) => (server.address() as AddressInfo).port;

for (const policyName of ['dorlin.yaml', 'locks.yaml']) {
  test(`the Vite servers never send the policy ${policyName} or anything in .dorlin`, async () => {
    const { folder } = await project(policyName);
    const base: InlineConfig = {
      root: folder,
      configFile: false,
      logLevel: 'silent',
      plugins: [dorlin({ policy: policyName })],
    };
    const dev = await createVite({ ...base, server: { port: 0, host: '127.0.0.1' } });
    await dev.listen();
    ends.push(() => dev.close());
    await holdsAt(portOf(dev.httpServer ?? assert.fail()), folder, policyName);
    for (const shows of ['guarded', 'sealed'] as const) {
      const plugins = [dorlin({ policy: policyName, preview: shows, unsealed: 'dist' })];
      const shown = await previewVite({ ...base, plugins, preview: { port: 0, host: '127.0.0.1' } });
      ends.push(() => shown.close());
      await holdsAt(portOf(shown.httpServer), folder, policyName);
    }
  });

  test(`Express that serves its whole folder never sends ${policyName} or anything in .dorlin`, async () => {
    const { folder, policyFile } = await project(policyName);
    const guard = await guardFromFile(policyFile);
    const app = express();
    app.use(guardMiddleware(guard));
    app.use(express.static(folder, { dotfiles: 'allow' }));
    const server = createHttp(app).listen(0, '127.0.0.1');
    ends.push(
      () => server.close(),
      () => guard.close(),
    );
    await new Promise((resolve) => server.once('listening', resolve));
    await holdsAt(portOf(server), folder, policyName);
  });

  test(`dorlin serve of the folder of ${policyName} never sends it or anything in .dorlin`, async () => {
    const { folder, policyFile } = await project(policyName);
    const guard = await guardFromFile(policyFile);
    const site = await startSite({ guard, source: { folder }, host: '127.0.0.1', port: 0, mayMove: false });
    ends.push(() => site.close());
    await holdsAt(site.port, folder, policyName);
  });
}
