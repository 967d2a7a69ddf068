import { DorlinError } from '../errors.js';

/** What is derived from one secret; a key for each purpose, so that none serves for another. */
export interface Keys {
  /** Signs and verifies passes (HMAC-SHA-256). */
  readonly pass: Uint8Array;
  /** Marks entry links (HMAC-SHA-256). */
  readonly link: Uint8Array<ArrayBuffer>;
  /** Encrypts passwords for looking them up (AES-256-GCM). */
  readonly recall: Uint8Array;
  /** What the keys of sealed locks are derived of (HKDF-SHA-256). */
  readonly sealing: Uint8Array<ArrayBuffer>;
  /** Stands between credentials and what is kept in memory of them (HMAC-SHA-256). */
  readonly credentials: Uint8Array<ArrayBuffer>;
}

/** The keys of every secret: the first signs and encrypts, all verify and decrypt. */
export type KeyChain = readonly [Keys, ...Keys[]];

/** Shortest secret that is accepted, in characters. */
const minSecretLength = 32;

/**
 * Derives the keys of one or more secrets by HKDF-SHA-256 (RFC 5869).
 *
 * @param text - one secret, or several separated by commas
 * @throws DorlinError `secret-missing`, `secret-weak`
 */
export async function deriveKeys(text: string): Promise<KeyChain> {
  const secrets = text
    .split(',')
    .map((secret) => secret.trim())
    .filter((secret) => secret !== '');
  if (secrets.some((secret) => secret.length < minSecretLength)) {
    throw new DorlinError('secret-weak', 'A secret has fewer than 32 characters.');
  }
  const [first, ...others] = await Promise.all(secrets.map(keysOf));
  if (first === undefined) throw new DorlinError('secret-missing', 'The secret is empty.');
  return [first, ...others];
}

async function keysOf(secret: string): Promise<Keys> {
  const encoder = new TextEncoder();
  const key = await crypto.subtle.importKey('raw', encoder.encode(secret), 'HKDF', false, ['deriveBits']);
  const derive = async (purpose: string) => {
    const info = encoder.encode(`dorlin 1 ${purpose}`);
    const salt = new Uint8Array(32);
    return new Uint8Array(await crypto.subtle.deriveBits({ name: 'HKDF', hash: 'SHA-256', salt, info }, key, 256));
  };
  const [pass, link, recall, sealing, credentials] = await Promise.all([
    derive('pass'),
    derive('link'),
    derive('recall'),
    derive('sealing'),
    derive('credentials'),
  ]);
  return { pass, link, recall, sealing, credentials };
}
