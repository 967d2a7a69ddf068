import { createHash } from 'node:crypto';
import { copyFile, mkdir, readdir, readFile, rename, rm, stat, utimes, writeFile } from 'node:fs/promises';
import { dirname, join, relative, resolve, sep } from 'node:path';
import writeFileAtomic from 'write-file-atomic';
import { accessOfStranger } from '../core/access.js';
import { DorlinError } from '../core/errors.js';
import { countsAt } from '../core/policy/lock-state.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { screenLanguages } from '../core/screen/languages.js';
import {
  areaName,
  keyId,
  makeAreaKey,
  makeDoors,
  namingKeys,
  type Alternatives,
  type AreaDoor,
} from '../core/sealing/areas.js';
import { toBase64Url, type Bytes } from '../core/sealing/bytes.js';
import { makeKeyring, usualRounds, type Keyring } from '../core/sealing/keyring.js';
import type { AreaIndex, SealedEntry, SealedPart, SealedSite } from '../core/sealing/site.js';
import { siteFiles } from '../server/site-files.js';
import { isOwnFile } from '../stores/own-files.js';
import { pageScript, shellScript, workerScript } from './browser-scripts.generated.js';
import { readCache, writeCache, type Cached } from './cache.js';
import { DoorList, isAskedForByMissingPage, missingPage, plainMissingPage, withMissingScript } from './missing-page.js';
import { pageToSeal, planFile, typeOf, type Planned, type PlannedPart, type PlanContext } from './plan.js';
import { damagedPage, screenOf, shellFor, stateOf, styleFile, styleText, wordsScript } from './screens.js';
import { named, packed, writeSealed, type AreaKeys, type Content } from './seal-file.js';

/** What a lock is sealed for. */
export interface SealedFor {
  readonly id: string;
  /** A password, or the secret of a link. */
  readonly password: string;
}

export interface SealOrder {
  readonly policy: Policy;
  readonly policyFile: string;
  readonly folder: string;
  readonly out: string;
  /** In seconds since 1970. */
  readonly now: number;
  readonly lockKeys: ReadonlyMap<string, Bytes>;
  readonly openers: ReadonlyMap<string, readonly SealedFor[]>;
  /** Rounds of PBKDF2. @default 600,000 */
  readonly rounds?: number | undefined;
  readonly progress?: ((done: number, all: number) => void) | undefined;
}

/** What was written. */
export interface SealedResult {
  readonly files: number;
  readonly pages: number;
  /** Sealed files, and how many of them were sealed anew. */
  readonly sealed: number;
  readonly anew: number;
  readonly parts: number;
  /** What nothing that is sealed opens, and so stays at home. */
  readonly kept: readonly string[];
  /** Sitemaps, feeds and pages that are not as they were. */
  readonly changed: readonly string[];
  /** What the owner should know, and of which files. */
  readonly notes: readonly { readonly what: string; readonly paths: readonly string[] }[];
  /** Openers of the last keyrings that are in these no more: who had one may have kept the key that still counts. */
  readonly keepOldKey: readonly { readonly lock: string; readonly id: string }[];
  readonly removed: number;
}

/** Text packs well; what is packed already does not, and is asked for in ranges. */
const packs =
  /^(?:text\/|application\/(?:json|xml|javascript|manifest\+json|ld\+json|rss\+xml|atom\+xml)|image\/svg|font\/(?:ttf|otf))/;

/** Larger ones are read piece by piece. */
const mostInMemory = 8 * 1024 * 1024;
const atOnce = 16;

interface Area extends AreaKeys {
  readonly name: string;
  readonly doors: readonly AreaDoor[];
  /** Tells its key from any other, for what is remembered of the last time. */
  readonly mark: string;
  readonly index: {
    files: Record<string, SealedEntry>;
    parts: Record<string, { digest: string; parts: SealedPart[] }>;
  };
}

/**
 * Seals a site: writes it into another folder, what is locked so that it can be read with the password alone.
 *
 * @throws DorlinError `seal-folder`, `seal-unfit`, `folder-missing`, `site-changing`
 */
export async function sealSite(order: SealOrder): Promise<SealedResult> {
  const { policy, policyFile, folder, out, now, openers, progress } = order;
  const files = await siteFiles(folder, isOwnFile(policyFile, policy));
  const taken = files.find((path) => path.startsWith('/_dorlin/') || path === '/dorlin-worker.js');
  if (taken !== undefined)
    throw new DorlinError('seal-unfit', `The site has a file ${taken}, a name that is Dorlin’s.`);
  const notes = new Map<string, string[]>();
  const note = (path: string, what: string) => {
    notes.set(what, [...(notes.get(what) ?? []), path]);
  };
  const context: PlanContext = {
    policy,
    folder,
    now,
    mayOpen: ({ name }) => (openers.get(name) ?? []).length > 0,
    note,
  };
  const planned = await withMissingPage(context, await inTurns(files, (path) => planFile(context, path)));
  await noteWorkers(folder, files, note);
  await refuseOut(folder, out);

  const areas = new Map<string, Area>();
  const areaOf = async (alternatives: Alternatives): Promise<Area> => {
    const name = await areaName(alternatives);
    const known = areas.get(name);
    if (known !== undefined) return known;
    const key = await makeAreaKey(alternatives, order.lockKeys);
    const [doors, naming, mark] = await Promise.all([
      makeDoors(name, key, alternatives, order.lockKeys),
      namingKeys(key),
      keyId(key),
    ]);
    const made = areas.get(name) ?? { name, key, doors, naming, mark, index: { files: {}, parts: {} } };
    areas.set(name, made);
    return made;
  };

  const written = new Set<string>();
  const at = (path: string) => join(out, path);
  const made = new Set<string>();
  const folderOf = async (file: string) => {
    const own = dirname(file);
    if (!made.has(own)) await mkdir(own, { recursive: true });
    made.add(own);
  };
  const write = async (path: string, body: string | Uint8Array) => {
    written.add(path);
    const bytes = Buffer.from(body as Uint8Array);
    const size = await stat(at(path)).then(
      (found) => found.size,
      () => -1,
    );
    if (size === bytes.length && (await readFile(at(path))).equals(bytes)) return;
    await folderOf(at(path));
    // Whole or not at all; what a power cut takes is written again.
    await writeFile(`${at(path)}.part`, bytes);
    await rename(`${at(path)}.part`, at(path));
  };
  const cache = await readCache(policyFile, out);
  const places = placesMark(policy, now);
  const fresh: Record<string, Cached> = {};
  let [sealed, anew, parts, done] = [0, 0, 0, 0];

  const isHomeOpen = accessOfStranger(policy, '/', now).open;
  const doors = new DoorList();
  const shells = new Map<string, Buffer>();
  /** The same for all pages of an area that lie as deep. */
  const shellAt = (lock: Lock, area: string, path: string): Buffer => {
    const key = [lock.name, area, path.split('/').length].join(' ');
    const shell = shells.get(key) ?? Buffer.from(shellFor(policy, lock, area, path, isHomeOpen));
    shells.set(key, shell);
    return shell;
  };

  /** Seals a content into an area, unless it lies there already. */
  const seal = async (path: string, type: string, bytes: Uint8Array, area: Area): Promise<SealedEntry> => {
    const inside = packs.test(type) ? await packed(bytes) : bytes;
    const isPacked = inside.length < bytes.length;
    const entry = await sealContent(path, { bytes: isPacked ? inside : bytes }, area);
    return { ...entry, type, size: bytes.length, ...(isPacked && { packed: true as const }) };
  };
  const sealContent = async (
    path: string,
    content: Content,
    area: Area,
  ): Promise<Pick<SealedEntry, 'blob' | 'salt'>> => {
    const what = await named(path, content, area);
    const file = `_dorlin/sealed/${what.blob}`;
    written.add(`/${file}`);
    if ((await stat(at(file)).catch(() => undefined)) === undefined) {
      anew++;
      await folderOf(at(file));
      await writeSealed(at(file), what, area);
    }
    return { blob: what.blob, salt: toBase64Url(what.salt) };
  };
  const sealFile = async (plan: Planned & { readonly kind: 'sealed' }): Promise<void> => {
    const { path, type } = plan;
    const area = await areaOf(plan.alternatives);
    const file = join(folder, path);
    const about = await stat(file);
    const rewritten = type === 'text/html' ? places : '';
    const mark = [area.mark, area.name, type, rewritten, about.size, about.mtimeMs, about.ctimeMs, about.ino].join(' ');
    const known = cache[path];
    sealed++;
    let entry: SealedEntry;
    if (plan.body !== undefined) entry = await seal(path, type, plan.body, area);
    else if (known?.mark === mark && (await stat(at(`_dorlin/sealed/${known.entry.blob}`)).catch(() => undefined))) {
      entry = known.entry;
      written.add(`/_dorlin/sealed/${entry.blob}`);
    } else if (about.size > mostInMemory && !packs.test(type)) {
      entry = { ...(await sealContent(path, { file, size: about.size }, area)), type, size: about.size };
    } else {
      const bytes = await readFile(file);
      entry = await seal(path, type, type === 'text/html' ? pageToSeal(context, bytes, path) : bytes, area);
    }
    area.index.files[path] = entry;
    if (isAskedForByMissingPage(plan) && plan.lock !== undefined) await doors.add(path, area.name, plan.lock.name);
    if (plan.body === undefined) fresh[path] = { mark, entry };
    if (type === 'text/html' && plan.lock !== undefined) {
      await write(path, shellAt(plan.lock, area.name, path));
    }
  };

  const all = planned.length;
  await inTurns(planned, async (plan) => {
    const { path, type } = plan;
    if (plan.kind === 'sealed') await sealFile(plan);
    else if (plan.kind === 'kept') {
      if (plan.lock !== undefined && type === 'text/html') {
        await write(path, shellAt(plan.lock, '', path));
      }
    } else if (plan.kind === 'changed') {
      await write(path, plan.body);
      const digest = toBase64Url(new Uint8Array(await crypto.subtle.digest('SHA-256', new Uint8Array(plan.body))));
      for (const part of plan.parts) {
        const area = await areaOf(part.alternatives);
        const entry = await seal(`${path}#${part.start}`, type, part.content, area);
        const held = (area.index.parts[path] ??= { digest, parts: [] });
        held.parts.push({ start: part.start, end: part.end, entry });
        parts++;
      }
    } else {
      written.add(path);
      await copyChanged(join(folder, path), at(path));
    }
    progress?.(++done, all);
  });

  const site = await describeSite(order, areas, async (area, index) => {
    const { blob } = await sealContent(`index ${area.name}`, { bytes: index }, area);
    return blob;
  });
  if (doors.text !== undefined) await write('/_dorlin/doors.json', doors.text);
  const keepOldKey = await takenOut(order, site);
  await writeOwn(order, site, write, isHomeOpen);
  await writeCache(policyFile, out, fresh);
  return {
    files: files.length,
    pages: files.filter((path) => typeOf(path) === 'text/html').length,
    sealed,
    anew,
    parts,
    kept: planned.filter(({ kind }) => kind === 'kept').map(({ path }) => path),
    changed: planned.filter(({ kind }) => kind === 'changed').map(({ path }) => path),
    notes: [...notes].map(([what, paths]) => ({ what, paths: paths.sort() })),
    keepOldKey,
    removed: await removeOthers(out, written),
  };
}

/** The page for what is not there, which asks for what is sealed and is no page; one is made where the site has none. */
async function withMissingPage({ folder, policy }: PlanContext, planned: readonly Planned[]): Promise<Planned[]> {
  if (!planned.some(isAskedForByMissingPage)) return [...planned];
  const own = planned.find(({ path }) => path === missingPage);
  const changed = (body: Buffer, parts: readonly PlannedPart[] = []): Planned => ({
    path: missingPage,
    type: 'text/html',
    kind: 'changed',
    body: withMissingScript(body),
    parts,
  });
  if (own === undefined) return [...planned, changed(plainMissingPage(policy))];
  // One that is locked itself says nothing to anybody.
  if (own.kind !== 'open' && own.kind !== 'changed') return [...planned];
  const asks =
    own.kind === 'open'
      ? changed(await readFile(join(folder, missingPage)))
      : changed(Buffer.from(own.body), own.parts);
  return planned.map((plan) => (plan === own ? asks : plan));
}

/** Tells what is locked from what was: links to it are others in the pages that are sealed. */
const placesMark = ({ locks }: Policy, now: number): string =>
  createHash('sha256')
    .update(
      JSON.stringify(
        [...locks.values()].map((lock) => [
          lock.name,
          lock.covers.map(({ text }) => text),
          lock.except.map(({ text }) => text),
          countsAt(lock, now),
        ]),
      ),
    )
    .digest('base64url')
    .slice(0, 16);

/** Who was in a keyring that is there, and is not any more, while its key has stayed the same. */
async function takenOut({ out, openers }: SealOrder, { locks }: SealedSite): Promise<SealedResult['keepOldKey']> {
  const read = async <T>(path: string) =>
    JSON.parse(await readFile(join(out, '_dorlin', path), 'utf8').catch(() => '{}')) as Partial<T>;
  const before = (await read<SealedSite>('sealed.json')).locks ?? {};
  const found: SealedResult['keepOldKey'][number][] = [];
  for (const [name, { key }] of Object.entries(locks)) {
    if (before[name]?.key !== key) continue;
    const { recipients = [] } = await read<Keyring>(`locks/${name}.json`);
    const now = new Set(openers.get(name)?.map(({ id }) => id));
    for (const { header } of recipients) {
      const id = header?.kid;
      if (id !== undefined && !now.has(id)) found.push({ lock: name, id });
    }
  }
  return found;
}

async function describeSite(
  { policy, lockKeys, openers }: SealOrder,
  areas: ReadonlyMap<string, Area>,
  sealIndex: (area: Area, bytes: Uint8Array) => Promise<string>,
): Promise<SealedSite> {
  const locks: Record<string, SealedSite['locks'][string]> = {};
  for (const [name, key] of lockKeys) {
    const lock = policy.locks.get(name);
    if (lock === undefined || (openers.get(name) ?? []).length === 0) continue;
    const { remember, after, wrong } = lock;
    locks[name] = {
      key: await keyId(key),
      remember: remember.kind === 'visit' ? 0 : remember.seconds,
      isChoice: remember.kind === 'choice',
      ...(after !== 'same' && { after }),
      ...(wrong !== undefined && { wrong }),
      asks: stateOf(lock) === 'ask',
    };
  }
  const described: Record<string, SealedSite['areas'][string]> = {};
  for (const [name, area] of [...areas].sort(([one], [other]) => (one < other ? -1 : 1))) {
    const index: AreaIndex = { files: sorted(area.index.files), parts: sorted(area.index.parts) };
    const bytes = new TextEncoder().encode(JSON.stringify(index));
    described[name] = { doors: area.doors, index: await sealIndex(area, bytes) };
  }
  const { indexFiles, extensions, languages } = policy.site;
  return {
    sealed: 1,
    indexFiles,
    extensions,
    languages: screenLanguages(languages).map(({ tag }) => tag),
    locks: sorted(locks),
    areas: described,
  };
}

const sorted = <T>(record: Readonly<Record<string, T>>): Record<string, T> =>
  Object.fromEntries(Object.entries(record).sort(([one], [other]) => (one < other ? -1 : 1)));

/** Dorlin’s own files: what every browser needs, and of each lock its keyring and its screens. */
async function writeOwn(
  { policy, lockKeys, openers, rounds = usualRounds }: SealOrder,
  site: SealedSite,
  write: (path: string, body: string) => Promise<void>,
  isHomeOpen: boolean,
): Promise<void> {
  const words = wordsScript(policy);
  await write('/_dorlin/unseal.js', words + shellScript);
  await write('/_dorlin/page.js', words + pageScript);
  await write('/dorlin-worker.js', words + workerScript);
  await write('/_dorlin/damaged.html', damagedPage(policy));
  // Some hosts leave out folders whose name begins with a line unless this file is there.
  await write('/.nojekyll', '');
  for (const screen of new Set([...policy.screens.values(), policy.defaultScreen])) {
    const { name, sectionStyle } = screen;
    await write(styleFile(screen), styleText(screen));
    if (sectionStyle !== undefined) await write(`/_dorlin/section-${name}.css`, sectionStyle);
  }
  for (const [name, key] of lockKeys) {
    const lock = policy.locks.get(name);
    const own = openers.get(name) ?? [];
    if (lock === undefined || own.length === 0) continue;
    await write(`/_dorlin/locks/${name}.json`, `${JSON.stringify(await makeKeyring(key, own, rounds))}\n`);
    for (const language of screenLanguages(policy.site.languages)) {
      const states = stateOf(lock) === 'ask' ? (['ask', 'wrong'] as const) : (['closed'] as const);
      for (const state of states) {
        // What cannot be typed is asked for all the same, under the name by which it is looked for.
        const file = `/_dorlin/screens/${name}.${state === 'closed' ? 'ask' : state}.${language.tag}.html`;
        await write(file, screenOf(policy, lock, state, language, isHomeOpen));
      }
    }
  }
  // Last: what is named in it is there.
  await write('/_dorlin/sealed.json', `${JSON.stringify(site)}\n`);
}

const unfinished = join('_dorlin', 'unfinished.txt');

/** @throws DorlinError `seal-folder` */
async function refuseOut(folder: string, out: string): Promise<void> {
  const [site, target] = [resolve(folder), resolve(out)];
  const holds = (outer: string, inner: string) => inner === outer || inner.startsWith(outer + sep);
  if (holds(site, target) || holds(target, site)) {
    throw new DorlinError('seal-folder', `${out} and the site’s own folder ${folder} lie in one another.`);
  }
  const there = await readdir(target).catch(() => []);
  const marks = await Promise.all(
    ['_dorlin/sealed.json', unfinished].map((name) => stat(join(target, name)).catch(() => undefined)),
  );
  const isSealed = marks.some((found) => found !== undefined);
  if (there.length > 0 && !isSealed) {
    throw new DorlinError('seal-folder', `${out} holds something else than a sealed site.`);
  }
  // Should this be broken off, the next one knows the folder for one of ours.
  await mkdir(join(target, '_dorlin'), { recursive: true });
  await writeFileAtomic(join(target, unfinished), 'Sealing has begun here, and has not come to its end.\n');
}

/** A worker of the site's own would answer in the place of ours, or ours in its. */
async function noteWorkers(folder: string, files: readonly string[], note: PlanContext['note']): Promise<void> {
  await inTurns(
    files.filter((path) => /\.(?:m?js|html?)$/i.test(path)),
    async (path) => {
      const text = await readFile(join(folder, path), 'latin1');
      if (/serviceWorker\s*\.\s*register\s*\(/.test(text)) {
        note(path, 'registers a service worker of the site’s own: of two at the same scope only one counts');
      }
    },
  );
}

async function copyChanged(from: string, to: string): Promise<void> {
  const [source, target] = await Promise.all([stat(from), stat(to).catch(() => undefined)]);
  if (target?.size === source.size && Math.abs(target.mtimeMs - source.mtimeMs) < 2) return;
  await mkdir(dirname(to), { recursive: true });
  await copyFile(from, to);
  await utimes(to, source.atime, source.mtime);
}

/** What was written before and is not part of the site any more. */
async function removeOthers(out: string, written: ReadonlySet<string>): Promise<number> {
  const there = await readdir(out, { recursive: true, withFileTypes: true });
  const gone = there
    .filter((entry) => !entry.isDirectory())
    .map((entry) => join(entry.parentPath, entry.name))
    .filter((file) => !written.has(`/${relative(out, file).split(sep).join('/')}`))
    // A folder of somebody’s own, such as that of a repository, is not ours.
    .filter((file) => !/^\.(?!nojekyll)/.test(relative(out, file)));
  await Promise.all(gone.map((file) => rm(file, { force: true })));
  return gone.filter((file) => relative(out, file) !== unfinished).length;
}

async function inTurns<T, R>(all: readonly T[], work: (one: T) => Promise<R>): Promise<R[]> {
  const results = new Array<R>(all.length);
  let next = 0;
  const go = async () => {
    for (let at = next++; at < all.length; at = next++) results[at] = await work(all[at] as T);
  };
  await Promise.all(Array.from({ length: Math.min(atOnce, all.length) }, go));
  return results;
}
