import { Parser } from 'htmlparser2';
import { markAttribute } from '../sections/tree.js';

/** What a page leads to and shows, and what it says. */
export interface PageFacts {
  /** Request targets on the same site, each once, and whether one of them stands bare in a menu. */
  readonly links: ReadonlyMap<string, { readonly isBareMenu: boolean }>;
  /** Request targets of what it needs to look as it should: style sheets, scripts, pictures, media. */
  readonly needs: readonly string[];
  readonly ids: ReadonlySet<string>;
  /** Names of locks that its elements are put under, and that its menus go by. */
  readonly lockNames: ReadonlySet<string>;
  /** Its text, in words. */
  readonly words: readonly string[];
}

const attributes = ['href', 'src', 'poster', 'data'];
/** Elements whose text nobody reads. */
const silent = new Set(['script', 'style', 'template', 'head', 'noscript']);
/** Elements that show what they name, or run it. */
const needing = new Set(['img', 'source', 'script', 'video', 'audio', 'track', 'input', 'embed']);
const nameAttributes = [markAttribute, 'data-dorlin-if', 'data-dorlin-unless'];

/** What is known of an element and all around it. */
interface Around {
  readonly isSilent: boolean;
  readonly isMenu: boolean;
  /** Whether it or what is around it goes by open locks. */
  readonly isConditional: boolean;
}

const outside: Around = { isSilent: false, isMenu: false, isConditional: false };

/**
 * Reads what `check` goes by out of a page. By a parser that is quick and not exact to the letter of the
 * standard: these are likely mistakes of owners, and sites have thousands of pages.
 *
 * @param base - its whole address, on any host
 */
export function readPageFacts(html: string, base: string): PageFacts {
  const links = new Map<string, { isBareMenu: boolean }>();
  const needs = new Set<string>();
  const ids = new Set<string>();
  const lockNames = new Set<string>();
  const { origin } = new URL(base);
  const stack: Around[] = [];
  const here = (value: string) => targetOf(value, base, origin);
  // What stands between two tags comes in pieces where it has entities in it.
  let text = '';
  const parser = new Parser({
    onopentag(tag, of) {
      const around = stack.at(-1) ?? outside;
      const isMenu = around.isMenu || tag === 'nav' || of['role'] === 'navigation';
      const isConditional = around.isConditional || of['data-dorlin-if'] !== undefined;
      stack.push({ isSilent: around.isSilent || silent.has(tag), isMenu, isConditional });
      text += ' ';
      if (of['id'] !== undefined) ids.add(of['id']);
      for (const name of nameAttributes) {
        if (of[name] === undefined) continue;
        for (const lock of of[name].split(/\s+/)) if (lock !== '') lockNames.add(lock);
      }
      const isNeeded = needing.has(tag) || isStyleSheet(tag, of);
      for (const value of addressesOf(of)) {
        const target = here(value);
        if (target === undefined) continue;
        if (isNeeded) needs.add(target);
        // What a page is made to look with is its own business.
        if (tag === 'link' || tag === 'script') continue;
        const link = links.get(target) ?? { isBareMenu: false };
        link.isBareMenu ||= tag === 'a' && isMenu && !isConditional;
        links.set(target, link);
      }
    },
    ontext(part) {
      if (stack.at(-1)?.isSilent === true) return;
      text += part;
    },
    onclosetag() {
      text += ' ';
      stack.pop();
    },
  });
  parser.end(html);
  return { links, needs: [...needs], ids, lockNames, words: wordsIn(text) };
}

/** The addresses of what a page needs to look as it should, as they stand in it. */
export function neededIn(html: string): string[] {
  const needs = new Set<string>();
  const parser = new Parser({
    onopentag(tag, of) {
      if (!needing.has(tag) && !isStyleSheet(tag, of)) return;
      for (const address of addressesOf(of)) needs.add(address);
    },
  });
  parser.end(html);
  return [...needs];
}

/** Whether an element names what its page looks with. */
function isStyleSheet(tag: string, of: Readonly<Record<string, string>>): boolean {
  return tag === 'link' && (of['rel'] ?? '').toLowerCase().split(/\s+/).includes('stylesheet');
}

function addressesOf(of: Readonly<Record<string, string>>): string[] {
  const found: string[] = [];
  for (const name of attributes) if (of[name] !== undefined && of[name] !== '') found.push(of[name]);
  if (of['srcset'] !== undefined) {
    for (const one of of['srcset'].split(',')) {
      const address = one.trim().split(/\s/)[0] ?? '';
      if (address !== '') found.push(address);
    }
  }
  return found;
}

/** The request target of an address in a page; undefined where it leads elsewhere. */
function targetOf(value: string, base: string, origin: string): string | undefined {
  // Most of a page's links; they need no parser, and lead nowhere.
  if (value.startsWith('#')) return undefined;
  try {
    const url = new URL(value, base);
    return url.origin === origin ? url.pathname : undefined;
  } catch {
    return undefined;
  }
}

/** The words of a text, in small letters, without what stands between them. */
export function wordsIn(text: string): string[] {
  return text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [];
}
