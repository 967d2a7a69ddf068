import type { RequestDocument } from './block-schema.js';

/** What a request gives, in one word. */
export function givenBy({ gives }: RequestDocument): 'password' | 'link' | 'nothing' {
  if (gives === 'nothing') return gives;
  return 'password' in gives ? 'password' : 'link';
}
