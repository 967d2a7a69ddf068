import { readFile } from 'node:fs/promises';
import { gunzipSync } from 'node:zlib';
import { readListing } from '../core/crawlers/listing.js';
import { DorlinError } from '../core/errors.js';

/** Most bytes of one, packed or not. */
const mostBytes = 2 ** 28;

/** A site, by its origins. */
export interface SitemapSite {
  readonly askedAt: string;
  readonly origin?: string | undefined;
}

/** Most sitemaps that an index may lead to. */
const mostSitemaps = 500;

/**
 * The addresses of a site that a sitemap names, as request targets, those of the sitemaps that it
 * names included.
 *
 * @param where - its address (`https://…/sitemap.xml`), or a file
 * @param site - where the site is asked, and where it says that it is: nothing else is asked or named then
 * @throws DorlinError `sitemap-unreadable`
 */
export async function addressesInSitemap(where: string, site?: SitemapSite): Promise<string[]> {
  const found = new Set<string>();
  const seen = new Set<string>();
  const waiting = [where];
  for (let one = waiting.shift(); one !== undefined; one = waiting.shift()) {
    if (seen.has(one)) continue;
    seen.add(one);
    if (seen.size > mostSitemaps) throw unreadable(where, `it leads to more than ${mostSitemaps} others`);
    const letters = await lettersAt(one, site === undefined ? 'follow' : 'error');
    const isFile = !/^https?:/i.test(one);
    const listing = readListing(letters, isFile ? 'http://site.invalid/' : one, true);
    if (typeof listing !== 'object') throw unreadable(one, 'it is no sitemap');
    // In a file, an index leads to nothing that could be found.
    const isIndex = /<(?:[\w.-]+:)?sitemapindex[\s>]/.test(letters);
    if (isIndex && isFile) throw unreadable(one, 'it is an index: name its address instead');
    for (const address of listing.addresses) {
      const url = new URL(address);
      if (site !== undefined && url.origin !== site.askedAt && url.origin !== site.origin) continue;
      if (isIndex) waiting.push(site === undefined ? address : site.askedAt + url.pathname + url.search);
      else found.add(url.pathname + url.search);
    }
  }
  return [...found];
}

function unreadable(where: string, why: string, cause?: unknown): DorlinError {
  return new DorlinError('sitemap-unreadable', `${where} cannot be read: ${why}.`, { cause });
}

async function lettersAt(where: string, redirect: 'follow' | 'error'): Promise<string> {
  const bytes = await (/^https?:/i.test(where) ? fetched(where, redirect) : readFile(where)).catch((cause: unknown) => {
    throw unreadable(where, cause instanceof Error ? cause.message : 'unknown', cause);
  });
  const isPacked = bytes[0] === 0x1f && bytes[1] === 0x8b;
  return (isPacked ? gunzipSync(bytes, { maxOutputLength: mostBytes }) : bytes).toString('latin1');
}

async function fetched(address: string, redirect: 'follow' | 'error'): Promise<Buffer> {
  const answer = await fetch(address, { redirect, signal: AbortSignal.timeout(20_000) });
  if (!answer.ok) throw new Error(`the answer is ${answer.status}`);
  const chunks: Uint8Array[] = [];
  let length = 0;
  for await (const chunk of answer.body ?? []) {
    length += (chunk as Uint8Array).length;
    if (length > mostBytes) throw new Error('it is longer than 256 MB');
    chunks.push(chunk);
  }
  return Buffer.concat(chunks);
}
