import { decodeHTMLAttribute } from 'entities';
import { readListing } from '../core/crawlers/listing.js';
import type { SiteAddresses } from './site-addresses.js';

/** What a body is, as far as it is read for addresses and words. */
export type BodyKind = 'page' | 'style' | 'script' | 'data' | 'listing' | 'robots' | 'text';

/** Attributes that hold an address; `srcset` and its kin hold several. */
const addressAttribute =
  /[\s"'](?:href|src|poster|data|action|background|manifest|cite|xlink:href|data-[a-z-]*(?:src|url|href|file))\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s"'>]+))/gi;
/** `content` holds an address where it looks like one: of pictures for previews, of a refresh. */
const contentAddress = /\scontent\s*=\s*["']?(?:\d+\s*[;,]\s*url\s*=\s*)?['"]?((?:https?:\/\/|\.{0,2}\/)[^"'\s>]+)/gi;
const setAttribute = /[\s"'](?:imagesrcset|(?:data-)?srcset)\s*=\s*(?:"([^"]*)"|'([^']*)')/gi;
const styleAddress = /url\(\s*(?:"([^"]*)"|'([^']*)'|([^)"'\s]+))\s*\)|@import\s+(?:"([^"]*)"|'([^']*)')/gi;
/** A string in a script or in data that is an address, or a file's name. */
const stringAddress =
  /["'`]((?:https?:\/\/|\.{0,2}\/)[^"'`\s<>\\,;()]{1,400}|[\w@~-][\w.@~/-]{0,200}\.(?:html?|json|jsonl|geojson|m?js|css|xml|rss|atom|txt|csv|md|ics|vtt|pdf|png|jpe?g|gif|webp|avif|svg|mp[34]|webm|ogg|zip|gz|map|wasm|webmanifest))["'`]/gi;
const inlineScript = /<(script|style)\b[^>]*>([^]*?)<\/\1\s*>/gi;
const mapAddress = /[#@]\s*sourceMappingURL=([^\s'"*]+)/g;

/** What is to be read of a site's body, and where. */
interface Readable {
  readonly text: string;
  readonly kind: BodyKind;
  /** The target that it was asked by. */
  readonly target: string;
  readonly headers: Readonly<Record<string, string>>;
}

/** All addresses of the site that an answer names, as targets; each once. */
export function addressesIn(readable: Readable, site: SiteAddresses): string[] {
  const found = new Set<string>();
  const { text, kind, target, headers } = readable;
  let base = target;
  const add = (address: string | undefined) => {
    if (address === undefined || address === '') return;
    const one = site.targetOf(address, base);
    if (one !== undefined) found.add(one);
  };
  for (const name of ['location', 'content-location', 'sourcemap', 'x-sourcemap']) {
    add(headers[name]);
  }
  for (const [, address] of (headers['link'] ?? '').matchAll(/<([^>]+)>/g)) add(address);

  switch (kind) {
    case 'page': {
      // Most of what is looked for stands in the head, and most of a page does not.
      const head = text.slice(0, /<\/head|<body/i.exec(text)?.index);
      const own = /<base\b[^>]*\bhref\s*=\s*["']?([^"'\s>]+)/i.exec(head)?.[1];
      if (own !== undefined) base = site.targetOf(own, target) ?? base;
      for (const [, double, single, bare] of text.matchAll(addressAttribute)) {
        add(decodedAddress(double ?? single ?? bare ?? ''));
      }
      for (const [, address = ''] of head.matchAll(contentAddress)) add(decodedAddress(address));
      for (const [, double, single] of text.includes('srcset') ? text.matchAll(setAttribute) : []) {
        for (const one of (double ?? single ?? '').split(/,\s+|,(?=\/|https?:)/)) {
          add(decodedAddress(one.trim().split(/\s/, 1)[0] ?? ''));
        }
      }
      for (const [, name = '', inside = ''] of text.matchAll(inlineScript)) {
        if (inside.trim() === '') continue;
        if (name.toLowerCase() === 'script') addMatches(inside.replaceAll('\\/', '/'), stringAddress, add);
        addMatches(inside, styleAddress, add);
      }
      if (text.includes('url(')) {
        addMatches(text.replace(/&(?:quot|#34|#39);/g, '"'), styleAddress, add);
      }
      break;
    }
    case 'style':
      addMatches(text, styleAddress, add);
      addMatches(text, mapAddress, add);
      break;
    case 'script':
    case 'data':
      addMatches(text.replaceAll('\\/', '/'), stringAddress, add);
      addMatches(text, mapAddress, add);
      break;
    case 'listing': {
      // A feed names the site by any of its hosts; the guard looks at the path as well.
      for (const address of listedIn(text, target)) add(address.replace(/^https?:\/\/[^/?#]*(?=\/)/i, ''));
      break;
    }
    case 'robots':
      for (const [, address] of text.matchAll(/^\s*sitemap\s*:\s*(\S+)/gim)) add(address);
      for (const [, path = ''] of text.matchAll(/^\s*(?:dis)?allow\s*:\s*(\/[^\s#*$]*)/gim)) add(path);
      break;
    case 'text':
      for (const [address] of text.matchAll(/https?:\/\/[^\s<>"')\]]+/g)) add(address);
      for (const [, address] of text.matchAll(/\]\(([^\s)]+)\)/g)) add(address);
  }
  return [...found];
}

/** The addresses in a sitemap or feed; in one that cannot be read, whatever looks like one. */
export function listedIn(text: string, target: string): readonly string[] {
  const letters = Buffer.from(text, 'utf8').toString('latin1');
  const listing = readListing(letters, `http://listing.invalid${target}`, true);
  if (typeof listing === 'object') {
    // What was written without a host stands on this one.
    return listing.addresses.map((one) => one.replace(/^http:\/\/listing\.invalid(?=\/)/, ''));
  }
  return [...text.matchAll(/https?:\/\/[^\s<>"']+/g)].map(([address]) => address);
}

function addMatches(text: string, pattern: RegExp, add: (address: string | undefined) => void) {
  for (const [, one, two, three, four, five] of text.matchAll(pattern)) {
    add(one ?? two ?? three ?? four ?? five);
  }
}

const decodedAddress = (text: string) => (text.includes('&') ? decodeHTMLAttribute(text) : text);
