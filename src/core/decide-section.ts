import { openingAmong, type Decision, type Question, type Reason } from './decide.js';
import type { Lock, Policy } from './policy/types.js';
import { countsAt } from './policy/lock-state.js';

/** The locks of a section: of each group any lock would do, and every group must be open. */
export type SectionLocks = readonly (readonly Lock[])[];

/** By id: each reading of an address has its own group of locks. */
export type Sections = ReadonlyMap<string, SectionLocks>;

const noSections: Sections = new Map();

/** The sections that the policy names of an address, by every reading of it. */
export function sectionsAt(policy: Policy, target: string): Sections {
  if (policy.sections.size === 0) return noSections;
  const found = new Map<string, SectionLocks>();
  const canonical = policy.read(target);
  for (const reading of canonical.ok ? canonical.readings : []) {
    for (const [id, locks] of policy.sections.get(reading) ?? []) {
      found.set(id, [...(found.get(id) ?? []), locks]);
    }
  }
  return found;
}

/**
 * Sections of pages that a site sends at addresses of other pages: of the start page, which is the answer to every
 * address in an application of one page, and of the site's pages for errors. Of an answer that is an error (400 and
 * more), every section that the policy names: nobody knows which page it is.
 */
export function sectionsElsewhere(policy: Policy, isError: boolean): Sections {
  if (policy.sections.size === 0) return noSections;
  const found = new Map<string, SectionLocks>();
  for (const [page, sections] of policy.sections) {
    if (!isError && !fallbackPages.test(page)) continue;
    for (const [id, locks] of sections) found.set(id, [...(found.get(id) ?? []), locks]);
  }
  return found;
}

/** Canonical paths of pages that are sent where another page, or none, was asked for. */
const fallbackPages =
  /^$|^\/(?:200|40[0-9]|410|50[0-9x]|app|shell|offline|index|error|_error|404\/index|not-found|_not-found)$/i;

/** The locks of what stands under a mark; undefined for a name that no lock has: it lets nobody in. */
export function markedLocks(policy: Policy, name: string): SectionLocks | undefined {
  const lock = policy.locks.get(name);
  return lock && [[lock]];
}

/** How a section of a page stands, the page itself left aside. */
export type SectionDecision = Exclude<Decision, { readonly kind: 'refused' }>;

/**
 * Whether a visitor gets a section, beside `decide` for whole addresses: each of its groups of
 * locks must be open. All that cuts, explains, lists or reviews sections asks this function.
 *
 * @param because - where given, the reasons are added to it
 */
export function decideSection(
  groups: SectionLocks,
  question: Omit<Question, 'target'>,
  because?: Reason[],
): SectionDecision {
  const opened: Lock[] = [];
  let bypass: string | undefined;
  let shut: readonly Lock[] | undefined;
  for (const group of groups) {
    const counting = group.filter((lock) => countsAt(lock, question.now));
    if (counting.length === 0) continue;
    const opening = openingAmong(counting, question, because);
    if (!opening.isOpen) shut ??= opening.locks;
    else {
      opened.push(...opening.locks);
      bypass ??= opening.bypass;
    }
  }
  if (shut !== undefined) return { kind: 'shut', locks: shut };
  return opened.length === 0 ? { kind: 'open' } : { kind: 'let-in', locks: opened, bypass };
}

/**
 * An address as it is written in a browser, in two: what is asked for, and the element that is
 * meant (URL standard, fragment; percent-decoded as a browser does to find it).
 */
export function splitFragment(address: string): { readonly target: string; readonly id?: string } {
  const at = address.indexOf('#');
  if (at < 0) return { target: address };
  const target = address.slice(0, at) || '/';
  const written = address.slice(at + 1);
  if (written === '') return { target };
  try {
    return { target, id: decodeURIComponent(written) };
  } catch {
    return { target, id: written };
  }
}
