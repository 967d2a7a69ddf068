import { stat } from 'node:fs/promises';
import { countsAt } from '../core/policy/lock-state.js';
import { join } from 'node:path';
import { DorlinError } from '../core/errors.js';
import { entryToken } from '../core/passes/entry-link.js';
import type { KeyChain } from '../core/passes/keys.js';
import { matchPassword } from '../core/passwords/shared-salt.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { isWithin } from '../core/windows/window.js';
import { hasPassword, type Keys } from '../patrol/guests.js';
import { nativeHasher } from '../stores/hasher.js';
import { keepingFolder, openKeys } from '../stores/keeping.js';
import { recallPassword } from '../stores/recall-file.js';
import { readStandardInput } from './password-input.js';

interface KeyOptions {
  readonly passwordStdin?: boolean;
  /** Whether passwords that cannot be looked up are asked for. */
  readonly ask: boolean;
  readonly json?: boolean;
}

/** Most passwords that are taken from standard input; each costs a hash at every lock. */
const mostLines = 50;

/**
 * What a patrol gets in by: passwords that were given, that can be looked up or that are typed now,
 * and the entry links of the policy.
 *
 * @throws DorlinError `call-wrong` where a password that was given opens nothing
 */
export async function patrolKeys(
  policyFile: string | undefined,
  policy: Policy | undefined,
  options: KeyOptions,
  now: number,
): Promise<Keys> {
  const given = options.passwordStdin === true ? await givenPasswords() : [];
  if (policy === undefined || policyFile === undefined) {
    const typed = given.length === 0 ? await typedPassword('Password, to look inside (empty: stay a stranger):', options) : undefined; // prettier-ignore
    const passwords = typed === undefined ? given : [typed];
    return { passwords: new Map([['', passwords]]), endedPasswords: [], links: [], deadLinks: [], credentials: [] }; // prettier-ignore
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
    if (lock.basic !== false && isFirst) credentials.push({ lock: lock.name, user: opener.label, password }); // prettier-ignore
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
    throw new DorlinError('call-wrong', `The password in line ${line + 1} of standard input opens no lock of the policy.`, { mend: 'Send one password a line, each as visitors type it.' }); // prettier-ignore
  }
  for (const lock of policy.locks.values()) {
    if (passwords.has(lock.name)) continue;
    for (const { id } of lock.passwords) {
      const known = chain && (await recallPassword(policyFile, lock.name, id, chain).catch(() => undefined)); // prettier-ignore
      if (known !== undefined) take(lock, id, known);
    }
    if (passwords.has(lock.name) || !hasPassword(lock, now)) continue;
    const typed = await typedPassword(`Password of ${lock.name} (empty: leave it out):`, options);
    const found = typed === undefined ? undefined : await matchPassword(typed, lock.passwords, nativeHasher); // prettier-ignore
    if (typed !== undefined && found === undefined) throw new DorlinError('call-wrong', `That is no password of ${lock.name}.`); // prettier-ignore
    if (typed !== undefined && found !== undefined) take(lock, found.id, typed);
  }
  return { passwords, endedPasswords: ended, credentials, ...(await linksOf(policy, chain, now)) };
}

/** The secret, only where there is one: a patrol must not make one. */
async function keysAtHand(policyFile: string): Promise<KeyChain | undefined> {
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

async function givenPasswords(): Promise<string[]> {
  const lines = (await readStandardInput()).split(/\r?\n/).filter((line) => line !== '');
  if (lines.length === 0) throw new DorlinError('call-wrong', 'Standard input has no password.', { mend: 'Send one a line.' }); // prettier-ignore
  if (lines.length > mostLines) throw new DorlinError('call-wrong', `Standard input has ${lines.length} passwords; ${mostLines} at most.`); // prettier-ignore
  return lines;
}

async function typedPassword(
  message: string,
  { ask, json }: KeyOptions,
): Promise<string | undefined> {
  if (!ask || json === true || !process.stdin.isTTY) return undefined;
  const { default: password } = await import('@inquirer/password');
  const typed = await password({ message, mask: '•' });
  return typed === '' ? undefined : typed;
}
