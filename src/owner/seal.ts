import { unsealable, type Unsealable } from '../core/check/unsealable.js';
import { DorlinError } from '../core/errors.js';
import type { KeyChain } from '../core/passes/keys.js';
import { normalizePassword } from '../core/passwords/normalize.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { usualRounds } from '../core/sealing/keyring.js';
import { isWithin } from '../core/windows/window.js';
import { baseOf } from '../sealer/base.js';
import { linkSecret, lockKeys } from '../sealer/lock-keys.js';
import type { SealedFor, SealedResult } from '../sealer/order.js';
import { sealSite } from '../sealer/seal-site.js';
import { openKeys } from '../stores/keeping.js';
import { readKept } from '../stores/kept-files.js';
import { filesOf } from '../core/screen/design/files.js';
import { keptName } from '../core/screen/kept-file.js';
import { loadPolicy } from '../stores/policy-file.js';
import { recallPassword } from '../stores/recall-file.js';
import { lockNamed } from './named.js';
import type { ToldFinding } from './patrol/patrol.js';
import { siteWordsOf } from './passwords/new-password.js';
import { siteFolder } from './site-files.js';

export interface SealSettings {
  /** The folder of the finished files; the policy’s own, if left out. */
  readonly folder?: string | undefined;
  /** Where the sealed site is written. */
  readonly out: string;
  /** Where the site will lie on its host, if not at its root: `/observatory/`. @default '/' */
  readonly base?: string | undefined;
  /** Locks that get a new key; all of them. */
  readonly rekey?: readonly string[] | 'all' | undefined;
  /** Seals for passwords that would not stand, too. */
  readonly acceptWeak?: boolean | undefined;
  /** Rounds of PBKDF2 for each try. @default 600,000 */
  readonly rounds?: number | undefined;
  /** Seconds since 1970. @default now */
  readonly now?: number | undefined;
  readonly progress?: ((done: number, all: number) => void) | undefined;
}

/** One password that is sealed for, and how long it would stand against somebody who took the files home. */
export interface SealedPassword {
  readonly lock: string;
  readonly id: string;
  readonly label: string;
  /** In plain words: `about 40 years`. */
  readonly stands: string;
  readonly isWeak: boolean;
  /** The same by what somebody guesses with: a processor of 16 cores, one graphics card, a hundred of them. */
  readonly against: Readonly<Record<'processor' | 'card' | 'hundredCards', string>>;
}

export interface SealResult extends SealedResult {
  readonly folder: string;
  readonly out: string;
  readonly passwords: readonly SealedPassword[];
  readonly links: readonly SealedLink[];
  readonly cannot: readonly Unsealable[];
  /** What stands in the clear, where that was looked for. */
  readonly leaks?: readonly ToldFinding[] | undefined;
}

/**
 * Guesses a second at the usual number of rounds. A core does 2.6 at most (`npm run bench guessing`); of a good graphics
 * card, 2,000 is our assumption.
 */
const guessesASecond = { processor: 16 * 2.6, card: 2000, hundredCards: 200_000 };
/** Of somebody who means it: ten cards. */
const usualGuesses = 10 * guessesASecond.card;
const year = 365 * 86_400;
/** A shorter time is refused: what is sealed may lie about for years. */
const leastStand = year;

/**
 * Seals a static site for any host: what is locked can be read in its files with the password alone.
 *
 * @throws DorlinError `seal-weak`, `seal-folder`, `seal-unfit`, `password-not-recallable`, `folder-missing`,
 * `lock-unknown`, `call-wrong`
 */
export async function seal(policyFile: string, settings: SealSettings): Promise<SealResult> {
  const base = baseOf(settings.base);
  const policy = await loadPolicy(policyFile);
  const folder = siteFolder(policyFile, policy, settings.folder);
  const now = settings.now ?? Date.now() / 1000;
  const rounds = settings.rounds ?? usualRounds;
  const keys = await openKeys(policyFile);
  const rekey = settings.rekey === 'all' ? [...policy.locks.keys()] : (settings.rekey ?? []);
  for (const name of rekey) lockNamed(policy, name);

  const openers = new Map<string, readonly SealedFor[]>();
  const passwords: SealedPassword[] = [];
  const links: SealedLink[] = [];
  for (const lock of policy.locks.values()) {
    const found = await openersOf(policy, policyFile, lock, keys, { now, rounds, base });
    openers.set(lock.name, found.own);
    passwords.push(...found.passwords);
    links.push(...found.links);
  }
  refuseWeak(passwords, settings.acceptWeak === true);
  const result = await sealSite({
    policy,
    policyFile,
    folder,
    out: settings.out,
    base,
    now,
    lockKeys: await keysOfLocks(policyFile, keys, policy, rekey),
    openers,
    screenFiles: await keptForScreens(policyFile, policy),
    rounds,
    progress: settings.progress,
  });
  return { folder, out: settings.out, passwords, links, cannot: unsealable(policy, now), ...result };
}

/** The files that are kept beside the policy and that its screens show, by path on the site. */
async function keptForScreens(policyFile: string, policy: Policy): Promise<ReadonlyMap<string, Uint8Array>> {
  const found = new Map<string, Uint8Array>();
  for (const path of new Set([...policy.screens.values()].flatMap(({ design }) => filesOf(design)))) {
    const name = keptName(policy.site.prefix, path);
    const file = name === undefined ? undefined : await readKept(policyFile, name);
    if (file !== undefined) found.set(path, file.body);
  }
  return found;
}

/** What a lock is sealed for at a moment: its passwords and links that count. */
export async function openersOf(
  policy: Policy,
  policyFile: string,
  lock: Lock,
  keys: KeyChain,
  { now, rounds, base = '/' }: { readonly now: number; readonly rounds: number; readonly base?: string },
) {
  const own: SealedFor[] = [];
  const passwords: SealedPassword[] = [];
  const links: SealedLink[] = [];
  for (const { id, label, window } of lock.passwords) {
    if (!isWithin(window, now)) continue;
    const password = normalizePassword(await recallPassword(policyFile, lock.name, id, keys));
    own.push({ id, password });
    passwords.push({ lock: lock.name, id, label, ...(await standing(policy, lock, label, password, rounds)) });
  }
  for (const { id, label, secret, address } of linksOf(policy, lock, keys, { now, base })) {
    own.push({ id, password: secret });
    if (address !== undefined) links.push({ lock: lock.name, label, address });
  }
  return { own, passwords, links };
}

/** The entry links of a lock that open it where nobody counts how often one is used. */
function linksOf(
  { site }: Policy,
  lock: Lock,
  keys: KeyChain,
  { now, base }: { readonly now: number; readonly base: string },
) {
  return lock.links
    .filter(({ window, uses }) => isWithin(window, now) && uses === undefined)
    .map(({ id, label, to }) => {
      const secret = linkSecret(keys, lock.name, id);
      const path = to ?? placeOf(lock);
      const address =
        path === undefined
          ? undefined
          : `${site.origin ?? ''}${base}${encodeURI(path.slice(1))}#dorlin=${lock.name}.${secret}`;
      return { id, label, secret, address };
    });
}

/** A way into a sealed site without typing. What is behind the `#` is sent to nobody. */
export interface SealedLink {
  readonly lock: string;
  readonly label: string;
  readonly address: string;
}

/** The entry links of a sealed site, as they are now. */
export async function sealedLinks(
  policyFile: string,
  policy: Policy,
  { now, base }: { readonly now: number; readonly base: string },
): Promise<readonly SealedLink[]> {
  const keys = await openKeys(policyFile);
  return [...policy.locks.values()].flatMap((lock) =>
    linksOf(policy, lock, keys, { now, base }).flatMap(({ label, address }) =>
      address === undefined ? [] : { lock: lock.name, label, address },
    ),
  );
}

const keysOfLocks = (policyFile: string, keys: KeyChain, { locks }: Policy, rekey: readonly string[]) =>
  lockKeys(policyFile, keys, [...locks.keys()], new Set(rekey));

const placeOf = ({ covers }: Lock): string | undefined =>
  covers.flatMap((place) =>
    place.kind === 'page' || place.kind === 'folder' || place.kind === 'section' ? place.text.replace(/#.*$/s, '') : [],
  )[0];

async function standing(
  policy: Policy,
  { name }: Lock,
  label: string,
  password: string,
  rounds: number,
): Promise<Pick<SealedPassword, 'stands' | 'isWeak' | 'against'>> {
  const { estimateGuesses } = await import('./passwords/estimate.js');
  const { guessesLog10 } = estimateGuesses(password, siteWordsOf(policy, name, label));
  const secondsAt = (guesses: number) => 10 ** guessesLog10 / (guesses * (usualRounds / rounds));
  const seconds = secondsAt(usualGuesses);
  const { processor, card, hundredCards } = guessesASecond;
  return {
    stands: spanInWords(seconds),
    isWeak: seconds < leastStand,
    against: {
      processor: spanInWords(secondsAt(processor)),
      card: spanInWords(secondsAt(card)),
      hundredCards: spanInWords(secondsAt(hundredCards)),
    },
  };
}

/** How long something stands, roughly. */
function spanInWords(seconds: number): string {
  if (seconds < 1) return 'not a second';
  const units = [
    [year, 'year'],
    [30 * 86_400, 'month'],
    [86_400, 'day'],
    [3600, 'hour'],
    [60, 'minute'],
    [1, 'second'],
  ] as const;
  const [size, unit] = units.find(([length]) => seconds >= length) ?? [1, 'second'];
  const count = Math.floor(seconds / size);
  if (unit === 'year' && count >= 1e6) return 'over a million years';
  // Two digits: it is an estimate.
  const rounded = Number(count.toPrecision(2)).toLocaleString('en');
  return `about ${rounded} ${unit}${count === 1 ? '' : 's'}`;
}

/** @throws DorlinError `seal-weak` */
export function refuseWeak(passwords: readonly SealedPassword[], isAccepted: boolean): void {
  const weak = passwords.filter(({ isWeak }) => isWeak);
  if (isAccepted || weak.length === 0) return;
  const each = weak.map(({ lock, label, stands }) => `${label} of ${lock} would stand ${stands}`);
  throw new DorlinError(
    'seal-weak',
    `Whoever takes the files home may guess as long as they like: ${each.join('; ')}.`,
  );
}
