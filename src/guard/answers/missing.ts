import { locksBefore } from '../../core/decide.js';
import { bytesOf, lettersOf } from '../../core/letters.js';
import type { Lock, Policy } from '../../core/policy/types.js';
import type { RandomBytes } from '../../core/ports.js';
import { escapeHtml } from '../../core/screen/html.js';
import { textAnswer } from './answers.js';
import type { GuardContext } from '../context.js';
import type { Facts } from '../visit/facts.js';
import { pageFilter } from '../page/page-filter.js';
import type { FilteredPage, PageFilter, ServedPage, Verdict } from '../visit/visit.js';

/** An address at which there is nothing, next to one that is hidden. */
export interface Neighbor {
  readonly target: string;
  /** Parts of its path that are others, and what they are in the address that was asked for. */
  readonly names: readonly { readonly name: string; readonly asked: string }[];
}

/**
 * The neighbor of a hidden address: in the same folder, of the same shape and ending, with or without the same slash,
 * so that an application answers it as it answers any other missing address there. The name of the hidden place is
 * another one, and so are those below it, so that the application is told nothing of them.
 *
 * @param locks - those that hide the address
 */
export function neighborOf(policy: Policy, target: string, locks: readonly Lock[], random: RandomBytes): Neighbor {
  const [path = '/', ...query] = target.split('?');
  const parts = path.split('/');
  const filled = parts.flatMap((part, at) => (part === '' ? [] : [at]));
  const depth = Math.min(depthOfPlace(policy, target, locks) ?? Infinity, filled.length);
  const changed = filled.slice(Math.max(0, depth - 1));
  const names = changed.map((at) => {
    const asked = parts[at] ?? '';
    const end = at === filled.at(-1) ? (/\.[a-z0-9]{1,8}$/i.exec(asked)?.[0] ?? '') : '';
    const name = shaped(decoded(asked.slice(0, asked.length - end.length)), random) + end;
    parts[at] = name;
    return { name, asked };
  });
  // The start page has no name.
  const made = names.length > 0 ? parts.join('/') : `/${shaped('abcdefghijklmnopqrst', random)}`;
  return { target: [made, ...query].join('?'), names };
}

/** How many parts the place has by which one of these locks covers an address; undefined for a pattern. */
function depthOfPlace(policy: Policy, target: string, locks: readonly Lock[]): number | undefined {
  const read = policy.read(target);
  const readings = read.ok ? [...read.readings, ...(read.companions ?? []).map(({ reading }) => reading)] : [];
  for (const reading of readings) {
    for (const { says, lock, place } of policy.index.statements(reading)) {
      if (says !== 'covers' || !locks.includes(lock)) continue;
      if (place.kind === 'folder') return place.path.split('/').length - 1;
      return place.kind === 'site' ? 1 : undefined;
    }
  }
  return undefined;
}

/** A text of the same length and kind: letters for letters, digits for digits, signs as they are. */
function shaped(text: string, random: RandomBytes): string {
  const letters = 'abcdefghijklmnopqrstuvwxyz';
  for (;;) {
    const bytes = random(Math.max(1, text.length));
    const made = Array.from(text, (letter, at) => {
      const byte = bytes[at] ?? 0;
      if (/[-_.~]/.test(letter)) return letter;
      if (/\d/.test(letter)) return String(byte % 10);
      const other = letters[byte % 26] ?? 'x';
      return /[A-Z]/.test(letter) ? other.toUpperCase() : other;
    });
    const name = made.join('');
    if (name !== text || !/[a-z0-9]/i.test(text)) return name === '' || name === text ? `${name}x` : name;
  }
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

/**
 * The verdict at a place that is hidden: the application is asked for a neighbor at which there is nothing, and its
 * answer is sent as if it were to the address that was asked for. What strangers could ask for themselves is sent
 * whatever it says; at a neighbor that is locked, only that something is wrong, as one of the application's routes may
 * take any address.
 */
export function missingVerdict(context: GuardContext, facts: Facts, locks: readonly Lock[] = []): Verdict {
  const { guarded, options, target, now } = context;
  const neighbor = neighborOf(guarded.policy, target, locks, options.random);
  const isOpen = locksBefore(guarded.policy, neighbor.target, now).kind === 'open';
  // What answers in its stead is a page like others: sections of it may be locked, and have a bar.
  const inner = pageFilter(context, { facts, isMissing: true });
  return { kind: 'missing', target: neighbor.target, page: missingFilter(context, neighbor, isOpen, inner) };
}

/** The answer where the application's cannot be taken. */
export const nothingHere = textAnswer(404, 'There is nothing here.');

/** Shorter names may be in a text by chance: those are put back only where the whole path is. */
const tellingLength = 8;

function missingFilter(
  context: GuardContext,
  { target, names }: Neighbor,
  isOpen: boolean,
  inner: PageFilter | undefined,
): PageFilter {
  const pathOf = (text: string) => text.split('?', 1)[0] ?? '/';
  const changes = [{ name: pathOf(target), asked: pathOf(context.target) }, ...names].filter(
    ({ name }, at) => at === 0 || name.length >= tellingLength,
  );
  const isTold = (text: string) => changes.some(({ name }) => text.includes(name));
  const putBack = (text: string, as: (asked: string) => string = (asked) => asked) =>
    changes.reduce((said, { name, asked }) => said.replaceAll(name, () => as(asked)), text);
  const inItsOwnWords = (page: ServedPage): ReturnType<PageFilter['filter']> => {
    const { status, contentType, body } = page;
    const { location, ...headers } = page.headers?.() ?? {};
    if (body === undefined || isTold(Object.values(headers).flat().join())) return nothingHere;
    if (status < 400 && !isOpen) return nothingHere;
    const told = typeof location === 'string' && isTold(location) ? { location: putBack(location) } : undefined;
    const letters = page.letters?.() ?? lettersOf(body);
    if (!isTold(letters) && told === undefined) return inner?.filter(page);
    const reworded = bytesOf(putBack(letters, /html|xml/i.test(contentType) ? escapeHtml : undefined));
    const finish = (filtered: FilteredPage | undefined): FilteredPage => {
      if (filtered === undefined || filtered.kind === 'reworded')
        return { kind: 'reworded', headers: told, body: reworded };
      if (filtered.kind === 'answer') return filtered;
      const made = filtered.kind === 'as-it-is' ? reworded : filtered.body;
      return { kind: 'changed', headers: { ...filtered.headers, ...told }, body: made };
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
    keepsFraming: true,
    takesParts: () => false,
    mayBeCoded: true,
    concerns: (type) => inner?.concerns(type) === true,
    isPlain: () => false,
    known: () => undefined,
    filter: inItsOwnWords,
  };
}
