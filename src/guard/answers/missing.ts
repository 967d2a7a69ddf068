import { base64url } from 'jose';
import { bytesOf, lettersOf } from '../../core/letters.js';
import { escapeHtml } from '../../core/screen/html.js';
import { textAnswer } from './answers.js';
import type { GuardContext } from '../context.js';
import type { Facts } from '../visit/facts.js';
import { pageFilter } from '../page/page-filter.js';
import type { FilteredPage, PageFilter, ServedPage, Verdict } from '../visit/visit.js';

/**
 * The verdict at a place that is hidden: the application is asked for an address at which there is
 * nothing, which nobody can know beforehand, and its answer is sent as if it were to the address
 * that was asked for. Where it does not say that something is wrong, because one of its routes
 * takes any address, it is not listened to.
 */
export function missingVerdict(context: GuardContext, facts: Facts): Verdict {
  const token = base64url.encode(context.options.random(16));
  const query = context.target.indexOf('?');
  const target = `/${token}${query < 0 ? '' : context.target.slice(query)}`;
  // What answers in its stead is a page like others: sections of it may be locked, and have a bar.
  const inner = pageFilter(context, { facts, isMissing: true });
  return { kind: 'missing', target, page: missingFilter(context, token, inner) };
}

/** The answer where the application's cannot be taken. */
export const nothingHere = textAnswer(404, 'There is nothing here.');

function missingFilter(context: GuardContext, token: string, inner: PageFilter | undefined): PageFilter {
  const asked = (context.target.split('?', 1)[0] ?? '/').slice(1);
  const inItsOwnWords = (page: ServedPage): ReturnType<PageFilter['filter']> => {
    const { status, contentType, body } = page;
    const headers = page.headers?.() ?? {};
    if (status < 400 || body === undefined || Object.values(headers).flat().join().includes(token)) {
      return nothingHere;
    }
    const letters = page.letters?.() ?? lettersOf(body);
    if (!letters.includes(token)) return inner?.filter(page);
    const shown = /html|xml/i.test(contentType) ? escapeHtml(asked) : asked;
    const reworded = bytesOf(letters.replaceAll(token, () => shown));
    const finish = (filtered: FilteredPage | undefined): FilteredPage => {
      if (filtered === undefined) return { kind: 'reworded', body: reworded };
      return filtered.kind === 'as-it-is' ? { ...filtered, kind: 'changed', body: reworded } : filtered;
    };
    const filtered = inner?.filter({
      ...page,
      body: reworded,
      letters: undefined,
      etag: undefined,
    });
    return filtered instanceof Promise ? filtered.then(finish) : finish(filtered);
  };
  return {
    isCertain: true,
    mayCut: true,
    takesParts: () => false,
    mayBeCoded: true,
    concerns: (type) => inner?.concerns(type) === true,
    isPlain: () => false,
    known: () => undefined,
    filter: inItsOwnWords,
  };
}
