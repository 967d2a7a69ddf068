import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Parser } from 'htmlparser2';
import { loadPolicy } from '../stores/policy-file.js';
import { isOwnFile } from '../stores/own-files.js';
import { siteFiles, targetOf } from '../server/site-files.js';
import { siteFolder } from './site-files.js';

/** A part of a page that can be locked by itself: an element with an id. */
export interface PagePart {
  readonly id: string;
  readonly tag: string;
  /** Its heading, or how its text begins. */
  readonly text: string;
}

/** The parts of a page. */
export interface PageParts {
  readonly path: string;
  readonly parts: readonly PagePart[];
}

/** Elements that are worth a lock: what holds something. */
const holders = new Set(
  'article aside details div dl figure footer form header main nav ol p section table ul blockquote'.split(' '),
);
const isHeading = (tag: string) => /^h[1-6]$/.test(tag);
const most = 300;

/**
 * The parts of a page that have an id, in the order in which they stand.
 * @throws DorlinError `folder-missing`
 */
export async function pageParts(policyFile: string, path: string): Promise<PageParts> {
  const policy = await loadPolicy(policyFile);
  const root = siteFolder(policyFile, policy);
  const wanted = policy.read(path.startsWith('/') ? encodeURI(path) : path);
  const readings = new Set(wanted.ok ? wanted.readings : []);
  const files = await siteFiles(root, isOwnFile(policyFile, policy));
  const file = files.find((one) => {
    if (!policy.site.extensions.some((end) => one.endsWith(end))) return false;
    const read = policy.read(targetOf(one));
    return read.ok && read.readings[0] !== undefined && readings.has(read.readings[0]);
  });
  return { path, parts: file === undefined ? [] : partsOf(await readFile(join(root, file), 'utf8')) };
}

/**
 * In time linear in the page: what is open is counted, and only parts that still need words are told them.
 * @param html - of a page of the owner’s own
 */
export function partsOf(html: string): PagePart[] {
  type Found = { readonly id: string; readonly tag: string; text: string; heading: string };
  const found: Found[] = [];
  const open: { readonly name: string; readonly part: Found | undefined }[] = [];
  /** Parts that are open and have no heading yet, the innermost last. */
  let wordless: Found[] = [];
  let quiet = 0;
  let headings = 0;
  const count = (name: string, by: 1 | -1) => {
    if (name === 'script' || name === 'style') quiet += by;
    if (isHeading(name)) headings += by;
  };
  const parser = new Parser({
    onopentag(name, { id }) {
      const isPart = id !== undefined && id !== '' && holders.has(name) && found.length < most;
      const part = isPart ? { id, tag: name, text: '', heading: '' } : undefined;
      if (part !== undefined) {
        found.push(part);
        wordless.push(part);
      }
      open.push({ name, part });
      count(name, 1);
    },
    ontext(text) {
      if (quiet > 0 || wordless.length === 0) return;
      const words = text.slice(0, enough);
      for (const part of wordless) {
        if (headings > 0 && part.heading.length < enough) part.heading += words;
        if (part.text.length < enough) part.text += words;
      }
    },
    onclosetag() {
      const closed = open.pop();
      if (closed === undefined) return;
      count(closed.name, -1);
      // The first heading is what it is called by.
      if (isHeading(closed.name)) wordless = wordless.filter(({ heading }) => heading.trim() === '');
      if (closed.part !== undefined) wordless = wordless.filter((part) => part !== closed.part);
    },
  });
  parser.end(html);
  const short = (text: string) => text.replace(/\s+/g, ' ').trim().slice(0, 80);
  return found.map(({ id, tag, text, heading }) => ({ id, tag, text: short(heading) || short(text) }));
}

const enough = 120;
