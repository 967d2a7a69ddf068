import { fromBase64Url, joined, toBase64Url, utf8, type Bytes, type SealingKey } from './bytes.js';

/**
 * A lock's key, wrapped once for each password: JWE in its general JSON form (RFC 7516 section 7.2.1)
 * with PBES2-HS512+A256KW (RFC 7518 section 4.8). Salt and count stand once, protected, so that trying a
 * password costs one derivation however many there are.
 */
export interface Keyring {
  readonly protected: string;
  readonly recipients: readonly { readonly header?: { readonly kid?: string }; readonly encrypted_key: string }[];
  readonly iv: string;
  readonly ciphertext: string;
  readonly tag: string;
}

const algorithm = 'PBES2-HS512+A256KW';

/** Rounds of PBKDF2 for each try. */
export const usualRounds = 600_000;

/** More would only keep a browser busy. */
const mostRounds = 20_000_000;

/** Bytes of the key of a lock. */
export const lockKeyLength = 32;

interface ProtectedHeader {
  readonly alg: string;
  readonly enc: string;
  readonly p2s: string;
  readonly p2c: number;
}

/** The key that a password wraps by (RFC 7518 section 4.8.1.1). */
async function wrappingKey(password: string, { p2s, p2c }: ProtectedHeader, use: 'wrapKey' | 'unwrapKey') {
  const secret = await crypto.subtle.importKey('raw', utf8(password), 'PBKDF2', false, ['deriveKey']);
  const salt = joined(utf8(`${algorithm}\0`), fromBase64Url(p2s));
  const by = { name: 'PBKDF2', hash: 'SHA-512', salt, iterations: p2c };
  return crypto.subtle.deriveKey(by, secret, { name: 'AES-KW', length: 256 }, false, [use]);
}

/** Bits derived of a lock's key for one purpose. */
async function derived(lockKey: Bytes, purpose: string, salt: Bytes, length: number): Promise<Bytes> {
  const key = await crypto.subtle.importKey('raw', lockKey, 'HKDF', false, ['deriveBits']);
  const by = { name: 'HKDF', hash: 'SHA-256', salt, info: utf8(`dorlin keyring ${purpose}`) };
  return new Uint8Array(await crypto.subtle.deriveBits(by, key, length * 8));
}

/**
 * Wraps a lock's key for passwords. The same key for the same passwords gives the same bytes: what others draw at
 * random is derived from the lock's key here.
 *
 * Nothing that is published depends on a password but through PBKDF2. Salt, content key, nonce, ciphertext and tag
 * follow from the lock's key and the protected header; the passwords only enter `encrypted_key`, each wrapped by the
 * key that PBKDF2 makes of it. Somebody who has the lock's key, from a password that was replaced since, still
 * needs all rounds for each guess at another. The same nonce under the same content key never seals two texts, as
 * both follow from the one text that they seal.
 */
export async function makeKeyring(
  lockKey: Bytes,
  passwords: readonly { readonly id: string; readonly password: string }[],
  rounds = usualRounds,
): Promise<Keyring> {
  const salt = await derived(lockKey, 'salt', new Uint8Array(32), 16);
  const header: ProtectedHeader = { alg: algorithm, enc: 'A256GCM', p2s: toBase64Url(salt), p2c: rounds };
  const protectedText = toBase64Url(utf8(JSON.stringify(header)));
  const about = new Uint8Array(await crypto.subtle.digest('SHA-256', utf8(protectedText)));
  const drawn = await derived(lockKey, 'draw', about, 44);
  const [content, iv] = [drawn.slice(0, 32), drawn.slice(32)];
  const key = await crypto.subtle.importKey('raw', content, 'AES-GCM', true, ['encrypt']);
  const recipients = await Promise.all(
    passwords.map(async ({ id, password }) => {
      const by = await wrappingKey(password, header, 'wrapKey');
      const wrapped = await crypto.subtle.wrapKey('raw', key, by, 'AES-KW');
      return { header: { kid: id }, encrypted_key: toBase64Url(new Uint8Array(wrapped)) };
    }),
  );
  const sealing = { name: 'AES-GCM', iv, additionalData: utf8(protectedText) };
  const sealed = new Uint8Array(await crypto.subtle.encrypt(sealing, key, lockKey));
  return {
    protected: protectedText,
    recipients,
    iv: toBase64Url(iv),
    ciphertext: toBase64Url(sealed.subarray(0, -16)),
    tag: toBase64Url(sealed.subarray(-16)),
  };
}

/** What a keyring gave for a password. */
export interface OpenedKeyring {
  /** The lock's key, for HKDF. Its bytes never reach a script. */
  readonly key: SealingKey;
  /** The id of the password. */
  readonly id: string;
}

/** Tries a password. @returns undefined where it opens nothing, or the keyring is none of ours */
export async function openKeyring(keyring: Keyring, password: string): Promise<OpenedKeyring | undefined> {
  try {
    const header = JSON.parse(new TextDecoder().decode(fromBase64Url(keyring.protected))) as ProtectedHeader;
    const isOurs = header.alg === algorithm && header.enc === 'A256GCM' && header.p2c > 0 && header.p2c <= mostRounds;
    if (!isOurs) return undefined;
    const by = await wrappingKey(password, header, 'unwrapKey');
    const sealed = joined(fromBase64Url(keyring.ciphertext), fromBase64Url(keyring.tag));
    const opening = {
      name: 'AES-GCM',
      iv: fromBase64Url(keyring.iv),
      additionalData: utf8(keyring.protected),
    };
    for (const { header: own, encrypted_key } of keyring.recipients) {
      const wrapped = fromBase64Url(encrypted_key);
      const content = await crypto.subtle
        .unwrapKey('raw', wrapped, by, 'AES-KW', { name: 'AES-GCM', length: 256 }, false, ['unwrapKey'])
        .catch(() => undefined);
      if (content === undefined) continue;
      const key = await crypto.subtle.unwrapKey('raw', sealed, content, opening, 'HKDF', false, [
        'deriveKey',
        'deriveBits',
      ]);
      return { key, id: own?.kid ?? '' };
    }
  } catch {
    // Whatever is wrong with it, it opens nothing.
  }
  return undefined;
}
