import { once } from 'node:events';
import { readFile } from 'node:fs/promises';
import { createServer, type IncomingMessage } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import sirv from 'sirv';
import { seal, type SealResult, type SealSettings } from '../../src/owner/seal.js';
import { openKeys } from '../../src/stores/keeping.js';
import { rememberPasswords } from '../../src/stores/recall-file.js';
import { idOf, policyText, type TestLock } from './policies.js';
import { temporaryFolder, writeFiles } from './sites.js';

/** As few rounds as may be: what is tried is whether they are done, not how many. */
export const testRounds = 1000;

/** A folder with a site and its policy, ready to be sealed. */
export async function siteToSeal(
  locks: Readonly<Record<string, TestLock>>,
  files: Readonly<Record<string, string | Buffer>>,
  site: object = {},
) {
  const { folder, remove } = await temporaryFolder();
  const policyFile = join(folder, 'dorlin.yaml');
  const write = async (of: Readonly<Record<string, TestLock>>, more: object = site) => {
    await writeFiles(folder, { 'dorlin.yaml': await policyText(of, { folder: 'site', ...more }) });
    const keys = await openKeys(policyFile);
    for (const [lock, { passwords = {} }] of Object.entries(of)) {
      const all = Object.entries(passwords).map(([label, password]) => ({ id: idOf(label), password }));
      await rememberPasswords(policyFile, lock, all, keys);
    }
  };
  await writeFiles(folder, Object.fromEntries(Object.entries(files).map(([path, text]) => [`site/${path}`, text])));
  await write(locks);
  const out = join(folder, 'sealed');
  return {
    folder,
    policyFile,
    out,
    site: join(folder, 'site'),
    write,
    seal: (more: Partial<SealSettings> = {}): Promise<SealResult> =>
      seal(policyFile, { out, acceptWeak: true, rounds: testRounds, ...more }),
    remove,
  };
}

interface HostOptions {
  readonly base?: string;
  readonly headers?: Readonly<Record<string, string>>;
}

/** A host that serves files and nothing else, as they are, in a folder of its own. */
export async function plainHost(folder: string, { base = '/', headers = {} }: HostOptions = {}) {
  const asked: IncomingMessage[] = [];
  const files = sirv(folder, { dev: true, dotfiles: true, extensions: ['html'] });
  const server = createServer((request, response) => {
    asked.push(request);
    const url = request.url ?? '/';
    if (!url.startsWith(base)) {
      response.writeHead(404).end('elsewhere');
      return;
    }
    request.url = `/${url.slice(base.length)}`;
    for (const [name, value] of Object.entries(headers)) response.setHeader(name, value);
    files(request, response, () => {
      void readFile(join(folder, '404.html')).then(
        (page) => response.writeHead(404, { 'content-type': 'text/html' }).end(page),
        () => response.writeHead(404).end('the host has nothing here'),
      );
    });
  }).listen(0, '127.0.0.1');
  await once(server, 'listening');
  return {
    url: `http://localhost:${(server.address() as AddressInfo).port}${base}`,
    asked,
    close: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}
