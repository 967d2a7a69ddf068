import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { readPageFacts } from '../core/check/page-facts.js';
import { neededLocked, type NeededFile } from '../core/check/needed-locked.js';
import type { Policy } from '../core/policy/types.js';
import { decodeHtml } from '../core/sections/charset.js';
import { targetOf } from '../server/site-files.js';
import { filesOfSite, siteFolder } from './site-files.js';

export type { NeededFile };

/** Most pages that are read to find out; a folder of thousands has the same files in all of them. */
const mostPages = 200;

/** The files that some open pages of the site need, and strangers do not get. */
export async function neededBehind(
  policyFile: string,
  policy: Policy,
  opened: readonly string[],
): Promise<NeededFile[]> {
  if (policy.site.folder === undefined || opened.length === 0) return [];
  const isOpened = new Set(opened);
  const paths = await filesOfSite(policyFile, policy).catch(() => []);
  const pages = paths.filter((path) => /\.x?html?$/i.test(path) && isOpened.has(targetOf(path)));
  const root = siteFolder(policyFile, policy);
  const read = await Promise.all(
    pages.slice(0, mostPages).map(async (path) => {
      const bytes = await readFile(join(root, path)).catch(() => Buffer.alloc(0));
      const target = targetOf(path);
      const { needs } = readPageFacts(decodeHtml(bytes, '') ?? '', `http://site.invalid${target}`);
      return { path, needs };
    }),
  );
  return neededLocked(policy, read, Date.now() / 1000);
}
