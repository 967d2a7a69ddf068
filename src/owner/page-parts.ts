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

/** @param html - of a page of the owner’s own */
export function partsOf(html: string): PagePart[] {
  const found: { id: string; tag: string; text: string; heading: string }[] = [];
  const open: { name: string; part: (typeof found)[number] | undefined; heading: boolean }[] = [];
  const parser = new Parser({
    onopentag(name, { id }) {
      const part =
        id !== undefined && id !== '' && holders.has(name) && found.length < most
          ? { id, tag: name, text: '', heading: '' }
          : undefined;
      if (part !== undefined) found.push(part);
      open.push({ name, part, heading: isHeading(name) });
    },
    ontext(text) {
      if (open.some(({ name }) => name === 'script' || name === 'style')) return;
      const inHeading = open.some(({ heading }) => heading);
      for (const { part } of open) {
        if (part === undefined) continue;
        if (inHeading && part.heading.length < 120) part.heading += text;
        if (part.text.length < 120) part.text += text;
      }
    },
    onclosetag() {
      open.pop();
    },
  });
  parser.end(html);
  const short = (text: string) => text.replace(/\s+/g, ' ').trim().slice(0, 80);
  return found.map(({ id, tag, text, heading }) => ({ id, tag, text: short(heading) || short(text) }));
}
