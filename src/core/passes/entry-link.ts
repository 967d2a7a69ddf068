import { equalBytes } from '../passwords/shared-salt.js';
import type { Lock, Policy } from '../policy/types.js';
import type { EntryLink } from '../policy/openers.js';
import type { KeyChain } from './keys.js';
import { macOf } from './mac.js';
import { audienceOf } from './pass.js';

/**
 * The token of an entry link, `press.q7w2k9hm4d.…`: lock, id and 128 bits of an HMAC over them and
 * the site (RFC 2104 section 5), short enough for a text message. When it ends and where it lands
 * is the policy's to say, on the day it is used. Always the same, so that it can be looked up.
 */
export async function entryToken(lock: Lock, link: EntryLink, policy: Policy, keys: KeyChain): Promise<string> {
  return `${lock.name}.${link.id}.${await markOf(lock.name, link.id, policy, keys[0].link)}`;
}

/** A link of one's own, made from a link of the policy: whose it is, and when it ends. */
export interface OwnLink {
  /** Tells it from others; small letters and digits. */
  readonly serial: string;
  /** In seconds since 1970. */
  readonly until: number;
}

/**
 * The token of a link of one's own, `press.q7w2k9hm4d.k3m9x2.1e240.…`: serial and end (in seconds, to
 * base 36) are signed with it, so that the policy need not know it. It counts while the link does that it
 * is made from, and not beyond its own end.
 */
export async function ownEntryToken(
  lock: Lock,
  link: EntryLink,
  own: OwnLink,
  policy: Policy,
  keys: KeyChain,
): Promise<string> {
  const until = Math.floor(own.until).toString(36);
  const mark = await markOf(lock.name, link.id, policy, keys[0].link, [own.serial, until]);
  return `${lock.name}.${link.id}.${own.serial}.${until}.${mark}`;
}

const shape =
  /^([a-z][a-z0-9_-]{0,63})\.([a-z0-9]{2,16})\.(?:([a-z0-9]{1,16})\.([a-z0-9]{1,9})\.)?([A-Za-z0-9_-]{22})$/;

/** The link that a token stands for, if the policy still has it; its window is not looked at. */
export async function linkOfToken(
  token: string | undefined,
  policy: Policy,
  keys: KeyChain,
): Promise<{ readonly lock: Lock; readonly link: EntryLink; readonly own: OwnLink | undefined } | undefined> {
  const [, name = '', id = '', serial, end, mark = ''] = (shape.exec(token ?? '') ?? []) as (string | undefined)[];
  const own = serial === undefined || end === undefined ? undefined : ([serial, end] as const);
  const lock = policy.locks.get(name);
  const link = lock?.links.find((one) => one.id === id);
  for (const key of keys) {
    // Worked out for links that are not there too: how long it takes tells nothing of them.
    const isOurs = isSame(mark, await markOf(name, id, policy, key.link, own));
    if (!isOurs || lock === undefined || link === undefined) continue;
    return { lock, link, own: own && { serial: own[0], until: parseInt(own[1], 36) } };
  }
  return undefined;
}

async function markOf(
  lock: string,
  id: string,
  { site }: Policy,
  key: Uint8Array<ArrayBuffer>,
  own: readonly string[] = [],
): Promise<string> {
  return (await macOf(JSON.stringify([audienceOf(site), lock, id, ...own]), key)).slice(0, 22);
}

function isSame(one: string, other: string): boolean {
  const encoder = new TextEncoder();
  return equalBytes(encoder.encode(one), encoder.encode(other));
}
