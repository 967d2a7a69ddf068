import { decideSection, markedLocks, sectionsAt } from '../decide-section.js';
import type { Policy } from '../policy/types.js';
import { cutPage, readPage, withTarget } from '../sections/cut.js';
import { markAttribute } from '../sections/tree.js';
import { NestedTooDeeply } from '../sections/watching-parser.js';

/** A page as strangers get it, and what is in its sections that they do not get. */
export interface PageParts {
  readonly open: string;
  readonly locked: readonly string[];
}

const hidden = { lock: '', kind: 'hidden' } as const;

/**
 * Takes out of a page the sections that strangers do not get now. A page of which they cannot be taken out is locked
 * whole, as the guard has it.
 *
 * @returns undefined if it has no such section
 */
export function lockedSections(policy: Policy, target: string, text: string, now: number): PageParts | undefined {
  const named = sectionsAt(policy, target);
  const looksForMarks = policy.site.marks && text.toLowerCase().includes(markAttribute);
  if (named.size === 0 && !looksForMarks) return undefined;
  const stranger = { passes: [], now };
  try {
    const page = readPage(text, new Set(named.keys()));
    const ids = [...named].filter(([, locks]) => decideSection(locks, stranger).kind === 'shut').map(([id]) => id);
    const marks = [...(looksForMarks ? page.marks : [])].filter((name) => {
      const locks = markedLocks(policy, name);
      return locks === undefined || decideSection(locks, stranger).kind === 'shut';
    });
    if (ids.length + marks.length === 0) return undefined;
    const all = (names: readonly string[]) => new Map(names.map((name) => [name, hidden]));
    const made = cutPage(text, { ids: all(ids), marks: all(marks) }, { unlock: '', script: '' });
    if (typeof made === 'string' || ids.some((id) => !page.ids.has(id))) return { open: '', locked: [text] };
    return { open: withTarget(made, ''), locked: made.splices.map(({ start, end }) => text.slice(start, end)) };
  } catch (error) {
    if (!(error instanceof NestedTooDeeply)) throw error;
    return { open: '', locked: [text] };
  }
}
