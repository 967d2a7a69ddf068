import { stat } from 'node:fs/promises';
import { countsAt } from '../../core/policy/lock-state.js';
import { join } from 'node:path';
import { DorlinError } from '../../core/errors.js';
import { entryToken } from '../../core/passes/entry-link.js';
import type { KeyChain } from '../../core/passes/keys.js';
import { matchPassword } from '../../core/passwords/shared-salt.js';
import type { Lock, Policy } from '../../core/policy/types.js';
import { isWithin } from '../../core/windows/window.js';
import { hasPassword, type Keys } from '../../patrol/guests.js';
import { nativeHasher } from '../../stores/hasher.js';
import { keepingFolder, openKeys } from '../../stores/keeping.js';
import { recallPassword } from '../../stores/recall-file.js';

/** Passwords that are handed to a patrol, and who is asked for others. */
export interface KeyOrder {
  readonly passwords?: readonly string[] | undefined;
  /**
   * Asked for a password of a lock that cannot be looked up, or of the site without a policy; undefined
   * leaves it out.
   */
  readonly ask?: ((lock: string | undefined) => Promise<string | undefined>) | undefined;
}

/** Most passwords that are taken; each costs a hash at every lock. */
const mostPasswords = 50;

/**
 * What a patrol gets in by: passwords that were given, that can be looked up or that are typed now,
 * and the entry links of the policy.
 *
 * @throws DorlinError `password-unknown` where a password that was given opens nothing
 */
export async function patrolKeys(
  policyFile: string | undefined,
  policy: Policy | undefined,
  { passwords: given = [], ask }: KeyOrder,
  now: number,
): Promise<Keys> {
  if (given.length > mostPasswords)
    throw new DorlinError(
      'password-unfit',
      `These are ${given.length} passwords; a patrol takes ${mostPasswords} at most.`,
      { mend: '' },
    );
  if (policy === undefined || policyFile === undefined) {
    const typed = given.length === 0 ? await ask?.(undefined) : undefined;
    const passwords = typed === undefined ? given : [typed];
    return { passwords: new Map([['', passwords]]), endedPasswords: [], links: [], deadLinks: [], credentials: [] };
  }
  const chain = await keysAtHand(policyFile);
  const passwords = new Map<string, string[]>();
  const ended: { lock: string; password: string }[] = [];
  const credentials: { lock: string; user: string; password: string }[] = [];
  const take = (lock: Lock, id: string, password: string) => {
    const opener = lock.passwords.find((one) => one.id === id);
    if (opener === undefined) return;
    if (!isWithin(opener.window, now)) {
      ended.push({ lock: lock.name, password });
      return;
    }
    passwords.set(lock.name, [...(passwords.get(lock.name) ?? []), password]);
    const isFirst = !credentials.some((one) => one.lock === lock.name);
    if (lock.basic !== false && isFirst) credentials.push({ lock: lock.name, user: opener.label, password });
  };
  for (const [line, password] of given.entries()) {
    let opens = 0;
    for (const lock of policy.locks.values()) {
      const found = await matchPassword(password, lock.passwords, nativeHasher);
      if (found === undefined) continue;
      opens++;
      take(lock, found.id, password);
    }
    if (opens > 0) continue;
    throw new DorlinError('password-unknown', `Password ${line + 1} of those given opens no lock of the policy.`, {
      mend: 'Give each as visitors type it.',
    });
  }
  for (const lock of policy.locks.values()) {
    if (passwords.has(lock.name)) continue;
    for (const { id } of lock.passwords) {
      const known = chain && (await recallPassword(policyFile, lock.name, id, chain).catch(() => undefined));
      if (known !== undefined) take(lock, id, known);
    }
    if (passwords.has(lock.name) || !hasPassword(lock, now)) continue;
    const typed = await ask?.(lock.name);
    const found = typed === undefined ? undefined : await matchPassword(typed, lock.passwords, nativeHasher);
    if (typed !== undefined && found === undefined)
      throw new DorlinError('password-unknown', `That is no password of ${lock.name}.`);
    if (typed !== undefined && found !== undefined) take(lock, found.id, typed);
  }
  return { passwords, endedPasswords: ended, credentials, ...(await linksOf(policy, chain, now)) };
}

/** The secret, only where there is one: a patrol must not make one. */
export async function keysAtHand(policyFile: string): Promise<KeyChain | undefined> {
  const isGiven = (process.env['DORLIN_SECRET'] ?? '') !== '';
  const isThere = await stat(join(keepingFolder(policyFile), 'secret')).then(
    () => true,
    () => false,
  );
  return isGiven || isThere ? openKeys(policyFile) : undefined;
}

/** Links whose uses are counted are left alone: to play one would use it up. */
async function linksOf(
  policy: Policy,
  chain: KeyChain | undefined,
  now: number,
): Promise<Pick<Keys, 'links' | 'deadLinks'>> {
  const links: { lock: string; label: string; target: string }[] = [];
  const deadLinks: { lock: string; target: string }[] = [];
  if (chain === undefined) return { links, deadLinks };
  for (const lock of policy.locks.values()) {
    if (!countsAt(lock, now)) continue;
    for (const link of lock.links) {
      const token = await entryToken(lock, link, policy, chain);
      const target = `${policy.site.prefix}/enter?link=${token}`;
      if (!isWithin(link.window, now)) deadLinks.push({ lock: lock.name, target });
      else if (link.uses === undefined) links.push({ lock: lock.name, label: link.label, target });
    }
  }
  return { links, deadLinks };
}
