import { readFile, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { SiteFile } from '../../core/check/site-checks.js';
import type { Policy } from '../../core/policy/types.js';
import { decodeHtml } from '../../core/sections/charset.js';
import { targetOf } from '../../server/site-files.js';
import { unpackedText } from '../../patrol/archive.js';
import { filesOfSite, siteFolder } from '../site-files.js';

/** Files that can hold words; longer ones are not read. */
const worded = /\.(?:x?html?|json|jsonl|geojson|js|mjs|css|xml|rss|atom|txt|csv|tsv|md|ics|svg)$/i;
/** Files that may hold others. */
const packed = /\.(?:zip|tar|tgz|gz|br|zst|docx|xlsx|pptx|odt|ods|odp|epub)$/i;
const longest = 8 * 1024 * 1024;

/**
 * The files of a site, with the text of those that can hold words.
 * @throws DorlinError `folder-missing`
 */
export async function readSite(
  policyFile: string,
  policy: Policy,
  folder: string | undefined,
): Promise<SiteFile[] | undefined> {
  if (folder === undefined && policy.site.folder === undefined) return undefined;
  const root = siteFolder(policyFile, policy, folder);
  const paths = await filesOfSite(policyFile, policy, folder);
  const files: SiteFile[] = [];
  // A few at once: some sites have more files than a process may open.
  for (let at = 0; at < paths.length; at += 32) {
    const read = paths.slice(at, at + 32).map(async (path): Promise<SiteFile> => {
      const target = targetOf(path);
      const file = join(root, path);
      const isPacked = packed.test(path);
      if ((!worded.test(path) && !isPacked) || (await stat(file)).size > longest) return { path, target };
      if (isPacked) return { path, target, text: unpackedText(path, await readFile(file)) };
      return { path, target, text: decodeHtml(await readFile(file), '') };
    });
    files.push(...(await Promise.all(read)));
  }
  return files;
}
