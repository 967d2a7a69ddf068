import { isBcrypt } from '../core/passwords/htpasswd.js';
import type { HashVerifier } from '../core/ports.js';

/** Checks bcrypt by a prebuilt native library on its own threads, and apr1. Loaded when needed. */
export const nativeVerifier: HashVerifier = async (password, hash) => {
  if (isBcrypt(hash)) {
    const { verify } = await import('@node-rs/bcrypt');
    return verify(password, hash);
  }
  // A thousand rounds of MD5, done in about a millisecond.
  const { default: apr1 } = await import('apache-md5');
  const { timingSafeEqual } = await import('node:crypto');
  const made = Buffer.from(apr1(password, hash));
  const wanted = Buffer.from(hash);
  return made.length === wanted.length && timingSafeEqual(made, wanted);
};

/** Most bytes of a password that bcrypt looks at; what follows would make no difference. */
export const maxBcryptBytes = 72;

/** A bcrypt hash as `htpasswd -B` writes it (`$2y$`), of 2^10 rounds. */
export async function bcryptHash(password: string): Promise<string> {
  const { hash } = await import('@node-rs/bcrypt');
  return (await hash(password, 10)).replace(/^\$2[ab]\$/, '$2y$');
}
