import type { RequestDocument } from '../screen/design/block-schema.js';
import type { Design } from '../screen/design/design.js';
import type { EntryLink, LockPassword } from './openers.js';
import type { PolicyProblem } from './problem.js';
import type { PolicyDocument } from './document.js';
import { parseSpan } from './span.js';

/** What a visitor who asks at a lock is sent. */
export type LockRequest = { readonly document: RequestDocument } & (
  | {
      readonly gives: 'password';
      /** Undefined where the lock has it no more: nothing can be sent then. */
      readonly opener: LockPassword | undefined;
      /** The id or label that the policy names. */
      readonly wanted: string;
    }
  | {
      readonly gives: 'link';
      readonly opener: EntryLink | undefined;
      readonly wanted: string;
      /** How long the link of each visitor counts, in seconds; as long as the one it is made from. */
      readonly seconds: number | undefined;
    }
  | { readonly gives: 'nothing'; readonly opener?: undefined }
);

/** What the request of a lock's screen gives; undefined, where it asks for no address. */
export function requestOf(
  { above, below }: Design,
  openers: { readonly passwords: readonly LockPassword[]; readonly links: readonly EntryLink[] },
): LockRequest | undefined {
  const block = [...above, ...below].find(({ kind }) => kind === 'request');
  if (block?.kind !== 'request') return undefined;
  const { request: document } = block;
  const { gives } = document;
  if (gives === 'nothing') return { document, gives };
  const isIt = (wanted: string) => (one: { id: string; label: string }) => one.id === wanted || one.label === wanted;
  if ('password' in gives) {
    const { password: wanted } = gives;
    return { document, gives: 'password', wanted, opener: openers.passwords.find(isIt(wanted)) };
  }
  const { link: wanted, for: span } = gives;
  const seconds = span === undefined ? undefined : parseSpan(span);
  return { document, gives: 'link', wanted, opener: openers.links.find(isIt(wanted)), seconds };
}

/** What a policy must have for letters to be sent at all. */
export function requestProblems({ screens, mail, site }: PolicyDocument): PolicyProblem[] {
  return Object.entries(screens).flatMap(([name, { above, below }]) => {
    const sends = [...above, ...below].some((block) => block.kind === 'request' && block.request.gives !== 'nothing');
    if (!sends) return [];
    const path = ['screens', name];
    const missing = [
      ...(mail.from === undefined ? ['`mail:` with `from:` and `server:`'] : []),
      // Not taken from the request: whoever sends that could make the letter lead anywhere.
      ...(site.origin === undefined ? ['`site.origin`, as its letters have addresses in them'] : []),
    ];
    return missing.map((what) => ({
      path,
      message: `a screen with a request that sends something needs ${what}`,
    }));
  });
}
