import type { RequestDocument } from '../screen/design/block-schema.js';
import type { Design } from '../screen/design/design.js';
import type { EntryLink, LockPassword } from './openers.js';
import type { PolicyProblem } from './problem.js';
import type { LockDocument, PolicyDocument } from './schema.js';

/** What a visitor who asks at a lock is sent. */
export type LockRequest = { readonly document: RequestDocument } & (
  | { readonly gives: 'password'; readonly opener: LockPassword }
  | { readonly gives: 'link'; readonly opener: EntryLink }
);

/** Finds what the request of a lock's screen gives; nothing, where it asks for no address. */
export function requestOf(
  { above, below }: Design,
  openers: { readonly passwords: readonly LockPassword[]; readonly links: readonly EntryLink[] },
  { screen = 'default' }: LockDocument,
  at: readonly string[],
  problems: PolicyProblem[],
): LockRequest | undefined {
  const blocks = { above, below };
  for (const side of ['above', 'below'] as const) {
    for (const [position, block] of blocks[side].entries()) {
      if (block.kind !== 'request') continue;
      const { request: document } = block;
      const { gives } = document;
      const isPassword = 'password' in gives;
      const wanted = isPassword ? gives.password : gives.link;
      const isIt = ({ id, label }: { id: string; label: string }) => id === wanted || label === wanted; // prettier-ignore
      if (isPassword) {
        const opener = openers.passwords.find(isIt);
        if (opener !== undefined) return { document, gives: 'password', opener };
      } else {
        const opener = openers.links.find(isIt);
        if (opener !== undefined) return { document, gives: 'link', opener };
      }
      const what = isPassword ? 'password' : 'entry link';
      const message = `the lock \`${at.at(-1) ?? ''}\` shows this screen, and has no ${what} \`${wanted}\` to give`;
      problems.push({ path: ['screens', screen, side, position, 'request', 'gives'], message });
      return undefined;
    }
  }
  return undefined;
}

/** What a policy must have for letters to be sent at all. */
export function requestProblems({ screens, mail, site }: PolicyDocument): PolicyProblem[] {
  return Object.entries(screens).flatMap(([name, { above, below }]) => {
    const has = [...above, ...below].some(({ kind }) => kind === 'request');
    if (!has) return [];
    const path = ['screens', name];
    const missing = [
      ...(mail === undefined ? ['`mail:` with `from:` and `server:`'] : []),
      // Not taken from the request: whoever sends that could make the letter lead anywhere.
      ...(site.origin === undefined
        ? ['`site.origin`, as its letters have addresses in them']
        : []),
    ];
    return missing.map((what) => ({ path, message: `a screen with a request needs ${what}` }));
  });
}
