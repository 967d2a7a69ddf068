import { CompactEncrypt, compactDecrypt } from 'jose';
import type { KeyChain } from '../passes/keys.js';

const header = { alg: 'dir', enc: 'A256GCM', typ: 'dorlin-recall' };

/** Encrypts a password under the secret, as a compact JWE (RFC 7516), so it can be looked up. */
export async function sealRecall(password: string, keys: KeyChain): Promise<string> {
  const text = new TextEncoder().encode(password);
  return new CompactEncrypt(text).setProtectedHeader(header).encrypt(keys[0].recall);
}

/** The password again, or undefined where no secret at hand opens it. */
export async function openRecall(jwe: string, keys: KeyChain): Promise<string | undefined> {
  for (const { recall } of keys) {
    try {
      const { plaintext } = await compactDecrypt(jwe, recall, {
        keyManagementAlgorithms: [header.alg],
        contentEncryptionAlgorithms: [header.enc],
      });
      return new TextDecoder().decode(plaintext);
    } catch {
      continue; // sealed under another secret
    }
  }
  return undefined;
}
