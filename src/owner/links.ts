import { randomBytes } from 'node:crypto';
import { DorlinError } from '../core/errors.js';
import { entryToken } from '../core/passes/entry-link.js';
import { generateId } from '../core/passwords/generate.js';
import type { EntryLink } from '../core/policy/openers.js';
import type { LinkDocument } from '../core/policy/document.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { formatMoment, momentText } from '../core/windows/moment.js';
import { isWithin } from '../core/windows/window.js';
import { safeTarget } from '../guard/visit/target.js';
import { openKeys } from '../stores/keeping.js';
import { readLinkUses } from '../stores/link-uses.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { addressOn, handOutOf, mustBeFree, type HandedOut, type HandOutOrder } from './hand-out.js';
import { freeLabel, linkNamed, lockNamed } from './named.js';
import { giversOf, windowTexts } from './passwords/passwords.js';
import { pathOfAddress } from './place-text.js';

/** How long a link counts if nobody says otherwise, in days. */
export const usualDays = 14;

/** What a new entry link is to be. */
export interface LinkOrder {
  /** Whom it is for; only the owner sees it. */
  readonly label?: string | undefined;
  /** When it begins to count: a moment, or a span from now. */
  readonly from?: string | undefined;
  /** When it ends: a moment, or a span from now. @default in 14 days */
  readonly until?: string | undefined;
  /** Where it lands; else at the lock's place. */
  readonly to?: string | undefined;
  /** How many browsers it may let in, from 1 to 100,000; else any number. */
  readonly uses?: number | undefined;
}

/** An entry link with its address, handed out. */
export interface LinkShown {
  readonly lock: string;
  readonly id: string;
  readonly label: string;
  readonly from?: string | undefined;
  readonly until: string;
  readonly to?: string | undefined;
  readonly uses?: number | undefined;
  readonly handedOut: HandedOut;
}

/**
 * Makes an entry link.
 * @throws DorlinError `lock-unknown`, `origin-missing`, `label-taken`, `link-invalid`, `time-invalid`,
 * `time-past`, `file-exists`, and those of an edit
 */
export async function makeLink(
  policyFile: string,
  name: string,
  order: LinkOrder,
  handingOut: HandOutOrder = {},
): Promise<LinkShown> {
  // Whatever could fail is tried before anything is written.
  const policy = await loadPolicy(policyFile);
  const lock = lockNamed(policy, name);
  addressOn(policy, '/', handingOut.origin);
  if (handingOut.sheet !== undefined) await mustBeFree(handingOut.sheet);
  const entry = entryFrom(lock, policy, order);
  const { after } = await editPolicyFile(policyFile, (editor) => {
    editor.addLink(name, entry);
  });
  return shown(policyFile, after, name, entry.id, handingOut);
}

/** A link as it is written. */
function entryFrom(lock: Lock, policy: Policy, order: LinkOrder): LinkDocument {
  const { timeZone } = policy.site;
  const end = order.until ?? formatMoment(Date.now() / 1000 + usualDays * 86_400, timeZone);
  const { from, until = end } = windowTexts(policy, { from: order.from, until: end });
  const to = order.to === undefined ? undefined : pathOfAddress(policy, order.to);
  if (to !== undefined && safeTarget(to) === undefined) {
    throw new DorlinError('link-invalid', `--to: \`${to}\` is no path on this site.`);
  }
  const { uses } = order;
  if (uses !== undefined && !(Number.isInteger(uses) && uses >= 1 && uses <= 100_000)) {
    throw new DorlinError('link-invalid', 'A link may be used from 1 to 100,000 times, a whole number.');
  }
  const label = order.label ?? freeLabel('Link', lock.links);
  if (lock.links.some((other) => other.label === label)) {
    throw new DorlinError('label-taken', `${lock.name} has a link for ${label} already.`, {
      mend: `See its address with: dorlin link ${lock.name} --show '${label}'`,
    });
  }
  // Longer than those of passwords: a link has no hash by which a second one with its id would
  // be told from it.
  const id = generateId(randomBytes, new Set(lock.openers.keys()), 10);
  return {
    id,
    label,
    ...(from !== undefined && { from }),
    until,
    ...(to !== undefined && { to }),
    ...(uses !== undefined && { uses }),
  };
}

/**
 * The address of a link again.
 * @throws DorlinError `lock-unknown`, `link-unknown`, `origin-missing`
 */
export async function showLink(
  policyFile: string,
  name: string,
  which: string,
  handingOut: HandOutOrder = {},
): Promise<LinkShown> {
  return shown(policyFile, await loadPolicy(policyFile), name, which, handingOut);
}

async function shown(
  policyFile: string,
  policy: Policy,
  name: string,
  which: string,
  handingOut: HandOutOrder,
): Promise<LinkShown> {
  const lock = lockNamed(policy, name);
  const link = linkNamed(lock, which);
  const { id, label, window, to, uses } = link;
  const token = await entryToken(lock, link, policy, await openKeys(policyFile));
  const path = `${policy.site.prefix}/enter?link=${token}`;
  const address = addressOn(policy, path, handingOut.origin);
  const handedOut = await handOutOf(lock, policy, { address, until: window.until, uses }, handingOut);
  const { from, until = '' } = textsOf(link, policy);
  return { lock: name, id, label, from, until, to, uses, handedOut };
}

const textsOf = ({ window: { from, until } }: EntryLink, { site }: Policy) => {
  const text = (at: number | undefined) => (at === undefined ? undefined : momentText(at, site.timeZone));
  return { from: text(from), until: text(until) };
};

/** A link that was ended. */
export interface LinkRevoked {
  readonly lock: string;
  readonly id: string;
  readonly label: string;
  /** The screens that gave it to whoever asked: their requests now say that nothing can be sent. */
  readonly givenBy: readonly string[];
}

/**
 * Ends a link, and every pass it gave.
 * @throws DorlinError `lock-unknown`, `link-unknown`, and those of an edit
 */
export async function revokeLink(policyFile: string, name: string, which: string): Promise<LinkRevoked> {
  const { before } = await editPolicyFile(policyFile, (editor) => {
    editor.removeLink(name, linkNamed(lockNamed(editor.before, name), which).id);
  });
  const lock = lockNamed(before, name);
  const { id, label } = linkNamed(lock, which);
  return { lock: name, id, label, givenBy: giversOf(lock, id) };
}

/** The links of a lock, without their addresses. */
export interface LinkList {
  readonly lock: string;
  readonly links: readonly LinkListed[];
}

export interface LinkListed {
  readonly id: string;
  readonly label: string;
  readonly from?: string | undefined;
  readonly until?: string | undefined;
  /** Whether it opens now. */
  readonly counts: boolean;
  readonly to?: string | undefined;
  readonly uses?: number | undefined;
  /** How many of its uses are taken, where they are counted. */
  readonly used?: number | undefined;
}

/** @throws DorlinError `lock-unknown` */
export async function listLinks(policyFile: string, name: string): Promise<LinkList> {
  const policy = await loadPolicy(policyFile);
  const lock = lockNamed(policy, name);
  const taken = await readLinkUses(policyFile);
  const links = lock.links.map((one) => ({
    id: one.id,
    label: one.label,
    ...textsOf(one, policy),
    counts: isWithin(one.window, Date.now() / 1000),
    to: one.to,
    uses: one.uses,
    used: one.uses === undefined ? undefined : (taken[`${name}/${one.id}`] ?? 0),
  }));
  return { lock: name, links };
}
