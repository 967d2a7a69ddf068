import { openDoor } from '../../core/sealing/areas.js';
import { openKeyring, type Keyring } from '../../core/sealing/keyring.js';
import { toBase64Url } from '../../core/sealing/bytes.js';
import { openBytes } from '../../core/sealing/sealed-bytes.js';
import type { AreaIndex, SealedEntry, SealedSite } from '../../core/sealing/site.js';
import { normalizePassword } from '../../core/passwords/normalize.js';
import { countWrong, dropKey, forgetWrong, heldKeys, holdKey, type HeldKey } from './keys.js';
import type { Answered, Asked, Told } from './messages.js';
import { Damaged, servedEntry, servedParts } from './serve.js';
import type { UnsealWords, WorkerScope } from './scope.js';
import { siteAddress } from './site-address.js';

/**
 * Answers for what is sealed, once it is open: a guard in the visitor's own browser. With nothing open
 * it stays out of the way.
 */
const scope = self as unknown as WorkerScope;
const base = new URL('./', location.href);
const own = (path: string) => new URL(`_dorlin/${path}`, base).href;
const channel = new BroadcastChannel(`dorlin ${base.pathname}`);

/** Until when a key is kept that is to last for a visit, should the browser not tell when that ends. */
const longestVisit = 12 * 3600_000;

let site: Promise<SealedSite> | undefined;
/** By name of the file of the index. */
const indexes = new Map<string, Promise<AreaIndex | undefined>>();

async function readSite(): Promise<SealedSite> {
  const answer = await fetch(own('sealed.json'), { cache: 'no-cache' });
  const read = (await answer.json()) as Partial<SealedSite>;
  if (!answer.ok || read.sealed === undefined) throw new Error('this site is not sealed, or not any more');
  return read as SealedSite;
}

/** How old what is known of the site may be: a page that follows its unlocking need not ask once more. */
const oldest = { known: Infinity, recent: 2000, now: 0 };
let readAt = -Infinity;

/** What is known of the site; what was known before, where it cannot be had. */
function theSite(age: keyof typeof oldest): Promise<SealedSite> {
  if (site === undefined || performance.now() - readAt >= oldest[age]) {
    const before = site;
    readAt = performance.now();
    site = readSite().catch((error: unknown) => {
      if (before !== undefined) return before;
      site = undefined;
      throw error;
    });
  }
  return site;
}

/** The mark of this visit, in a cookie that the browser forgets with it; undefined where it cannot be read here. */
async function visitHere(): Promise<string | undefined> {
  const cookie = await scope.cookieStore?.get('dorlin-visit').catch(() => undefined);
  return scope.cookieStore === undefined ? undefined : (cookie?.value ?? '');
}

/** Marks this visit, or finds its mark; undefined where a worker is told of no cookies, as Firefox has it. */
async function markedVisit(known: string | undefined): Promise<string | undefined> {
  const visit = known || toBase64Url(crypto.getRandomValues(new Uint8Array(12)));
  await scope.cookieStore
    ?.set({ name: 'dorlin-visit', value: visit, path: base.pathname, sameSite: 'lax' })
    .catch(() => undefined);
  return (await visitHere()) === visit ? visit : undefined;
}

/** The keys that count now. Those that have ended, or are of a key that the lock no longer has, are dropped. */
async function keysHere(about: SealedSite): Promise<Map<string, HeldKey>> {
  const visit = await visitHere();
  const kept = new Map<string, HeldKey>();
  for (const held of await heldKeys(base.pathname)) {
    const isVisit = held.visit === undefined || visit === undefined || held.visit === visit;
    if (held.ends > Date.now() && about.locks[held.lock]?.key === held.id && isVisit) kept.set(held.lock, held);
    else await dropKey(base.pathname, held.lock);
  }
  return kept;
}

interface OpenArea {
  readonly key: CryptoKey;
  readonly index: AreaIndex;
}

async function openArea(
  name: string,
  about: SealedSite,
  keys: ReadonlyMap<string, HeldKey>,
): Promise<OpenArea | undefined> {
  const area = about.areas[name];
  const door = area?.doors.find(({ locks }) => locks.every((lock) => keys.has(lock)));
  if (area === undefined || door === undefined) return undefined;
  const raw = new Map([...keys].map(([lock, { key }]) => [lock, key]));
  const key = await openDoor(name, door, raw);
  if (key === undefined) return undefined;
  let reading = indexes.get(area.index);
  if (reading === undefined) {
    reading = fetch(own(`sealed/${area.index}`)).then(async (answer) => {
      const text = answer.ok ? await openBytes(new Uint8Array(await answer.arrayBuffer()), key) : undefined;
      return text === undefined ? undefined : (JSON.parse(new TextDecoder().decode(text)) as AreaIndex);
    });
    if (indexes.size > 50) indexes.clear();
    indexes.set(area.index, reading);
  }
  const index = await reading.catch(() => undefined);
  if (index === undefined) {
    indexes.delete(area.index);
    throw new Damaged();
  }
  return { key, index };
}

/** The paths of files that a static host might answer an address with. */
function filesFor(path: string, { indexFiles, extensions }: SealedSite): string[] {
  let plain = path;
  try {
    plain = decodeURIComponent(path);
  } catch {
    // As it stands, then.
  }
  const folder = plain.endsWith('/') ? plain : `${plain}/`;
  const inFolder = indexFiles.map((name) => folder + name);
  return plain.endsWith('/') ? inFolder : [plain, ...extensions.map((end) => plain + end), ...inFolder];
}

const isMine = <T>(held: Readonly<Record<string, T>>, path: string) => Object.hasOwn(held, path);

/** What an address is answered with, where something that is open holds it. */
async function found(
  path: string,
  age: keyof typeof oldest,
): Promise<((request: Request) => Promise<Response>) | undefined> {
  const about = await theSite(age);
  const keys = await keysHere(about);
  if (keys.size === 0) return undefined;
  const names = Object.keys(about.areas);
  const damaged: string[] = [];
  const opened = await Promise.all(
    names.map((name) =>
      openArea(name, about, keys).catch((error: unknown) => {
        if (!(error instanceof Damaged)) throw error;
        damaged.push(name);
        return undefined;
      }),
    ),
  );
  const areas = opened.filter((one) => one !== undefined);
  const files = filesFor(path, about);
  for (const file of files) {
    for (const { key, index } of areas) {
      if (isMine(index.files, file)) {
        const entry = index.files[file] as SealedEntry;
        return (request) => servedEntry(own(`sealed/${entry.blob}`), entry, key, request);
      }
    }
    const withParts = areas.filter(({ index }) => isMine(index.parts, file));
    if (withParts.length > 0) {
      const parts = withParts.map(({ key, index }) => ({ key, of: index.parts[file] as AreaIndex['parts'][string] }));
      return (request) => servedParts(request, parts, (blob) => own(`sealed/${blob}`));
    }
  }
  // It may be in what cannot be read; of what is public, the host has the page itself.
  return damaged.length > 0 ? damagedUnlessPublic : undefined;
}

/** The host's own answer; where that is the screen of something that should be open, what is wrong instead. */
async function damagedUnlessPublic(request: Request): Promise<Response> {
  const answer = await fetch(request);
  if (!answer.ok || answer.headers.get('content-type')?.startsWith('text/html') !== true) return answer;
  if ((await answer.clone().text()).includes('<meta name="dorlin-area"')) throw new Damaged();
  return answer;
}

async function answer(request: Request, path: string): Promise<Response> {
  const isNavigation = request.mode === 'navigate';
  try {
    // What cannot be known here is the host's to answer, which has nothing that is locked in the clear.
    const serve = await found(path, isNavigation ? 'recent' : 'known').catch((error: unknown) => {
      if (error instanceof Damaged) throw error;
      return undefined;
    });
    if (serve === undefined) return await fetch(request);
    const served = await serve(request);
    if (served.status !== 404) return served;
    // Another deploy has come in between: once more, by what is there now.
    const again = await found(path, 'now');
    return again === undefined ? await fetch(request) : await again(request);
  } catch (error) {
    if (!(error instanceof Damaged)) throw error;
    if (!isNavigation) return new Response('', { status: 502 });
    const page = await fetch(own('damaged.html'));
    return new Response(page.ok ? page.body : '', {
      status: 502,
      headers: { 'content-type': 'text/html; charset=utf-8' },
    });
  }
}

const openHere = async () => [...(await keysHere(await theSite('known'))).keys()];

async function tellAll(visit?: string): Promise<readonly string[]> {
  const open = await openHere();
  channel.postMessage({ open, visit } satisfies Told);
  return open;
}

/** How an area stands for this browser. */
async function look(area: string | undefined, about: SealedSite): Promise<Pick<Answered, 'isOpen' | 'next'>> {
  const keys = await keysHere(about);
  const doors = (area === undefined ? undefined : about.areas[area])?.doors ?? [];
  const missing = doors.map(({ locks }) => locks.filter((lock) => !keys.has(lock)));
  if (missing.some((locks) => locks.length === 0)) return { isOpen: true };
  // The way of which the least is missing, and of that what can be typed.
  missing.sort((one, other) => one.length - other.length);
  const next = missing[0]?.find((lock) => about.locks[lock]?.asks) ?? missing[0]?.[0];
  return { isOpen: false, next };
}

async function unlock({ lock, area, password, stay }: Extract<Asked, { ask: 'unlock' }>): Promise<Answered> {
  const about = await theSite('now');
  const others = area === undefined ? [] : (about.areas[area]?.doors.flatMap(({ locks }) => locks) ?? []);
  const visitNow = await visitHere();
  let visit: string | undefined;
  let opened: string | undefined;
  const typed = normalizePassword(password);
  for (const name of new Set([lock, ...others])) {
    const known = about.locks[name];
    if (!isMine(about.locks, name) || known === undefined || opened !== undefined) continue;
    const answer = await fetch(own(`locks/${name}.json`), { cache: 'no-cache' });
    if (!answer.ok) throw new Damaged();
    const found = await openKeyring((await answer.json()) as Keyring, typed);
    if (found === undefined) continue;
    opened = name;
    const lasts = known.remember > 0 && (!known.isChoice || stay);
    if (!lasts) visit = await markedVisit(visitNow);
    const ends = Date.now() + (lasts ? known.remember * 1000 : longestVisit);
    await holdKey(base.pathname, { lock: name, key: found.key, id: known.key, ends, visit });
  }
  const elsewhere = await afterWrong(lock, opened, about);
  let landing: string | undefined;
  // What the page that follows needs as well. Before others are told: this page hears of it too, and would not wait.
  if (opened !== undefined && area !== undefined) {
    const inside = await openArea(area, about, await keysHere(about)).catch(() => undefined);
    const held = inside?.index.landing ?? {};
    landing = isMine(held, opened) ? held[opened] : undefined;
  }
  const open = await tellAll(visit);
  const stands = area === undefined ? { isOpen: opened !== undefined } : await look(area, about);
  return { ...stands, opened, elsewhere, after: landing, open, visit };
}

/** Where somebody is sent whose password was wrong so many times. */
async function afterWrong(lock: string, opened: string | undefined, about: SealedSite): Promise<string | undefined> {
  if (opened !== undefined) await forgetWrong(base.pathname, opened);
  const wrong = isMine(about.locks, lock) ? about.locks[lock]?.wrong : undefined;
  if (opened !== undefined || wrong === undefined) return undefined;
  return (await countWrong(base.pathname, lock)) >= wrong.after ? wrong.redirect : undefined;
}

async function leave(): Promise<Answered> {
  for (const { lock } of await heldKeys(base.pathname)) await dropKey(base.pathname, lock);
  return { isOpen: false, open: await tellAll() };
}

async function asked(question: Asked): Promise<Answered> {
  try {
    if (question.ask === 'unlock') return await unlock(question);
    if (question.ask === 'leave') return await leave();
    return { ...(await look(question.area, await theSite('now'))), open: await openHere() };
  } catch {
    return { isOpen: false, open: [], isBroken: true };
  }
}

/** An address of the policy, where the site lies in a folder of its host. */
const here = (to: string) => siteAddress(to, base);

const json = (value: object, status = 200) =>
  new Response(JSON.stringify(value), {
    status,
    headers: { 'content-type': 'application/json', 'cache-control': 'no-store' },
  });

/** What is said to somebody who reads these languages; else in the site's first. */
function wordsFor(languages: readonly string[]): UnsealWords | undefined {
  const primary = (tag: string) => tag.toLowerCase().split('-')[0];
  const tags = Object.keys(scope.dorlinWords);
  const tag = languages.flatMap((one) => tags.filter((other) => primary(other) === primary(one)))[0] ?? tags[0];
  return tag === undefined ? undefined : scope.dorlinWords[tag];
}

/** Dorlin’s own addresses, as a guarded site has them: for the forms and scripts of its pages. */
async function ownAnswer(request: Request, path: string): Promise<Response | undefined> {
  if (path === 'status') return json({ open: await openHere() });
  if (request.method !== 'POST') return undefined;
  const isData = request.headers.get('accept')?.includes('application/json') === true;
  const backTo = (to: string) => Response.redirect(here(to.startsWith('/') ? to : '/'), 303);
  if (path === 'leave') {
    await leave();
    return isData ? json({ open: [] }) : backTo('/');
  }
  if (path !== 'unlock') return undefined;
  const form = await request.formData();
  const field = (name: string) => {
    const value = form.get(name);
    return typeof value === 'string' ? value : '';
  };
  const done = await asked({
    ask: 'unlock',
    lock: field('lock'),
    password: field('password'),
    stay: field('stay') === 'on',
  });
  if (isData) {
    if (done.isOpen) return json({ open: done.open });
    const said = wordsFor(navigator.languages);
    const message = (done.isBroken === true ? said?.broken : said?.wrong) ?? '';
    const to = done.elsewhere === undefined ? undefined : here(done.elsewhere);
    return json({ message, to }, 403);
  }
  return backTo(field('to'));
}

scope.addEventListener('install', (event) => {
  event.waitUntil(scope.skipWaiting());
});
scope.addEventListener('activate', (event) => {
  event.waitUntil(scope.clients.claim());
});
scope.addEventListener('message', (event) => {
  const [port] = event.ports;
  event.waitUntil(asked(event.data as Asked).then((answered) => port?.postMessage(answered)));
});
scope.addEventListener('fetch', (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (url.origin !== base.origin || !url.pathname.startsWith(base.pathname)) return;
  const path = url.pathname.slice(base.pathname.length - 1);
  if (path.startsWith('/_dorlin/')) {
    const mine = path.slice('/_dorlin/'.length);
    if (!['status', 'leave', 'unlock'].includes(mine)) return;
    event.respondWith(ownAnswer(request, mine).then((one) => one ?? fetch(request)));
    return;
  }
  if (request.method === 'GET' || request.method === 'HEAD') event.respondWith(answer(request, path));
});
