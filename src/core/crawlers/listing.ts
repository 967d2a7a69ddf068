import { bytesOf, lettersOf } from '../letters.js';
import { escapeHtml } from '../screen/html.js';
import { isUnknownType } from '../sections/media-type.js';
import { mayBeXmlListing, readXmlListing, type ListedPiece } from './xml-listing.js';

/** A sitemap or a feed that was read: what to leave out of it, where what is locked. */
export interface Listing {
  /** The addresses in a sitemap are all the site's own (protocol 0.9, "Sitemap file location"). */
  readonly kind: 'sitemap' | 'feed';
  /** All addresses that it names. */
  readonly addresses: readonly string[];
  /**
   * The listing without what is locked, one letter for each byte as it was given. Undefined where
   * nothing is.
   *
   * @param home - where to lead instead, if a feed must lead somewhere
   */
  without(isShut: (address: string) => boolean, home: string): string | undefined;
}

/** Whether an answer is a listing, or may be one, by its type and the end of its path. */
export function mayBeListing(contentType: string, target: string): boolean {
  const type = contentType.split(';', 1)[0]?.trim().toLowerCase() ?? '';
  if (/[/+]xml$|^application\/feed\+json$/.test(type) || isUnknownType(contentType)) return true;
  return /\.(?:xml|rss|atom|rdf)(?:\.gz)?$/i.test(target.split('?', 1)[0] ?? '');
}

/**
 * Whether a body begins as a listing does: a page of HTML never does, whatever its header says. Feeds are often sent
 * as `text/html`, and readers of feeds do not mind.
 *
 * @param letters - the body, one letter for each byte
 */
export const beginsAsListing = (letters: string): boolean =>
  /^(?:\xef\xbb\xbf)?\s*(?:<\?xml[\s?]|<(?:[\w.-]+:)?(?:urlset|sitemapindex|rss|RDF|feed)[\s/>]|\{[^]*https:\\?\/\\?\/jsonfeed\.org\\?\/version)/.test(
    letters.slice(0, 1024),
  );

/**
 * Reads a sitemap in XML or as lines of text, or a feed: RSS, Atom, JSON Feed 1.
 *
 * @param letters - the body, one letter for each byte
 * @param base - the whole address of the listing
 * @param isNamed - whether the policy says that it is a listing
 * @returns undefined where it is none; `broken` where it is or must be one that cannot be read
 */
export function readListing(letters: string, base: string, isNamed: boolean): Listing | 'broken' | undefined {
  // A byte order mark, and space that many programs leave before what must be the first.
  const start = /^(?:\xef\xbb\xbf)?\s*/.exec(letters)?.[0].length ?? 0;
  if (start === 0) return readWhole(letters, base, isNamed);
  const listing = readWhole(letters.slice(start), base, isNamed);
  if (typeof listing !== 'object') return listing;
  return {
    ...listing,
    without(isShut, home) {
      const left = listing.without(isShut, home);
      return left === undefined ? undefined : letters.slice(0, start) + left;
    },
  };
}

function readWhole(letters: string, base: string, isNamed: boolean): Listing | 'broken' | undefined {
  if (letters.startsWith('{')) return readJsonFeed(letters, base, isNamed);
  if (mayBeXmlListing(letters)) {
    const pieces = readXmlListing(letters, base);
    const kind = /<(?:[\w.-]+:)?(?:urlset|sitemapindex)[\s/>]/.test(letters) ? 'sitemap' : 'feed';
    return pieces === undefined ? 'broken' : listingOf(letters, pieces, kind);
  }
  return isNamed ? readLines(letters, base) : undefined;
}

function listingOf(letters: string, pieces: readonly ListedPiece[], kind: Listing['kind']): Listing {
  return {
    kind,
    addresses: pieces.flatMap(({ addresses }) => addresses),
    without(isShut, home) {
      let text = '';
      let end = 0;
      const shut = pieces.filter(({ addresses }) => addresses.some(isShut));
      // The outer one before those within it.
      for (const piece of shut.sort((one, other) => one.start - other.start)) {
        if (piece.start < end) continue;
        // Its line goes with it.
        const start = piece.home === undefined ? startOfLine(letters, piece.start, end) : piece.start;
        text += letters.slice(end, start);
        if (piece.home !== undefined) text += `<${piece.home}>${escapeHtml(home)}</${piece.home}>`;
        end = piece.end;
      }
      return shut.length === 0 ? undefined : text + letters.slice(end);
    },
  };
}

/** Where a line begins of which only spaces come before a place; else that place. */
function startOfLine(letters: string, place: number, first: number): number {
  let at = place;
  while (at > first && (letters[at - 1] === ' ' || letters[at - 1] === '\t')) at--;
  return at > first && letters[at - 1] === '\n' ? at - 1 : place;
}

/** A sitemap of plain lines; anything else at its address cannot be read. */
function readLines(letters: string, base: string): Listing | 'broken' {
  const pieces: ListedPiece[] = [];
  let start = 0;
  for (const line of letters.split(/(?<=\n)/)) {
    const text = line.trim();
    if (text !== '') {
      if (!/^https?:\/\/\S+$/i.test(text) || !URL.canParse(text, base)) return 'broken';
      pieces.push({ start, end: start + line.length, addresses: [new URL(text, base).href] });
    }
    start += line.length;
  }
  return {
    ...listingOf(letters, pieces, 'sitemap'),
    without(isShut) {
      const left = pieces.filter(({ addresses }) => !addresses.some(isShut));
      if (left.length === pieces.length) return undefined;
      return left.map((piece) => letters.slice(piece.start, piece.end)).join('');
    },
  };
}

type Json = string | number | boolean | null | Json[] | { [key: string]: Json };

function readJsonFeed(letters: string, base: string, isNamed: boolean): Listing | 'broken' | undefined {
  let feed: Json;
  try {
    const bytes = bytesOf(letters);
    feed = JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytes)) as Json;
  } catch {
    return isNamed ? 'broken' : undefined;
  }
  const isFeed =
    isObject(feed) &&
    typeof feed['version'] === 'string' &&
    feed['version'].startsWith('https://jsonfeed.org/version/');
  if (!isFeed) return isNamed ? 'broken' : undefined;
  const addresses: string[] = [];
  prune(feed, base, (address) => {
    addresses.push(address);
    return false;
  });
  return {
    kind: 'feed',
    addresses,
    without(isShut) {
      const out = new Set(addresses.filter(isShut));
      if (out.size === 0) return undefined;
      const pruned = prune(feed, base, (address) => out.has(address));
      return lettersOf(new TextEncoder().encode(`${JSON.stringify(pruned, null, 2)}\n`));
    },
  };
}

const isObject = (value: Json | undefined): value is { [key: string]: Json } =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** What says which thing an object in a list is about; where that is out, so is the thing. */
const isAbout = (key: string) => key === 'url' || key === 'id' || key === 'external_url';

/** A value without addresses that are out; undefined where nothing is left of it. */
function prune(value: Json, base: string, isOut: (address: string) => boolean): Json | undefined {
  if (typeof value === 'string') {
    if (!/^(?:https?:)?\/\S*$/i.test(value) || !URL.canParse(value, base)) return value;
    return isOut(new URL(value, base).href) ? undefined : value;
  }
  if (Array.isArray(value)) {
    return value.flatMap((one) => {
      const left = prune(one, base, isOut);
      const isGone = isObject(one) && isObject(left) && Object.keys(one).some((key) => isAbout(key) && !(key in left));
      return left === undefined || isGone ? [] : [left];
    });
  }
  if (!isObject(value)) return value;
  const entries = Object.entries(value).flatMap(([key, inner]): [string, Json][] => {
    const left = prune(inner, base, isOut);
    return left === undefined ? [] : [[key, left]];
  });
  return Object.fromEntries(entries);
}
