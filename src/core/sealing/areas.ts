import { fromBase64Url, joined, toBase64Url, utf8, type Bytes, type SealingKey } from './bytes.js';

/**
 * What is opened by the same locks is one area, with a key of its own: any of the alternatives opens it,
 * and of each all locks are needed.
 */
export type Alternatives = readonly (readonly string[])[];

/** One way into an area: its key, wrapped by the key of each of these locks in turn. */
export interface AreaDoor {
  readonly locks: readonly string[];
  readonly key: string;
}

/** In one order and without what is said twice, so that the same is the same. */
export function sortedAlternatives(alternatives: Alternatives): Alternatives {
  const each = alternatives.map((locks) => [...new Set(locks)].sort());
  const texts = [...new Set(each.map((locks) => locks.join('+')))].sort();
  return texts.map((text) => (text === '' ? [] : text.split('+')));
}

const textOf = (alternatives: Alternatives) =>
  sortedAlternatives(alternatives)
    .map((locks) => locks.join('+'))
    .join('|');

/** The name of an area: 16 letters, the same for the same locks. */
export async function areaName(alternatives: Alternatives): Promise<string> {
  const digest = await crypto.subtle.digest('SHA-256', utf8(textOf(alternatives)));
  return toBase64Url(new Uint8Array(digest)).slice(0, 16);
}

const asHkdf = (bytes: Bytes) => crypto.subtle.importKey('raw', bytes, 'HKDF', false, ['deriveKey', 'deriveBits']);

const doorOf = (lock: SealingKey, area: string) =>
  crypto.subtle.deriveKey(
    { name: 'HKDF', hash: 'SHA-256', salt: utf8(area), info: utf8('dorlin sealed door') },
    lock,
    { name: 'AES-KW', length: 256 },
    false,
    ['wrapKey', 'unwrapKey'],
  );

/** The key of an area, which only whoever has the key of every lock of it can make: 16 bytes. */
export async function makeAreaKey(alternatives: Alternatives, keys: ReadonlyMap<string, Bytes>): Promise<Bytes> {
  const sorted = sortedAlternatives(alternatives);
  const locks = [...new Set(sorted.flat())].sort();
  const whole = await asHkdf(joined(...locks.map((name) => keyNamed(keys, name))));
  const by = { name: 'HKDF', hash: 'SHA-256', salt: utf8(textOf(sorted)), info: utf8('dorlin sealed area') };
  return new Uint8Array(await crypto.subtle.deriveBits(by, whole, 128));
}

/** The ways into an area. */
export async function makeDoors(
  name: string,
  areaKey: Bytes,
  alternatives: Alternatives,
  keys: ReadonlyMap<string, Bytes>,
): Promise<AreaDoor[]> {
  const doors: AreaDoor[] = [];
  for (const locks of sortedAlternatives(alternatives)) {
    let wrapped = areaKey;
    for (const lock of locks) {
      const by = await doorOf(await asHkdf(keyNamed(keys, lock)), name);
      const held = await crypto.subtle.importKey('raw', wrapped, asBytes, true, ['sign']);
      wrapped = new Uint8Array(await crypto.subtle.wrapKey('raw', held, by, 'AES-KW'));
    }
    doors.push({ locks, key: toBase64Url(wrapped) });
  }
  return doors;
}

/** A kind of key that may have any length: what is wrapped once more is only bytes. */
const asBytes = { name: 'HMAC', hash: 'SHA-256' };

/** The key of an area, for HKDF, by the keys of one alternative. @returns undefined where they are not those */
export async function openDoor(
  name: string,
  { locks, key }: AreaDoor,
  keys: ReadonlyMap<string, SealingKey>,
): Promise<SealingKey | undefined> {
  try {
    let wrapped = fromBase64Url(key);
    for (const [at, lock] of [...locks].reverse().entries()) {
      const by = await doorOf(keyNamed(keys, lock), name);
      if (at === locks.length - 1) {
        return await crypto.subtle.unwrapKey('raw', wrapped, by, 'AES-KW', 'HKDF', false, ['deriveKey', 'deriveBits']);
      }
      const inner = await crypto.subtle.unwrapKey('raw', wrapped, by, 'AES-KW', asBytes, true, ['sign']);
      wrapped = new Uint8Array(await crypto.subtle.exportKey('raw', inner));
    }
  } catch {
    // A key of before the last rekeying, or none.
  }
  return undefined;
}

function keyNamed<Key>(keys: ReadonlyMap<string, Key>, name: string): Key {
  const key = keys.get(name);
  if (key === undefined) throw new Error(`the key of ${name} is not at hand`);
  return key;
}

/** What tells one key of a lock from the one before, and nothing else of it. */
export async function keyId(lockKey: Bytes): Promise<string> {
  const by = { name: 'HKDF', hash: 'SHA-256', salt: new Uint8Array(32), info: utf8('dorlin key id') };
  return toBase64Url(new Uint8Array(await crypto.subtle.deriveBits(by, await asHkdf(lockKey), 96)));
}

/** The keys that name what is sealed in an area: by its content, so that the same is sealed to the same bytes. */
export interface NamingKeys {
  readonly salt: Bytes;
  readonly name: Bytes;
}

export async function namingKeys(areaKey: Bytes): Promise<NamingKeys> {
  const area = await asHkdf(areaKey);
  const bits = async (purpose: string) => {
    const by = { name: 'HKDF', hash: 'SHA-256', salt: new Uint8Array(32), info: utf8(`dorlin sealed ${purpose}`) };
    return new Uint8Array(await crypto.subtle.deriveBits(by, area, 256));
  };
  const [salt, name] = await Promise.all([bits('salt'), bits('name')]);
  return { salt, name };
}
