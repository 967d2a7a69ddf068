import { decideSection, sectionsAt, splitFragment } from './decide-section.js';
import { decide, type Question } from './decide.js';
import type { Policy } from './policy/types.js';

/** How an address is for somebody: open, or under these locks. */
export type Access = { readonly open: true } | { readonly open: false; readonly locks: readonly string[] };

/** How an address is at a moment (seconds since 1970) for somebody who has opened nothing. */
export const accessOfStranger = (policy: Policy, address: string, now: number): Access =>
  accessTo(policy, address, { passes: [], now });

/** How an address is for a visitor. With `#id` behind it, how that section of it is. */
export function accessTo(policy: Policy, address: string, question: Omit<Question, 'target'>): Access {
  const { target, id } = splitFragment(address);
  const page = decide(policy, { target, ...question });
  const isPageOpen = page.kind === 'open' || page.kind === 'let-in';
  const section = id === undefined ? undefined : sectionsAt(policy, target).get(id);
  const decision = isPageOpen && section ? decideSection(section, question) : page;
  if (decision.kind === 'open' || decision.kind === 'let-in') return { open: true };
  const locks = decision.kind === 'shut' ? decision.locks.map(({ name }) => name) : [];
  return { open: false, locks };
}
