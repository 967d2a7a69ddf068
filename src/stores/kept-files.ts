import { createHash } from 'node:crypto';
import { mkdir, readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { writeFileWhole } from './whole-file.js';
import { keptKind, keptTypes, type KeptFile, type KeptKind } from '../core/screen/kept-file.js';
import { ignore } from './file-errors.js';
import { keepingFolder, makeKeepingFolder } from './keeping.js';

const folderOf = (policyFile: string) => join(keepingFolder(policyFile), 'pictures');

/** A picture or font that is kept beside a policy; undefined where there is none of that name. */
export async function readKept(policyFile: string, name: string): Promise<KeptFile | undefined> {
  const kind = keptKind(name);
  if (kind === undefined) return undefined;
  const body = await readFile(join(folderOf(policyFile), name)).catch(ignore('ENOENT'));
  return body && { type: keptTypes[kind], body };
}

/** Keeps a file under the name that it has elsewhere, where there is none of that name. */
export async function keepNamed(policyFile: string, name: string, body: Uint8Array): Promise<void> {
  if (keptKind(name) === undefined) return;
  await makeKeepingFolder(policyFile);
  await mkdir(folderOf(policyFile), { recursive: true });
  await writeFileWhole(join(folderOf(policyFile), name), Buffer.from(body));
}

/** The names of all that are kept. */
export async function keptNames(policyFile: string): Promise<readonly string[]> {
  const names = (await readdir(folderOf(policyFile)).catch(ignore('ENOENT'))) ?? [];
  return names.filter((name) => keptKind(name) !== undefined).sort();
}

/**
 * Keeps a file. It is named after what is in it, so that it may be cached for good and is kept once.
 *
 * @param called - what its owner calls it; the first part of its name
 * @returns its name
 */
export async function keep(policyFile: string, called: string, kind: KeptKind, body: Uint8Array): Promise<string> {
  await makeKeepingFolder(policyFile);
  await mkdir(folderOf(policyFile), { recursive: true });
  const plain = called
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/\.[a-z0-9]+$/, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 60)
    .replace(/-+$/, '');
  const digest = createHash('sha256').update(body).digest('hex').slice(0, 10);
  const name = `${plain || 'picture'}-${digest}.${kind}`;
  await writeFileWhole(join(folderOf(policyFile), name), Buffer.from(body));
  return name;
}
