import { createHash } from 'node:crypto';
import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { accessOfStranger } from '../core/access.js';
import { DorlinError } from '../core/errors.js';
import { countsAt } from '../core/policy/lock-state.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { toBase64Url } from '../core/sealing/bytes.js';
import type { SealedEntry } from '../core/sealing/site.js';
import { readFolder } from '../server/site-files.js';
import { isOwnFile } from '../stores/own-files.js';
import { AreaList } from './area-list.js';
import { addressReader } from './base.js';
import { readCache, writeCache, type Cached } from './cache.js';
import { inTurns } from './in-turns.js';
import { DoorList, isAskedForByMissingPage, withMissingPage } from './missing-page.js';
import type { SealedResult, SealOrder } from './order.js';
import { OutFolder, refuseOut } from './out-folder.js';
import { describeSite, takenOut, writeOwn } from './own-files.js';
import { noteWorker, pageToSeal, planFile, typeOf, withCompanions, type Planned, type PlanContext } from './plan.js';
import { shellFor } from './screens.js';
import { fileChanged } from './large-file.js';
import { ContentSealer, isLarge } from './seal-content.js';
import { fileState } from './seal-file.js';
import { makeThreads } from './threads.js';

/**
 * Seals a site: writes it into another folder, what is locked so that it can be read with the password alone.
 *
 * @throws DorlinError `seal-folder`, `seal-unfit`, `folder-missing`, `site-changing`
 */
export async function sealSite(order: SealOrder): Promise<SealedResult> {
  const { folder, out } = order;
  const plan = await planSite(order);
  await refuseOut(folder, out);
  const threads = makeThreads();
  try {
    const target = new OutFolder(out);
    return await sealPlanned(order, plan, target, new ContentSealer(target, threads));
  } finally {
    await threads.close();
  }
}

interface SitePlan {
  readonly files: readonly string[];
  readonly context: PlanContext;
  readonly planned: readonly Planned[];
  /** How each file was before it was judged. */
  readonly states: ReadonlyMap<string, string>;
  readonly notes: ReadonlyMap<string, string[]>;
}

/** Decides about every file, before anything is written. */
async function planSite({ policy, policyFile, folder, base, now, openers }: SealOrder): Promise<SitePlan> {
  const { files, leftOut } = await readFolder(folder, isOwnFile(policyFile, policy));
  const taken = files.find((path) => path.startsWith('/_dorlin/') || path === '/dorlin-worker.js');
  if (taken !== undefined)
    throw new DorlinError('seal-unfit', `The site has a file ${taken}, a name that is Dorlin’s.`);
  const notes = new Map<string, string[]>();
  const context: PlanContext = {
    policy,
    folder,
    base,
    pathsAt: addressReader(base, files),
    now,
    mayOpen: ({ name }) => (openers.get(name) ?? []).length > 0,
    note: (path, what) => {
      const known = notes.get(what);
      if (known === undefined) notes.set(what, [path]);
      else known.push(path);
    },
  };
  for (const { path, why } of leftOut) {
    context.note(path, why === 'link' ? 'not published: a symbolic link' : 'not published: its name begins with a dot');
  }
  const states = new Map<string, string>();
  const planned = await inTurns(files, (path) => {
    states.set(path, fileState(join(folder, path)));
    if (/\.m?js$/i.test(path)) noteWorker(context, path, readFileSync(join(folder, path)));
    return planFile(context, path);
  });
  return { files, context, planned: withMissingPage(context, withCompanions(context, planned)), states, notes };
}

async function sealPlanned(
  order: SealOrder,
  { files, context, planned, states, notes }: SitePlan,
  target: OutFolder,
  sealer: ContentSealer,
): Promise<SealedResult> {
  const { policy, policyFile, folder, out, now, progress } = order;
  const areas = new AreaList(order.lockKeys);
  const cache = await readCache(policyFile, out);
  const places = placesMark(policy, now);
  const fresh: Record<string, Cached> = {};
  let [sealed, parts, done] = [0, 0, 0];

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

  /** What was judged is what is written, or nothing is. */
  const refuseChanged = async (path: string): Promise<void> => {
    const file = join(folder, path);
    if (states.get(path) === fileState(file)) return;
    await target.remove(path);
    throw fileChanged(file);
  };
  const sealFile = async (plan: Planned & { readonly kind: 'sealed' }): Promise<void> => {
    const { path, type } = plan;
    const area = await areas.of(plan.alternatives);
    const file = join(folder, path);
    // One that is made, such as a page without some of its sections, is no file that could be known again.
    const about = statSync(file);
    const rewritten = type === 'text/html' ? places : '';
    const mark = [area.mark, area.name, type, rewritten, about.size, about.mtimeMs, about.ctimeMs, about.ino].join(' ');
    const known = cache[path];
    sealed++;
    let entry: SealedEntry;
    if (plan.body !== undefined) entry = await sealer.seal(path, type, plan.body, area);
    else if (known?.mark === mark && target.keep(`/_dorlin/sealed/${known.entry.blob}`)) entry = known.entry;
    else if (isLarge(type, about.size)) entry = await sealer.sealLarge(path, type, { file, size: about.size }, area);
    else {
      const bytes = readFileSync(file);
      entry = await sealer.seal(path, type, type === 'text/html' ? pageToSeal(context, bytes, path) : bytes, area);
    }
    if (plan.body === undefined) await refuseChanged(path);
    area.index.files[path] = entry;
    if (plan.body === undefined) fresh[path] = { mark, entry };
    if (isAskedForByMissingPage(plan) && plan.lock !== undefined) await doors.add(path, area.name, plan.lock.name);
    if (type === 'text/html' && plan.lock !== undefined) target.write(path, shellAt(plan.lock, area.name, path));
  };
  const sealParts = async ({ path, type, body, parts: all }: Planned & { readonly kind: 'changed' }): Promise<void> => {
    target.write(path, body);
    const digest = toBase64Url(new Uint8Array(await crypto.subtle.digest('SHA-256', new Uint8Array(body))));
    for (const { alternatives, start, end, content } of all) {
      const area = await areas.of(alternatives);
      const entry = await sealer.seal(`${path}#${start}`, type, content, area);
      const held = (area.index.parts[path] ??= { digest, parts: [] });
      held.parts.push({ start, end, entry });
      parts++;
    }
  };

  await inTurns(planned, async (plan) => {
    if (plan.kind === 'sealed') await sealFile(plan);
    else if (plan.kind === 'changed') await sealParts(plan);
    else if (plan.kind === 'open') {
      await target.copy(join(folder, plan.path), plan.path);
      await refuseChanged(plan.path);
    } else if (plan.lock !== undefined && plan.type === 'text/html') {
      target.write(plan.path, shellAt(plan.lock, '', plan.path));
    }
    progress?.(++done, planned.length);
  });

  const site = await describeSite(order, areas, (area, index) => sealer.sealIndex(area, index));
  if (doors.text !== undefined) target.write('/_dorlin/doors.json', doors.text);
  const keepOldKey = await takenOut(order, site);
  await writeOwn(order, site, target, isHomeOpen);
  await writeCache(policyFile, out, fresh);
  return {
    files: files.length,
    pages: files.filter((path) => typeOf(path) === 'text/html').length,
    sealed,
    anew: sealer.anew,
    parts,
    kept: planned.filter(({ kind }) => kind === 'kept').map(({ path }) => path),
    changed: planned.filter(({ kind }) => kind === 'changed').map(({ path }) => path),
    notes: [...notes].map(([what, paths]) => ({ what, paths: paths.sort() })),
    keepOldKey,
    removed: await target.removeOthers(),
  };
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
