import { parse } from 'parse5';
import { DorlinError } from '../core/errors.js';
import { attribute, elementsIn } from '../core/sections/tree.js';

/** Something that a walk over a site met. */
export interface CrawledPage {
  /** Path and query. */
  readonly target: string;
  /** `undefined` where it did not answer, or was not asked. */
  readonly status: number | undefined;
}

/** Most addresses that are asked for. */
const mostPages = 2000;
/** How many are asked for at once. */
const atOnce = 6;

/** Where an address may stand in a page. */
const attributes = ['href', 'src', 'poster', 'data', 'action'];

/**
 * Walks over a site as a stranger, from one address on: everything of the same origin that its pages
 * lead to and show, each address once. Nothing is sent but GET.
 *
 * @throws DorlinError `site-unreachable` where the first address does not answer
 */
export async function crawlSite(start: string): Promise<CrawledPage[]> {
  if (!URL.canParse(start) || !/^https?:$/.test(new URL(start).protocol)) {
    throw new DorlinError('call-wrong', `\`${start}\` is no address of a site.`, {
      mend: 'Write it whole, such as `https://kestrelmoor.example`.',
    });
  }
  const { origin } = new URL(start);
  const found = new Map<string, CrawledPage>();
  const waiting: string[] = [];
  const add = (address: string, base: string) => {
    if (!URL.canParse(address, base)) return;
    const url = new URL(address, base);
    const target = url.pathname + url.search;
    if (url.origin !== origin || found.has(target) || found.size >= mostPages) return;
    found.set(target, { target, status: undefined });
    waiting.push(target);
  };
  const visit = async (target: string) => {
    const address = origin + target;
    try {
      const answer = await fetch(address, {
        redirect: 'manual',
        signal: AbortSignal.timeout(20_000),
      });
      found.set(target, { target, status: answer.status });
      const location = answer.headers.get('location');
      if (location !== null) add(location, address);
      if (!answer.headers.get('content-type')?.startsWith('text/html')) {
        await answer.body?.cancel();
        return;
      }
      const document = parse(await answer.text());
      const elements = elementsIn(document);
      const based = elements.find(({ tagName }) => tagName === 'base');
      const href = based === undefined ? undefined : attribute(based, 'href');
      const base = href !== undefined && URL.canParse(href, address) ? new URL(href, address).href : address; // prettier-ignore
      for (const element of elements) {
        if (element === based) continue;
        for (const name of attributes) {
          const value = attribute(element, name);
          // Dorlin's own forms lead nowhere.
          if (value !== undefined && !(name === 'action' && /post/i.test(attribute(element, 'method') ?? ''))) add(value, base); // prettier-ignore
        }
      }
    } catch (cause) {
      if (found.size === 1) {
        throw new DorlinError('site-unreachable', `${address} does not answer.`, { cause });
      }
    }
  };
  add(start, start);
  await visit(waiting.shift() ?? '/');
  while (waiting.length > 0) {
    await Promise.all(waiting.splice(0, atOnce).map(visit));
  }
  return [...found.values()];
}
