import { hkdfSync, randomBytes } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { writeFileWhole } from '../stores/whole-file.js';
import * as z from 'zod';
import { DorlinError } from '../core/errors.js';
import type { KeyChain } from '../core/passes/keys.js';
import { toBase64Url, type Bytes } from '../core/sealing/bytes.js';
import { lockKeyLength } from '../core/sealing/keyring.js';
import { ignore } from '../stores/file-errors.js';
import { keepingFolder, makeKeepingFolder } from '../stores/keeping.js';

/** What is drawn for each lock, and drawn anew when it gets a new key. It is no secret. */
const schema = z.strictObject({ locks: z.record(z.string(), z.string().regex(/^[\w-]{22}$/)) });

const fileOf = (policyFile: string) => join(keepingFolder(policyFile), 'sealing.json');

/**
 * The keys of locks: derived of the secret and of what is drawn for each lock, so that nothing but the
 * secret has to be kept safe. Without either, the keys are others, and everything is sealed anew: what was
 * sealed before never opens what is sealed now.
 *
 * @param anew - the locks that get a new key
 * @throws DorlinError `sealing-unreadable`
 */
export async function lockKeys(
  policyFile: string,
  keys: KeyChain,
  locks: readonly string[],
  anew: ReadonlySet<string>,
): Promise<ReadonlyMap<string, Bytes>> {
  const file = fileOf(policyFile);
  const text = await readFile(file, 'utf8').catch((error: unknown) => {
    ignore('ENOENT')(error);
    return '{"locks":{}}';
  });
  let known: z.output<typeof schema>;
  try {
    known = schema.parse(JSON.parse(text));
  } catch (cause) {
    throw new DorlinError('sealing-unreadable', `${file} is damaged.`, { cause });
  }
  const drawn = { ...known.locks };
  for (const name of locks) {
    if (drawn[name] === undefined || anew.has(name)) drawn[name] = toBase64Url(randomBytes(16));
  }
  if (JSON.stringify(drawn) !== JSON.stringify(known.locks)) {
    await makeKeepingFolder(policyFile);
    await writeFileWhole(file, `${JSON.stringify({ locks: drawn }, null, 2)}\n`, { mode: 0o600 });
  }
  const derive = (name: string) =>
    new Uint8Array(hkdfSync('sha256', keys[0].sealing, drawn[name] ?? '', `dorlin sealed lock ${name}`, lockKeyLength));
  return new Map(locks.map((name) => [name, derive(name)]));
}

/** What an entry link brings instead of a password: 192 bits that only the secret gives. */
export const linkSecret = (keys: KeyChain, lock: string, id: string): string =>
  toBase64Url(new Uint8Array(hkdfSync('sha256', keys[0].sealing, id, `dorlin sealed link ${lock}`, 24)));
