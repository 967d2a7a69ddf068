import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Lock } from '../core/policy/types.js';
import { screenLanguages } from '../core/screen/languages.js';
import { keyId } from '../core/sealing/areas.js';
import { makeKeyring, usualRounds, type Keyring } from '../core/sealing/keyring.js';
import type { AreaIndex, SealedSite } from '../core/sealing/site.js';
import type { Area, AreaList } from './area-list.js';
import { pageScript, shellScript, workerScript } from './browser-scripts.generated.js';
import type { OutFolder } from './out-folder.js';
import { damagedPage, screenOf, stateOf, styleFile, styleText, wordsScript } from './screens.js';
import type { SealedResult, SealOrder } from './order.js';

/** Whether strangers are not to learn that there is something. */
const isHidden = ({ outsiders }: Lock) => outsiders === 'not-found';

/** Who was in a keyring that is there, and is not any more, while its key has stayed the same. */
export async function takenOut(
  { out, openers }: SealOrder,
  { locks }: SealedSite,
): Promise<SealedResult['keepOldKey']> {
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

export async function describeSite(
  { policy, lockKeys, openers }: SealOrder,
  areas: AreaList,
  sealIndex: (area: Area, bytes: Uint8Array) => Promise<string>,
): Promise<SealedSite> {
  const locks: Record<string, SealedSite['locks'][string]> = {};
  for (const [name, key] of lockKeys) {
    const lock = policy.locks.get(name);
    if (lock === undefined || (openers.get(name) ?? []).length === 0) continue;
    const { remember, wrong } = lock;
    locks[name] = {
      key: await keyId(key),
      remember: remember.kind === 'visit' ? 0 : remember.seconds,
      isChoice: remember.kind === 'choice',
      ...(wrong !== undefined && !isHidden(lock) && { wrong }),
      asks: stateOf(lock) === 'ask',
    };
  }
  const described: Record<string, SealedSite['areas'][string]> = {};
  for (const area of await areas.all()) {
    const landing: Record<string, string> = {};
    for (const name of area.doors.flatMap((door) => door.locks)) {
      const after = policy.locks.get(name)?.after ?? 'same';
      if (after !== 'same') landing[name] = after;
    }
    const { files, parts } = area.index;
    const index: AreaIndex = { landing: sorted(landing), files: sorted(files), parts: sorted(parts) };
    const bytes = new TextEncoder().encode(JSON.stringify(index));
    described[area.name] = { doors: area.doors, index: await sealIndex(area, bytes) };
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
export async function writeOwn(
  { policy, lockKeys, openers, screenFiles, rounds = usualRounds }: SealOrder,
  site: SealedSite,
  target: OutFolder,
  isHomeOpen: boolean,
): Promise<void> {
  const words = wordsScript(policy);
  target.write('/_dorlin/unseal.js', words + shellScript);
  target.write('/_dorlin/page.js', words + pageScript);
  target.write('/dorlin-worker.js', words + workerScript);
  target.write('/_dorlin/damaged.html', damagedPage(policy));
  // Some hosts leave out folders whose name begins with a line unless this file is there.
  target.write('/.nojekyll', '');
  const seen = [...policy.locks.values()].filter((lock) => !isHidden(lock));
  for (const screen of new Set([...seen.map((lock) => lock.screen), policy.defaultScreen])) {
    const { name, sectionStyle } = screen;
    target.write(styleFile(screen), styleText(screen));
    if (sectionStyle !== undefined) target.write(`/_dorlin/section-${name}.css`, sectionStyle);
  }
  for (const [path, body] of screenFiles) target.write(path, body);
  // At once: of each password the rounds take longer than all else.
  const rings = [...lockKeys].flatMap(([name, key]) => {
    const [lock, own] = [policy.locks.get(name), openers.get(name) ?? []];
    return lock === undefined || own.length === 0
      ? []
      : [makeKeyring(key, own, rounds).then((ring) => ({ lock, ring }))];
  });
  for (const { lock, ring } of await Promise.all(rings)) {
    const { name } = lock;
    target.write(`/_dorlin/locks/${name}.json`, `${JSON.stringify(ring)}\n`);
    // Its screen would show its title and words to anybody.
    if (isHidden(lock)) continue;
    for (const language of screenLanguages(policy.site.languages)) {
      const states = stateOf(lock) === 'ask' ? (['ask', 'wrong'] as const) : (['closed'] as const);
      for (const state of states) {
        // What cannot be typed is asked for all the same, under the name by which it is looked for.
        const file = `/_dorlin/screens/${name}.${state === 'closed' ? 'ask' : state}.${language.tag}.html`;
        target.write(file, screenOf(policy, lock, state, language, isHomeOpen));
      }
    }
  }
  // Last: what is named in it is there.
  target.write('/_dorlin/sealed.json', `${JSON.stringify(site)}\n`);
}
