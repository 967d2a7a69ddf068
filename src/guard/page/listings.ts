import { isUnknownType } from '../../core/sections/media-type.js';
import { beginsAsListing, mayBeListing, type Listing } from '../../core/crawlers/listing.js';
import { readSiteListing, shutAddresses } from '../../core/crawlers/site-listing.js';
import { bytesOf, lettersOf } from '../../core/letters.js';
import { accessOfStranger, accessTo } from '../../core/access.js';
import { privately, textAnswer } from '../answers/answers.js';
import { tell, type GuardContext } from '../context.js';
import { factsOf, type Facts } from '../visit/facts.js';
import { keyOf } from './sections.js';
import { gunzipped, gzipped, isGzip } from './gzip.js';
import { shownPath } from '../visit/target.js';
import { type FilteredPage, type ServedPage } from '../visit/visit.js';

type Filtered = FilteredPage | undefined;

/** Whether the policy says that there is a sitemap or a feed at an address. */
export function isNamedListing({ guarded, target }: GuardContext): boolean {
  if (guarded.listings.size === 0) return false;
  const read = guarded.policy.read(target);
  return read.ok && read.readings.some((reading) => guarded.listings.has(reading));
}

/** Whether an answer of this type may be a sitemap or a feed. */
export const concernsListing = ({ target }: GuardContext, contentType: string) => mayBeListing(contentType, target);

/**
 * A sitemap or a feed without what is not open to the visitor. Undefined where it is none, or
 * names nothing that is locked to anybody.
 */
export function filterListing(
  context: GuardContext,
  known: Facts | undefined,
  page: ServedPage,
  isNamed: boolean,
): Filtered | Promise<Filtered> {
  const { contentType, body } = page;
  const isHtml = /^text\/html\s*(;|$)/i.test(contentType);
  // By its name or type it is a listing. A page, or what has no certain type, is one if it begins like one.
  const isSure =
    !isHtml && (isNamed || mayBeListing(isUnknownType(contentType) ? plainType : contentType, context.target));
  if (!isSure && !isHtml && !isUnknownType(contentType)) return undefined;
  if (body === undefined) return isSure ? unreadable(context) : undefined;
  if (body.length === 0) return undefined;
  const mayBe = (plain: Uint8Array) => isSure || beginsAsListing(lettersOf(plain.subarray(0, 1024)));
  if (!isGzip(body)) return mayBe(body) ? withoutLocked(context, known, page, body, isNamed) : undefined;
  return gunzipped(body).then(async (plain) => {
    if (plain === undefined) return isSure ? unreadable(context) : undefined;
    if (!mayBe(plain)) return undefined;
    const filtered = await withoutLocked(context, known, { ...page, letters: undefined }, plain, isNamed);
    return filtered?.kind === 'changed' ? { ...filtered, body: await gzipped(filtered.body) } : filtered;
  });
}

/** Stands for a type that says nothing: then the address decides. */
const plainType = 'text/plain';

function withoutLocked(
  context: GuardContext,
  known: Facts | undefined,
  page: ServedPage,
  body: Uint8Array,
  isNamed: boolean,
): Filtered | Promise<Filtered> {
  const listing = knownListing(context, page, body, isNamed);
  if (listing === undefined) return undefined;
  const { guarded, now } = context;
  if (listing === 'broken') return unreadable(context);
  const { addresses } = listing;
  const asStranger = shutAddresses((path) => accessOfStranger(guarded.policy, path, now).open);
  // The same for everybody, and so no business of ours.
  if (!addresses.some(asStranger)) return undefined;
  const facts = known ?? factsOf(context);
  const then = (found: Facts): Filtered => {
    const isShut = shutAddresses((path) => accessTo(guarded.policy, path, found).open);
    const { origin } = guarded.policy.site;
    const letters = listing.without(isShut, `${origin ?? ''}/`);
    return letters === undefined
      ? { kind: 'as-it-is', headers: privately }
      : { kind: 'changed', headers: privately, body: bytesOf(letters) };
  };
  return facts instanceof Promise ? facts.then(then) : then(facts);
}

/** The answer to a listing that cannot be read; its owner is told, as nobody else would. */
function unreadable(context: GuardContext): FilteredPage {
  const path = shownPath(context.target);
  tell(context, { type: 'failed', message: `the sitemap or feed at ${path} cannot be read` });
  return textAnswer(403, 'This list may name something that is locked, and cannot be read for certain.');
}

function knownListing(
  context: GuardContext,
  { etag, letters, status }: ServedPage,
  body: Uint8Array,
  isNamed: boolean,
): Listing | 'broken' | undefined {
  const { guarded, caches, target } = context;
  const read = () => {
    const text = letters?.() ?? lettersOf(body);
    return readSiteListing(text, guarded.policy.site.origin, target, isNamed);
  };
  if (!etag || status !== 200) return read();
  const key = keyOf(context, etag);
  const known = caches.readListings.get(guarded.number, key);
  if (known !== undefined) return known.listing === 'none' ? undefined : known.listing;
  const listing = read();
  const size = typeof listing === 'object' ? body.length * 3 : 0;
  caches.readListings.set(guarded.number, key, { listing: listing ?? 'none', size });
  return listing;
}
