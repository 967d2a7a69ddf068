import { isAddressRange } from '../core/bypass/address.js';
import type { Bypass } from '../core/bypass/bypass.js';
import { idleBypass } from '../core/check/idle-bypass.js';
import { DorlinError } from '../core/errors.js';
import type { BypassEntry } from '../core/policy/editor.js';
import type { Policy } from '../core/policy/types.js';
import { momentText } from '../core/windows/moment.js';
import { isWithin } from '../core/windows/window.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { addressOn } from './hand-out.js';
import { bypassNamed, lockNamed } from './named.js';
import { windowTexts } from './passwords/passwords.js';

/** What is added to a bypass, which is made where there is none of that name. */
export interface BypassOrder {
  /** Addresses and ranges; `mine` is the caller's own, which the running site is asked for. */
  readonly addresses?: readonly string[] | undefined;
  readonly roles?: readonly string[] | undefined;
  readonly people?: readonly string[] | undefined;
  readonly signedIn?: boolean | undefined;
  /** Locks at which it is to count. */
  readonly locks?: readonly string[] | undefined;
  readonly everyLock?: boolean | undefined;
  /** When it begins to count: a moment, or a span from now; `null` takes that away. */
  readonly from?: string | null | undefined;
  readonly until?: string | null | undefined;
  /** Where the site runs, for `mine`; else `site.origin`. */
  readonly site?: string | undefined;
}

/** A bypass as it stands. */
export interface BypassStanding {
  readonly name: string;
  readonly addresses?: readonly string[] | undefined;
  readonly roles?: readonly string[] | undefined;
  readonly people?: readonly string[] | undefined;
  readonly signedIn?: boolean | undefined;
  readonly everyLock: boolean;
  readonly from?: string | undefined;
  readonly until?: string | undefined;
  /** Whether it is in its time now. */
  readonly counts: boolean;
  /** The locks at which it counts. */
  readonly locks: readonly string[];
  /** Why it can let nobody in as the policy stands, in a sentence. */
  readonly idle?: string | undefined;
}

/** A bypass after something was added to it. */
export interface BypassAdded extends BypassStanding {
  /** Whether it was made just now. */
  readonly made: boolean;
  /** Whether one more condition must hold now, so that it lets in fewer than before. */
  readonly narrowed: boolean;
}

/**
 * Makes a bypass, or adds to one: further addresses, roles, people, locks, or its time.
 * @throws DorlinError `bypass-open` where no condition would be in it, `address-invalid`,
 * `address-unknown`, `lock-unknown`, `time-invalid`, `time-past`, and those of an edit
 */
export async function addBypass(policyFile: string, name: string, order: BypassOrder): Promise<BypassAdded> {
  const addresses = await resolvedAddresses(policyFile, order);
  const wrong = addresses?.find((address) => !isAddressRange(address));
  if (wrong !== undefined) {
    throw new DorlinError('address-invalid', `\`${wrong}\` is no address or range.`);
  }
  const { before, after } = await editPolicyFile(policyFile, (editor) => {
    const old = editor.before.bypasses.get(name);
    const entry = joined(editor.before, old, { ...order, addresses });
    if (!(entry.addresses ?? entry.roles ?? entry.people ?? entry.signedIn)) {
      throw new DorlinError('bypass-open', `The bypass ${name} would let in everybody.`);
    }
    const path = ['bypasses', name];
    if (old === undefined) editor.setBypass(name, entry);
    // Key by key, so that the comments at it stay.
    else for (const [key, value] of Object.entries(entry)) editor.set([...path, key], value);
    for (const [key, value] of [
      ['from', order.from],
      ['until', order.until],
    ] as const) {
      if (value === null) editor.set([...path, key], undefined);
    }
    for (const lock of new Set(order.locks)) {
      const { bypasses } = lockNamed(editor.before, lock);
      if (!bypasses.some((one) => one.name === name)) editor.addBypassTo(lock, name);
    }
  });
  const old = before.bypasses.get(name);
  const added = bypassNamed(after, name);
  const narrowed =
    old !== undefined &&
    (['addresses', 'roles', 'people', 'signedIn'] as const).some(
      (key) => old[key] === undefined && added[key] !== undefined,
    );
  return { ...standing(after, added), made: old === undefined, narrowed };
}

/** A bypass as it was, with more in it. */
function joined(policy: Policy, old: Bypass | undefined, order: BypassOrder): BypassEntry {
  const { addresses, roles, people, signedIn, everyLock, from, until } = order;
  const both = (was: readonly string[] | undefined, more: readonly string[] | undefined) =>
    more === undefined ? undefined : [...new Set([...(was ?? []), ...more])];
  const list = {
    addresses: both(old?.addresses, addresses),
    roles: both(old?.roles, roles),
    people: both(old?.people, people),
  };
  return {
    ...(list.addresses && { addresses: list.addresses }),
    ...(list.roles && { roles: list.roles }),
    ...(list.people && { people: list.people }),
    // What it had and gets nothing of stays, and is a condition all the same.
    ...(old?.addresses && !list.addresses && { addresses: [...old.addresses] }),
    ...(old?.roles && !list.roles && { roles: [...old.roles] }),
    ...(old?.people && !list.people && { people: [...old.people] }),
    ...((signedIn ?? old?.signedIn) && { signedIn: true as const }),
    ...(everyLock && { everyLock }),
    ...windowTexts(policy, { from: from ?? undefined, until: until ?? undefined }),
  };
}

/** The addresses, with the caller's own in the place of `mine`. */
async function resolvedAddresses(
  policyFile: string,
  { addresses, site }: BypassOrder,
): Promise<readonly string[] | undefined> {
  if (addresses?.includes('mine') !== true) return addresses;
  const policy = await loadPolicy(policyFile);
  const own = await ownAddress(addressOn(policy, `${policy.site.prefix}/address`, site));
  return [...new Set(addresses.map((one) => (one === 'mine' ? own : one)))];
}

/** Asks a running site from which address this machine visits it. */
async function ownAddress(url: string): Promise<string> {
  const unknown = (why: string, cause?: unknown) => new DorlinError('address-unknown', `${url} ${why}.`, { cause });
  let response: Response;
  try {
    const headers = { accept: 'application/json' };
    const signal = AbortSignal.timeout(10_000);
    response = await fetch(url, { headers, redirect: 'manual', signal });
  } catch (cause) {
    throw unknown('does not answer', cause);
  }
  if (response.status !== 200) throw unknown(`answers ${response.status}`);
  const told = (await response.json().catch(() => ({}))) as { address?: unknown };
  if (typeof told.address !== 'string' || !isAddressRange(told.address)) {
    throw unknown('does not know it either');
  }
  return told.address;
}

/** A bypass that was ended. */
export interface BypassRemoved {
  readonly name: string;
  /** The locks at which it counted and counts no more. */
  readonly locks: readonly string[];
  /** Whether it is gone as a whole, not only from those. */
  readonly ended: boolean;
}

/**
 * Ends a bypass, or takes it out of some locks.
 * @throws DorlinError `bypass-unknown`, `lock-unknown`, and those of an edit
 */
export async function removeBypass(
  policyFile: string,
  name: string,
  locks: readonly string[] = [],
): Promise<BypassRemoved> {
  const { before, after } = await editPolicyFile(policyFile, (editor) => {
    bypassNamed(editor.before, name);
    if (locks.length === 0) editor.removeBypass(name);
    for (const lock of locks) {
      lockNamed(editor.before, lock);
      editor.removeBypassFrom(lock, name);
    }
  });
  const still = new Set(locksWith(after, name));
  const gone = locksWith(before, name).filter((lock) => !still.has(lock));
  return { name, locks: gone, ended: !after.bypasses.has(name) };
}

export interface BypassList {
  readonly bypasses: readonly BypassStanding[];
}

export async function listBypasses(policyFile: string): Promise<BypassList> {
  const policy = await loadPolicy(policyFile);
  return { bypasses: [...policy.bypasses.values()].map((one) => standing(policy, one)) };
}

function locksWith(policy: Policy, name: string): string[] {
  return [...policy.locks.values()]
    .filter(({ bypasses }) => bypasses.some((bypass) => bypass.name === name))
    .map((lock) => lock.name);
}

function standing(policy: Policy, bypass: Bypass): BypassStanding {
  const { name, addresses, roles, people, signedIn, window } = bypass;
  const text = (at: number | undefined) => (at === undefined ? undefined : momentText(at, policy.site.timeZone));
  return {
    name,
    addresses,
    roles,
    people,
    signedIn,
    everyLock: bypass.everyLock,
    from: text(window.from),
    until: text(window.until),
    counts: isWithin(window, Date.now() / 1000),
    locks: locksWith(policy, name),
    idle: idleBypass(policy, bypass),
  };
}
