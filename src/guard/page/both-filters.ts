import { mergedVary } from './forced-headers.js';
import type { FilteredPage, PageFilter, ServedPage } from '../visit/visit.js';

/**
 * Two filters as one: what the first makes of an answer is given to the second. For two guards in
 * one chain, and for a request whose address was rewritten on the way: both of its addresses count.
 */
export function bothFilters(first: PageFilter, second: PageFilter): PageFilter {
  const then = (page: ServedPage, made: FilteredPage | undefined) => {
    if (made?.kind === 'answer') return made;
    // The tag is of what the application sent; nothing may be remembered of another body by it.
    const changed = made === undefined || made.kind === 'as-it-is' ? {} : { body: made.body, letters: undefined };
    const filtered = second.filter({ ...page, ...changed, etag: undefined });
    return filtered instanceof Promise ? filtered.then((other) => joined(made, other)) : joined(made, filtered);
  };
  return {
    isCertain: first.isCertain || second.isCertain,
    mayCut: first.mayCut || second.mayCut,
    takesParts: () => first.takesParts() && second.takesParts(),
    mayBeCoded: false,
    concerns: (type) => first.concerns(type) || second.concerns(type),
    isPlain: (etag, type) => first.isPlain(etag, type) && second.isPlain(etag, type),
    known: () => undefined,
    filter(page) {
      const made = first.filter(page);
      return made instanceof Promise ? made.then((found) => then(page, found)) : then(page, made);
    },
  };
}

/** What two filters made of one answer, the second of what the first left. */
function joined(
  first: Exclude<FilteredPage, { kind: 'answer' }> | undefined,
  second: FilteredPage | undefined,
): FilteredPage | undefined {
  if (first === undefined || second?.kind === 'answer') return second;
  if (second === undefined) return first;
  const before = first.headers ?? {};
  const after = second.headers ?? {};
  const vary = mergedVary(String(before['vary'] ?? ''), String(after['vary'] ?? ''));
  const headers = { ...before, ...after, ...(vary === '' ? {} : { vary }) };
  const body = second.kind === 'as-it-is' ? (first.kind === 'as-it-is' ? undefined : first.body) : second.body;
  return body === undefined ? { kind: 'as-it-is', headers } : { kind: 'changed', headers, body };
}
