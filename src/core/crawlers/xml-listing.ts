import { SaxesParser, type SaxesTagPlain } from 'saxes';

/** A part of a listing that names addresses, and goes with them. */
export interface ListedPiece {
  /** Where it begins and ends in the source, in letters. */
  readonly start: number;
  readonly end: number;
  /** Whole addresses (`https://…`) that it names. */
  readonly addresses: readonly string[];
  /** The element that must be there, and then leads to the start page. */
  readonly home?: string | undefined;
}

/** What a listing names its entries, by the local name of its root element. */
const entryNames: Readonly<Record<string, string>> = {
  urlset: 'url',
  sitemapindex: 'sitemap',
  rss: 'item',
  RDF: 'item',
  feed: 'entry',
};

/** Whether a text may be a sitemap or a feed, by the beginning of its root element. */
export const mayBeXmlListing = (letters: string) =>
  /<(?:[\w.-]+:)?(?:urlset|sitemapindex|rss|RDF|feed)[\s/>]/.test(letters);

const addressAttributes = new Set(['href', 'url', 'src', 'about', 'resource']);
/** How deep elements may be nested; feeds have XHTML in them, but no more than that. */
const maxDepth = 256;

/** Elements whose text is an address, however it is written. */
const addressElements = new Set(['loc', 'link', 'comments', 'docs', 'uri', 'logo', 'icon']);
/** Elements by which an entry says what it is about. */
/** Relations by which an entry says where it is (RFC 4287 section 4.2.7.2), as words or whole. */
const identityRelation =
  /^\s*(?:https?:\/\/www\.iana\.org\/assignments\/(?:relation|link-relations)\/)?(?:alternate|self)\s*$/i;
const identities = { sitemap: new Set(['loc']), feed: new Set(['link', 'guid', 'id']) };
/** Elements that hold what a page says; whatever it links to, it does so on the page as well. */
const contents = new Set(['content', 'description', 'encoded', 'summary', 'subtitle', 'rights']);
/** Elements that a feed must have, and that lead to the start page instead of nowhere. */
const required = new Set(['link', 'id']);

interface OpenElement {
  readonly name: string;
  readonly local: string;
  readonly start: number;
  readonly base: string;
  readonly addresses: string[];
  readonly isIdentity: boolean;
  text: string;
  hasChildren: boolean;
}

/**
 * Reads a sitemap (sitemaps.org protocol 0.9), a sitemap index, or a feed: RSS 0.9 to 2.0, Atom
 * (RFC 4287). Given one letter for each byte, as markup is ASCII, whatever the encoding.
 *
 * @param base - the address of the listing
 * @returns the pieces that name addresses; undefined where it is none of these, or is broken
 */
export function readXmlListing(letters: string, base: string): ListedPiece[] | undefined {
  const parser = new SaxesParser();
  const pieces: ListedPiece[] = [];
  const open: OpenElement[] = [];
  let entry: string | undefined;
  let start = 0;
  // What stands in an entry is left out with the child of the entry that it is in.
  let inEntry: { readonly depth: number; readonly start: number; readonly identities: string[] } | undefined;
  let inChild: { readonly start: number; readonly addresses: string[] } | undefined;

  parser.on('error', (error) => {
    throw error;
  });
  parser.on('opentagstart', () => {
    start = letters.lastIndexOf('<', parser.position - 1);
  });
  parser.on('opentag', (tag: SaxesTagPlain) => {
    const local = localName(tag.name);
    if (open.length > maxDepth) throw new Error('nested too deeply');
    const above = open.at(-1);
    if (above !== undefined) above.hasChildren = true;
    else {
      entry = entryNames[local];
      if (entry === undefined) throw new Error('neither a sitemap nor a feed');
    }
    const attributes = Object.entries(tag.attributes);
    const ownBase = attributes.find(([name]) => name === 'xml:base')?.[1];
    const over = above?.base ?? base;
    const elementBase = ownBase === undefined ? over : (resolved(ownBase, over) ?? over);
    const addresses = attributes.flatMap(([name, value]) =>
      addressAttributes.has(localName(name)) ? (resolved(value, elementBase) ?? []) : [],
    );
    if (inEntry === undefined && local === entry) {
      inEntry = { depth: open.length, identities: addresses, start };
    } else if (local === 'channel' || open.length === 0) {
      // These cannot be left out alone.
      if (ownBase !== undefined) addresses.push(...withPath(elementBase));
      if (addresses.length > 0) pieces.push({ start: 0, end: letters.length, addresses });
    } else if (inChild === undefined && open.length === childDepth()) {
      inChild = { start, addresses: [] };
    }
    const rel = tag.attributes['rel'];
    const isSitemap = entry === 'url' || entry === 'sitemap';
    open.push({
      name: tag.name,
      local,
      start,
      base: elementBase,
      addresses,
      isIdentity:
        identities[isSitemap ? 'sitemap' : 'feed'].has(local) && (rel === undefined || identityRelation.test(rel)),
      text: '',
      hasChildren: false,
    });
  });
  /** How deep the children lie that are left out one by one: of an entry, of a channel, of a root. */
  const childDepth = () => {
    if (inEntry !== undefined) return inEntry.depth + 1;
    return open.length > 1 && open[1]?.local === 'channel' ? 2 : 1;
  };
  const hear = (text: string) => {
    const element = open.at(-1);
    if (element !== undefined) element.text += text;
  };
  // An entry that was only commented out is in the text that is sent all the same.
  parser.on('comment', (comment) => {
    // The parser tells of a comment before it has read the last letter of it.
    const end = letters.indexOf('>', parser.position - 1) + 1;
    const addresses = addressesIn(comment, open.at(-1)?.base ?? base);
    if (addresses.length > 0) {
      pieces.push({ start: letters.lastIndexOf('<!--', end - 1), end, addresses });
    }
  });
  parser.on('text', hear);
  parser.on('cdata', hear);
  parser.on('closetag', () => {
    const element = open.pop();
    if (element === undefined) return;
    const end = parser.position;
    const text = element.text.trim();
    if (!element.hasChildren && isAddress(text, element.local)) {
      const address = resolved(text, element.base);
      if (address !== undefined) element.addresses.push(address);
    }
    const isDirect = inEntry !== undefined && open.length === inEntry.depth + 1;
    if (inEntry !== undefined && isDirect && element.isIdentity) {
      inEntry.identities.push(...element.addresses);
    }
    if (inEntry !== undefined && open.length === inEntry.depth) {
      pieces.push({ start: inEntry.start, end, addresses: inEntry.identities });
      inEntry = undefined;
      inChild = undefined;
      return;
    }
    if (inChild === undefined) return;
    // Content that lies elsewhere is what the entry is (RFC 4287 section 4.1.3.2).
    if (inEntry !== undefined && isDirect && element.local === 'content') {
      inEntry.identities.push(...element.addresses);
    }
    if (!open.some(({ local }) => contents.has(local))) inChild.addresses.push(...element.addresses);
    if (open.length !== childDepth()) return;
    if (inChild.addresses.length > 0) {
      const isRequired = inEntry === undefined && required.has(element.local);
      const home = isRequired && !element.hasChildren && text !== '' ? element.name : undefined;
      pieces.push({ start: inChild.start, end, addresses: inChild.addresses, home });
    }
    inChild = undefined;
  });
  try {
    parser.write(letters).close();
  } catch {
    return undefined;
  }
  return pieces;
}

/** A base that says no more than the site's name is no place. */
const withPath = (address: string) => (new URL(address).pathname === '/' ? [] : [address]);

const localName = (name: string) => name.slice(name.indexOf(':') + 1);

/** Whole addresses, and paths, wherever they stand in a text. */
function addressesIn(text: string, base: string): string[] {
  const found = text.match(/https?:\/\/[^\s<>"']+|(?<=[\s"'>=]|^)\/[^\s<>"']+/gi) ?? [];
  return found.flatMap((address) => resolved(address, base) ?? []);
}

function isAddress(text: string, local: string): boolean {
  if (text === '' || /\s/.test(text)) return false;
  return addressElements.has(local) || /^(?:https?:)?\//i.test(text);
}

/** Letters that stand for the bytes of UTF-8 are read as such. */
function resolved(address: string, base: string): string | undefined {
  const letters = address.trim();
  const text = /[\x80-\xff]/.test(letters) ? fromBytes(letters) : letters;
  try {
    const url = new URL(text, base);
    return /^https?:$/.test(url.protocol) ? url.href : undefined;
  } catch {
    return undefined;
  }
}

function fromBytes(letters: string): string {
  const bytes = Uint8Array.from(letters, (letter) => letter.charCodeAt(0));
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return letters;
  }
}
