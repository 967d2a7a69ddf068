import { readFile } from 'node:fs/promises';
import { dirname, relative, resolve, sep } from 'node:path';
import { writeFileWhole } from '../stores/whole-file.js';
import { locksBefore, lockToAsk } from '../core/decide.js';
import { DorlinError } from '../core/errors.js';
import { usualRounds } from '../core/sealing/keyring.js';
import { decodeHtml } from '../core/sections/charset.js';
import { embedded } from '../sealer/embedded.js';
import { mayBeMarked } from '../core/sections/marks.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { planFile } from '../sealer/plan.js';
import { lockKeys } from '../sealer/lock-keys.js';
import { sealSingle } from '../sealer/seal-single.js';
import { targetOf } from '../server/site-files.js';
import { openKeys } from '../stores/keeping.js';
import { loadPolicy } from '../stores/policy-file.js';
import { lockNamed } from './named.js';
import { openersOf, refuseWeak, type SealedPassword } from './seal.js';
import { withScreenFiles } from './screen-bytes.js';
import { siteFolder } from './site-files.js';

export interface PageToSeal {
  /** The HTML file. */
  readonly file: string;
  /** The one that is written; it is not written over unless it is a sealed page. */
  readonly out: string;
  /** Whose passwords open it; else the lock that covers the page in the site. */
  readonly lock?: string | undefined;
  readonly acceptWeak?: boolean | undefined;
  readonly rounds?: number | undefined;
  readonly now?: number | undefined;
}

export interface SealedPage {
  readonly out: string;
  readonly lock: string;
  readonly bytes: number;
  readonly passwords: readonly SealedPassword[];
  /** Addresses that it still asks for elsewhere. */
  readonly outside: readonly string[];
}

/**
 * Seals one page as one HTML file that opens itself, from a disk as well: its pictures, styles and scripts are in it.
 *
 * @throws DorlinError `seal-weak`, `seal-folder`, `seal-unfit`, `lock-unknown`, `password-not-recallable`,
 * `file-unusable`
 */
export async function sealPage(policyFile: string, order: PageToSeal): Promise<SealedPage> {
  const { file, out, rounds = usualRounds, now = Date.now() / 1000 } = order;
  const policy = await loadPolicy(policyFile);
  const folder = policy.site.folder === undefined ? undefined : siteFolder(policyFile, policy);
  const inside = folder === undefined ? '..' : relative(folder, resolve(file));
  const isOfSite = folder !== undefined && !inside.startsWith('..');
  const root = isOfSite ? folder : dirname(resolve(file));
  const before = (path: string) => locksBefore(policy, targetOf(path), now);
  const standing = isOfSite ? before(pathIn(folder, file)) : undefined;
  const covering = standing?.kind === 'locked' ? lockToAsk(standing.readings[0] ?? []) : undefined;
  const lock = order.lock === undefined ? covering : lockNamed(policy, order.lock);
  if (lock === undefined) {
    throw new DorlinError('seal-unfit', `No lock covers ${file}.`, {
      mend: 'Say whose passwords open it: `--lock NAME`.',
    });
  }
  if (lock.requires.length > 0) {
    throw new DorlinError(
      'seal-unfit',
      `${lock.name} requires other locks, and one file can ask for one password alone.`,
    );
  }
  const keys = await openKeys(policyFile);
  const { own, passwords } = await openersOf(policy, policyFile, lock, keys, { now, rounds });
  if (own.length === 0) throw new DorlinError('seal-unfit', `${lock.name} has no password that counts now.`);
  refuseWeak(passwords, order.acceptWeak === true);
  const there = await readFile(out, 'utf8').catch(() => undefined);
  if (there !== undefined && !there.includes('id="dorlin-sealed"')) {
    throw new DorlinError('seal-folder', `${out} is there already, and is no sealed page.`);
  }
  // What another lock covers is not told to whoever has this one's password.
  const mayHold = (path: string) => {
    const found = isOfSite ? before(path) : undefined;
    if (found === undefined || found.kind === 'open') return true;
    return found.kind === 'locked' && found.readings.every((group) => group.includes(lock));
  };
  const bytes = await readFile(file).catch((cause: unknown) => {
    throw new DorlinError('file-unusable', `${file} cannot be read.`, { cause });
  });
  const body = judgedBody(policy, lock, file, bytes, isOfSite ? { root, path: pathIn(root, file), now } : undefined);
  const page = await embedded(resolve(file), body, root, mayHold);
  const lockKey = (await lockKeys(policyFile, keys, [lock.name], new Set())).get(lock.name);
  if (lockKey === undefined) throw new Error(`no key of ${lock.name}`);
  // It is put into a page that is UTF-8, whatever it was written in.
  const text = decodeHtml(page.body, 'text/html');
  if (text === undefined)
    throw new DorlinError('seal-unfit', `${file} is in an encoding that cannot be read for certain.`);
  const sealed = await sealSingle(policy, lock, lockKey, own, Buffer.from(text), rounds);
  const html = await withScreenFiles(policyFile, policy, lock.screen, sealed, folder);
  await writeFileWhole(out, html);
  return { out, lock: lock.name, bytes: Buffer.byteLength(html), passwords, outside: page.outside };
}

const pathIn = (root: string, file: string) => `/${relative(root, resolve(file)).split(sep).join('/')}`;

/**
 * The page as whoever has this lock's password alone may read it: without what stands in it under others.
 * @throws DorlinError `seal-unfit` where that cannot be told for certain
 */
function judgedBody(
  policy: Policy,
  lock: Lock,
  file: string,
  bytes: Buffer,
  site: { readonly root: string; readonly path: string; readonly now: number } | undefined,
): Buffer {
  const unfit = () =>
    new DorlinError('seal-unfit', `${file} holds parts that the passwords of ${lock.name} do not open.`);
  if (site === undefined) {
    if (mayBeMarked(bytes)) throw unfit();
    return bytes;
  }
  const { root: folder, path, now } = site;
  const mayOpen = ({ name }: Lock) => name === lock.name;
  const planned = planFile(
    { policy, folder, base: '/', pathsAt: (address) => [address], now, mayOpen, note: () => undefined },
    path,
  );
  if (planned.kind === 'open') return bytes;
  if (planned.kind === 'sealed') return planned.body ?? bytes;
  if (planned.kind === 'changed' && planned.parts.length === 0) return Buffer.from(planned.body);
  throw unfit();
}
