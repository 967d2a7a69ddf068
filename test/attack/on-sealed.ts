import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { decide } from '../../src/core/decide.js';
import { sectionsAt } from '../../src/core/decide-section.js';
import { mayBeMarked } from '../../src/core/sections/marks.js';
import type { Policy } from '../../src/core/policy/types.js';
import { DorlinError } from '../../src/core/errors.js';
import { openKeyring, type Keyring } from '../../src/core/sealing/keyring.js';
import { openBytes } from '../../src/core/sealing/sealed-bytes.js';
import { makeKeyring } from '../../src/core/sealing/keyring.js';
import { sealBytes } from '../../src/core/sealing/sealed-bytes.js';
import { targetOf } from '../../src/server/site-files.js';
import { policyText, testPolicy, type TestLock } from '../support/policies.js';
import { seededRandom, type Random } from '../support/random.js';
import { openedFrom, siteToSeal } from '../support/sealed.js';
import { runSite } from '../support/sites.js';
import { canariesIn, soup } from '../support/soup.js';
import { isOver, type Attacked, type Limits } from './on-targets.js';

const names = [
  'a',
  'b',
  'index',
  'A',
  'ä',
  'a b',
  'a%20b',
  'a+b',
  'a#b',
  'a?b',
  'a;b',
  '%61',
  '%2e',
  'a.',
  '..a',
  'con',
  'a~1',
  'ａ',
  "a'b",
  'a"b',
  'a&b',
  'constructor',
];
const folders = [
  '',
  'members/',
  'members/in/',
  'Members/',
  'press/',
  'm%65mbers/',
  'deep/er/',
  'index.html/',
  'a.html/',
];
const ends = ['.html', '.html', '.html', '.htm', '', '.txt', '.pdf', '.xhtml', '.svg', '.json'];
const covers = [
  '/members/',
  '/members/in/',
  '/press/',
  '/press/a',
  '/',
  '/a',
  '/**/*.pdf',
  '/deep/*/',
  '/*/b',
  '/index.html/',
];
const password = 'plover kettle';
/** Each lock its own, so that a guest is one of some locks. */
const passwordOf = (lock: string) => `${password} ${lock}`;

function randomLocks(random: Random): Record<string, TestLock> {
  const pick = <T>(all: readonly T[]) => all[random.below(all.length)] as T;
  const locks: Record<string, TestLock> = {};
  for (const name of ['one', 'two', 'three'].slice(0, 1 + random.below(3))) {
    const except = random.below(3) === 0 ? [pick(covers)] : [];
    const own = [...new Set([pick(covers), pick(covers)])].filter((place) => !except.includes(place));
    if (own.length === 0) continue;
    locks[name] = {
      covers: own,
      except,
      ...(random.below(4) > 0 && { passwords: { aa: passwordOf(name) } }),
      ...(name !== 'one' && locks['one'] !== undefined && random.below(4) === 0 && { requires: ['one'] }),
      ...(random.below(4) === 0 && { outsiders: pick(['not-found', 'closed']) }),
    };
  }
  return {
    ...locks,
    walk: { covers: ['/a#locked', '/members/a#locked', '/b#locked'], passwords: { ww: passwordOf('walk') } },
  };
}

/** A site of hostile names and pages. */
function randomFiles(random: Random): Record<string, string> {
  const pick = <T>(all: readonly T[]) => all[random.below(all.length)] as T;
  const files: Record<string, string> = { 'start.html': '<!doctype html>' };
  for (let count = 0; count < 25; count++) {
    const path = pick(folders) + pick(names) + pick(ends);
    // What is a file cannot be a folder as well.
    if (Object.keys(files).some((other) => other.startsWith(`${path}/`) || path.startsWith(`${other}/`))) continue;
    files[path] = soup(random).replace(/canary(\d+)x/g, `canary${count}$1x`);
  }
  return files;
}

/**
 * Sites of hostile names, pages and policies, sealed, and served by a guard: what lies in the folder may say
 * nothing that a stranger at the guard is not told. And sealed bytes changed in every way open to nothing else.
 */
export async function attackSealed(limits: Limits): Promise<Attacked> {
  const random = seededRandom(limits.seed);
  const found: string[] = [];
  let [tried, refused, sealed, opened] = [0, 0, 0, 0];
  while (!isOver(limits, tried)) {
    const locks = randomLocks(random);
    const files = randomFiles(random);
    const about = { folder: 'site', marks: true };
    let site: Awaited<ReturnType<typeof siteToSeal>>;
    try {
      site = await siteToSeal(locks, files, about);
    } catch {
      // A policy that contradicts itself is none.
      continue;
    }
    try {
      const result = await site.seal({ rounds: 1 });
      sealed += result.sealed + result.parts;
      const policy = await testPolicy(locks);
      const guarded = await runSite(files, await policyText(locks, { marks: true }));
      for (const path of Object.keys(files)) {
        tried++;
        const answer = await fetch(new URL(targetOf(`/${path}`), guarded.url)).catch(() => undefined);
        const told = new Set(canariesIn((await answer?.text()) ?? ''));
        const there = await readFile(join(site.out, path), 'utf8').catch(() => '');
        // What no lock covers is nobody's to hide, whatever our own server makes of its name.
        if (isOpen(policy, `/${path}`, files[path] ?? '')) continue;
        const more = canariesIn(there).filter((word) => !told.has(word));
        if (more.length > 0)
          found.push(`${path} says ${more[0] ?? ''} ${JSON.stringify(locks)} ${JSON.stringify(files[path])}`);
      }
      const guests = await asGuests(site.out, guarded, policy, files, found);
      tried += guests.tried;
      opened += guests.opened;
      await guarded.close();
    } catch (error) {
      if (!(error instanceof DorlinError)) throw error;
      refused++;
    } finally {
      await site.remove();
    }
    tried += await changedBytes(random, found);
  }
  return {
    name: 'sealed',
    tried,
    found,
    about: `${sealed} sealed, ${opened} words opened by guests, ${refused} sites refused`,
  };
}

/** Guests of one lock each, and of all: what they can open of the files is what the guard tells them, and no more. */
async function asGuests(
  out: string,
  guarded: Awaited<ReturnType<typeof runSite>>,
  policy: Policy,
  files: Readonly<Record<string, string>>,
  found: string[],
): Promise<{ readonly tried: number; readonly opened: number }> {
  const names = [...policy.locks.keys()].filter((name) => (policy.locks.get(name)?.passwords.length ?? 0) > 0);
  let [tried, words] = [0, 0];
  for (const guest of [...names.map((name) => [name]), names]) {
    const cookie = await cookiesOf(guarded.url, guest);
    const opened = await openedFrom(out, guest.map(passwordOf));
    for (const path of Object.keys(files)) {
      if (isOpen(policy, `/${path}`, files[path] ?? '')) continue;
      tried++;
      const answer = await fetch(new URL(targetOf(`/${path}`), guarded.url), { headers: { cookie } }).catch(
        () => undefined,
      );
      const told = new Set(canariesIn((await answer?.text()) ?? ''));
      const clear = await readFile(join(out, path), 'utf8').catch(() => '');
      const texts = [clear, opened.get(`/${path}`) ?? '', opened.get(`/${path}#`) ?? ''];
      words += texts.slice(1).flatMap(canariesIn).length;
      const [more] = texts.flatMap(canariesIn).filter((word) => !told.has(word));
      if (more === undefined) continue;
      const locks = [...policy.locks.values()].map(({ name, covers: own, requires }) => [
        name,
        own.map(({ text }) => text),
        requires.map((one) => one.name),
      ]);
      found.push(`${path} says ${more} to ${guest.join(' ')} ${JSON.stringify(locks)} ${JSON.stringify(files[path])}`);
    }
  }
  return { tried, opened: words };
}

/** The cookies of somebody who has typed the passwords of these locks at the guard. */
async function cookiesOf(url: string, locks: readonly string[]): Promise<string> {
  const jar = new Map<string, string>();
  for (const lock of locks) {
    const answer = await fetch(new URL('/_dorlin/unlock', url), {
      method: 'POST',
      body: new URLSearchParams({ lock, password: passwordOf(lock), to: '/' }),
      headers: { cookie: [...jar].map((pair) => pair.join('=')).join('; ') },
      redirect: 'manual',
    });
    for (const cookie of answer.headers.getSetCookie()) {
      const [, name = '', value = ''] = /^([^=]+)=([^;]*)/.exec(cookie) ?? [];
      jar.set(name, value);
    }
  }
  return [...jar].map((pair) => pair.join('=')).join('; ');
}

/** Whether no lock can have to do with a file. */
function isOpen(policy: Policy, path: string, text: string): boolean {
  const target = targetOf(path);
  const isCovered = decide(policy, { target, passes: [], now: Date.now() / 1000 }).kind !== 'open';
  return !isCovered && sectionsAt(policy, target).size === 0 && !mayBeMarked(Buffer.from(text, 'latin1'));
}

const area = await crypto.subtle.importKey('raw', new Uint8Array(16), 'HKDF', false, ['deriveKey', 'deriveBits']);

/** Sealed bytes and keyrings with something changed: they open to what was sealed, or to nothing. */
async function changedBytes(random: Random, found: string[]): Promise<number> {
  const content = new Uint8Array(random.below(700)).map(() => random.below(256));
  const salt = new Uint8Array(16).map(() => random.below(256));
  const bytes = await sealBytes(content, area, salt, { recordSize: 18 + random.below(300) });
  const ring = await makeKeyring(new Uint8Array(32), [{ id: 'aa', password }], 1);
  for (let count = 0; count < 50; count++) {
    const changed = changedIn(bytes, random);
    const opened = await openBytes(changed, area);
    const isSame = Buffer.from(changed).equals(Buffer.from(bytes));
    // The size of records stands in the header, which nothing signs; what they hold is what was sealed all the same.
    const isMeant = opened === undefined || Buffer.from(opened).equals(Buffer.from(content));
    if (!isMeant && !isSame) found.push(`changed bytes open: ${Buffer.from(changed).toString('hex')}`);
    const key = (['protected', 'iv', 'ciphertext', 'tag'] as const)[random.below(4)] ?? 'tag';
    const other: Keyring = {
      ...ring,
      [key]: Buffer.from(changedIn(Buffer.from(ring[key], 'base64url'), random)).toString('base64url'),
    };
    const got = await openKeyring(other, password);
    if (got !== undefined && other[key] !== ring[key]) found.push(`a changed keyring opens: ${JSON.stringify(other)}`);
  }
  return 100;
}

function changedIn(bytes: Uint8Array, random: Random): Uint8Array {
  const at = random.below(Math.max(1, bytes.length));
  switch (random.below(5)) {
    case 0:
      return Uint8Array.from(bytes, (byte, place) => (place === at ? byte ^ (1 << random.below(8)) : byte));
    case 1:
      return bytes.slice(0, at);
    case 2:
      return Uint8Array.from([...bytes, ...bytes.slice(at)]);
    case 3:
      return Uint8Array.from([...bytes.slice(0, at), ...bytes.slice(at + 1 + random.below(40))]);
    default:
      return Uint8Array.from([...bytes.slice(0, at), random.below(256), ...bytes.slice(at)]);
  }
}
