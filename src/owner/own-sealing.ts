import { createHash } from 'node:crypto';
import { existsSync, lstatSync, realpathSync } from 'node:fs';
import { readFile, stat } from 'node:fs/promises';
import { dirname, join, relative, resolve, sep } from 'node:path';
import { writeFileWhole } from '../stores/whole-file.js';
import * as z from 'zod';
import { unsealable, type Unsealable } from '../core/check/unsealable.js';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { baseOf } from '../sealer/base.js';
import { unfinished } from '../sealer/out-folder.js';
import { keepingFolder, makeKeepingFolder } from '../stores/keeping.js';
import { loadPolicy, readPolicyText } from '../stores/policy-file.js';
import { seal, sealedLinks, type SealedLink } from './seal.js';
import { checkSealed } from './sealed-check.js';
import { filesOfSite, siteFolder } from './site-files.js';

/** How a site is sealed from the console. */
export interface OwnSealing {
  /**
   * The folder that is written, seen from the policy: within the folder that the policy lies in, or the site’s own with
   * `-sealed` behind it.
   */
  readonly out: string;
  /** Where the site will lie on its host, if not at its root: `/observatory/`. @default '/' */
  readonly base?: string | undefined;
  /** Seals for passwords that would not stand, too. */
  readonly acceptWeak?: boolean | undefined;
  /** Locks that get a new key, so that whoever kept the old one opens nothing. */
  readonly rekey?: readonly string[] | undefined;
  readonly onProgress?: ((phase: string, done: number, all: number) => void) | undefined;
  /** Breaks it off: the next one goes on from there. */
  readonly stop?: AbortSignal | undefined;
}

const leak = z.object({ title: z.string(), lock: z.string(), place: z.string(), mend: z.string() });
const password = z.object({
  lock: z.string(),
  id: z.string(),
  label: z.string(),
  stands: z.string(),
  isWeak: z.boolean(),
});
const note = z.object({ what: z.string(), paths: z.array(z.string()).readonly() });
const old = z.object({ lock: z.string(), id: z.string() });
const keptSchema: z.ZodType<KeptSealing> = z.object({
  at: z.string(),
  policy: z.string(),
  out: z.string(),
  base: z.string(),
  files: z.number(),
  sealed: z.number(),
  anew: z.number(),
  parts: z.number(),
  atHome: z.number(),
  addresses: z.number(),
  passwords: z.array(password).readonly(),
  notes: z.array(note).readonly(),
  keepOldKey: z.array(old).readonly(),
  leaks: z.array(leak).readonly(),
});

/** What a sealing came to, as it is kept beside the policy. */
export interface KeptSealing {
  /** When it began (RFC 3339). */
  readonly at: string;
  /** A digest of the policy that it was made by. */
  readonly policy: string;
  readonly out: string;
  readonly base: string;
  readonly files: number;
  readonly sealed: number;
  /** How many of those are not as they were before. */
  readonly anew: number;
  /** Parts of public pages. */
  readonly parts: number;
  /** Files that nothing opens, which were left out. */
  readonly atHome: number;
  /** Addresses of the sealed site that were looked through for what is locked. */
  readonly addresses: number;
  readonly passwords: readonly {
    readonly lock: string;
    readonly id: string;
    readonly label: string;
    /** How long it stands against somebody who takes the files home, in words. */
    readonly stands: string;
    readonly isWeak: boolean;
  }[];
  readonly notes: readonly { readonly what: string; readonly paths: readonly string[] }[];
  /** Passwords that were taken out of a lock whose key has stayed. */
  readonly keepOldKey: readonly { readonly lock: string; readonly id: string }[];
  /** What is locked and can be read there by everybody. */
  readonly leaks: readonly {
    readonly title: string;
    readonly lock: string;
    readonly place: string;
    readonly mend: string;
  }[];
}

/** How a sealed site stands to the site that it was made of. */
export interface SealingStanding {
  /** The folder of the site, seen from the policy; missing where the policy names none. */
  readonly folder?: string | undefined;
  readonly out: string;
  readonly base: string;
  /** What files alone cannot do that the policy asks for. */
  readonly cannot: readonly Unsealable[];
  /** Entry links of the sealed site. */
  readonly links: readonly SealedLink[];
  readonly last?: KeptSealing | undefined;
  /**
   * What has changed since: the policy, files of the site, or that something has begun or ended by the clock; or that
   * another sealing was broken off, so that what lies there is not whole.
   */
  readonly changed?: 'policy' | 'files' | 'time' | 'unfinished' | undefined;
}

const fileOf = (policyFile: string) => join(keepingFolder(policyFile), 'sealing-last.json');

/**
 * Seals the policy's site into a folder beside the policy, looks through what was written, and keeps what it came to.
 *
 * @throws DorlinError `seal-folder` for a folder elsewhere, and those of {@link seal} and {@link checkSealed}
 */
export async function sealOwnSite(policyFile: string, order: OwnSealing): Promise<KeptSealing> {
  const { acceptWeak, rekey, onProgress, stop } = order;
  const out = ownFolder(policyFile, await loadPolicy(policyFile), order.out);
  const base = baseOf(order.base);
  const at = new Date().toISOString();
  const policy = digestOf(await readPolicyText(policyFile));
  const told = (phase: string) => (done: number, all: number) => {
    stop?.throwIfAborted();
    onProgress?.(phase, done, all);
  };
  const result = await seal(policyFile, { out, base, acceptWeak, rekey, progress: told('sealing') });
  const { findings, addresses } = await checkSealed(policyFile, {
    out,
    base,
    progress: (phase, done, all) => {
      told(phase)(done, all);
    },
  });
  const { files, sealed, anew, parts, kept, passwords, notes, keepOldKey } = result;
  const done: KeptSealing = {
    at,
    policy,
    out: relative(dirname(resolve(policyFile)), out),
    base,
    files,
    sealed,
    anew,
    parts,
    atHome: kept.length,
    addresses,
    passwords,
    notes,
    keepOldKey,
    leaks: findings.map(({ title, lock, place, mend }) => ({ title, lock, place, mend })),
  };
  await makeKeepingFolder(policyFile);
  await writeFileWhole(fileOf(policyFile), JSON.stringify(done), { mode: 0o600 });
  return done;
}

/**
 * A folder that may be written from elsewhere than this machine: within that of the policy, and no hidden one; or beside
 * a site that the policy lies in.
 * @throws DorlinError `seal-folder`
 */
function ownFolder(policyFile: string, policy: Policy, out: string): string {
  const home = dirname(resolve(policyFile));
  const folder = resolve(home, out);
  if (folder === besideSite(policyFile, policy)) return folder;
  const inside = relative(home, folder).split(sep);
  const isHidden = inside.some((part) => part === '' || part.startsWith('.'));
  if (isHidden || resolve(home, ...inside) !== folder || !isReallyWithin(home, folder)) {
    throw new DorlinError('seal-folder', `${out} does not lie within the folder of the policy.`, {
      mend: 'Name a folder that lies beside the policy, such as `sealed`.',
    });
  }
  return folder;
}

/** Whether what is written there lies there: a link may lead elsewhere. */
function isReallyWithin(home: string, folder: string): boolean {
  let there = folder;
  while (lstatSync(there, { throwIfNoEntry: false }) === undefined) there = dirname(there);
  // One that leads to nothing cannot be followed, and is none.
  if (!existsSync(there)) return false;
  const [outer, inner] = [realpathSync(home), realpathSync(there)];
  return inner === outer || inner.startsWith(outer + sep);
}

/** Where a site is sealed to that the policy lies in: beside it, as it would hold itself else. */
function besideSite(policyFile: string, policy: Policy): string | undefined {
  if (policy.site.folder === undefined) return undefined;
  const site = siteFolder(policyFile, policy);
  const way = relative(site, dirname(resolve(policyFile)));
  return way.startsWith('..') || resolve(site, way) !== dirname(resolve(policyFile)) ? undefined : `${site}-sealed`;
}

const digestOf = (text: string) => createHash('sha256').update(text).digest('base64url');

/** How the last sealing stands to the site as it is; without one, how it would be begun. */
export async function sealingStanding(policyFile: string): Promise<SealingStanding> {
  const policy = await loadPolicy(policyFile);
  const now = Date.now() / 1000;
  const last = await readLast(policyFile);
  const beside = besideSite(policyFile, policy);
  const usual = beside === undefined ? 'sealed' : relative(dirname(resolve(policyFile)), beside);
  const { out = usual, base = '/' } = last ?? {};
  return {
    folder: policy.site.folder,
    out,
    base,
    cannot: unsealable(policy, now),
    links: await sealedLinks(policyFile, policy, { now, base }),
    last,
    changed: last && (await changeSince(policyFile, policy, last, now)),
  };
}

/** What cannot be read is as if it were not there. */
async function readLast(policyFile: string): Promise<KeptSealing | undefined> {
  try {
    return keptSchema.parse(JSON.parse(await readFile(fileOf(policyFile), 'utf8')));
  } catch {
    return undefined;
  }
}

async function changeSince(
  policyFile: string,
  policy: Policy,
  { at, out, policy: sealedBy }: KeptSealing,
  now: number,
): Promise<SealingStanding['changed']> {
  if (existsSync(resolve(dirname(policyFile), out, unfinished))) return 'unfinished';
  if (digestOf(await readPolicyText(policyFile)) !== sealedBy) return 'policy';
  const since = Date.parse(at) / 1000;
  const isBetween = (moment: number | undefined) => moment !== undefined && moment > since && moment <= now;
  const windows = [...policy.locks.values()].flatMap((lock) =>
    [lock, ...lock.passwords, ...lock.links].map(({ window }) => window),
  );
  if (windows.some(({ from, until }) => isBetween(from) || isBetween(until))) return 'time';
  if (policy.site.folder === undefined) return undefined;
  const folder = siteFolder(policyFile, policy);
  for (const path of await filesOfSite(policyFile, policy).catch(() => [])) {
    const about = await stat(join(folder, path)).catch(() => undefined);
    // Of one that was taken over with its time, when it came to lie there.
    if (about !== undefined && Math.max(about.mtimeMs, about.ctimeMs) > since * 1000) return 'files';
  }
  return undefined;
}
