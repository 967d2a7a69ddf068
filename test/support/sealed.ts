import assert from 'node:assert/strict';
import { once } from 'node:events';
import { readFile } from 'node:fs/promises';
import { createServer, type IncomingMessage } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import sirv from 'sirv';
import { openDoor } from '../../src/core/sealing/areas.js';
import type { SealingKey } from '../../src/core/sealing/bytes.js';
import { openKeyring, type Keyring } from '../../src/core/sealing/keyring.js';
import { openBytes } from '../../src/core/sealing/sealed-bytes.js';
import type { AreaIndex, SealedSite } from '../../src/core/sealing/site.js';
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

/** What somebody gets who has taken the files home and knows these passwords. */
export async function openedFrom(out: string, passwords: readonly string[]): Promise<Map<string, string>> {
  const read = async <T>(path: string) => JSON.parse(await readFile(join(out, '_dorlin', path), 'utf8')) as T;
  const site = await read<SealedSite>('sealed.json');
  const keys = new Map<string, SealingKey>();
  for (const lock of Object.keys(site.locks)) {
    const ring = await read<Keyring>(`locks/${lock}.json`);
    for (const password of passwords) {
      const found = await openKeyring(ring, password);
      if (found !== undefined) keys.set(lock, found.key);
    }
  }
  const texts = new Map<string, string>();
  for (const [name, { doors, index }] of Object.entries(site.areas)) {
    for (const door of doors.filter(({ locks: needed }) => needed.every((lock) => keys.has(lock)))) {
      const key = await openDoor(name, door, keys);
      // With a message: without, a failure that is expected here would have the runner parse its whole source.
      assert.ok(key, name);
      const text = async (blob: string, isPacked: boolean) => {
        const bytes = await openBytes(await readFile(join(out, '_dorlin/sealed', blob)), key);
        assert.ok(bytes, blob);
        return (isPacked ? gunzipSync(bytes) : Buffer.from(bytes)).toString();
      };
      const { files: inside, parts } = JSON.parse(await text(index, false)) as AreaIndex;
      for (const [path, { blob, packed }] of Object.entries(inside)) texts.set(path, await text(blob, packed === true));
      for (const [path, { parts: all }] of Object.entries(parts)) {
        for (const { entry } of all) {
          const before = texts.get(`${path}#`) ?? '';
          texts.set(`${path}#`, before + (await text(entry.blob, entry.packed === true)));
        }
      }
    }
  }
  return texts;
}

interface HostOptions {
  readonly base?: string;
  /** Sent with each file, but not with sealed ones: hosts have rules for pages, and others for folders. */
  readonly headers?: Readonly<Record<string, string>>;
  /** Whether it sends parts of files; some send the whole file, whatever is asked for. @default true */
  readonly hasRanges?: boolean;
}

/** A host that serves files and nothing else, as they are, in a folder of its own. */
export async function plainHost(folder: string, { base = '/', headers = {}, hasRanges = true }: HostOptions = {}) {
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
    if (!hasRanges) delete request.headers.range;
    const own = url.includes('_dorlin/sealed/') ? {} : headers;
    for (const [name, value] of Object.entries(own)) response.setHeader(name, value);
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
