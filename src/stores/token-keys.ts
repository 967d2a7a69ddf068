import { readFile, stat } from 'node:fs/promises';
import { resolve } from 'node:path';
import { createLocalJWKSet, createRemoteJWKSet, type JSONWebKeySet, type JWTVerifyGetKey } from 'jose';
import { LRUCache } from 'lru-cache';
import type { TokenKeys } from '../core/bypass/token.js';

/** How long fetched keys are used without asking again, in milliseconds. */
const cacheMaxAge = 10 * 60 * 1000;
/** How long after a fetch an unknown key is not asked for, or anybody could make us ask. */
const cooldownDuration = 30 * 1000;

/**
 * The keys of `identity.jwt`: from an address, fetched once and again when a token names a key that
 * is not among them; or from a file, read again when it changes.
 *
 * @param folder - from where files are seen
 */
export function tokenKeysFrom(folder: string): TokenKeys {
  // Few are enough for any site; of many sites, those that nobody has asked for longest go.
  const sources = new LRUCache<string, JWTVerifyGetKey>({ max: 1000 });
  return (jwks) => {
    let source = sources.get(jwks);
    if (source === undefined) {
      source = /^https?:/i.test(jwks)
        ? createRemoteJWKSet(new URL(jwks), {
            cacheMaxAge,
            cooldownDuration,
            timeoutDuration: 5000,
          })
        : keysInFile(resolve(folder, jwks));
      sources.set(jwks, source);
    }
    return source;
  };
}

function keysInFile(file: string): JWTVerifyGetKey {
  let read: { readonly version: string; readonly keys: JWTVerifyGetKey } | undefined;
  return async (header, token) => {
    const { mtimeMs, size, ino } = await stat(file);
    const version = `${mtimeMs} ${size} ${ino}`;
    if (read?.version !== version) {
      const keys = createLocalJWKSet(JSON.parse(await readFile(file, 'utf8')) as JSONWebKeySet);
      read = { version, keys };
    }
    return read.keys(header, token);
  };
}
