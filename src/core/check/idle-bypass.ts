import type { Bypass } from '../bypass/bypass.js';
import type { Policy } from '../policy/types.js';

/**
 * Why a bypass lets nobody in as the policy stands: it asks who somebody is, and nothing in the policy
 * tells. Code that is handed to the guard may still do so.
 */
export function idleBypass(
  { identity, site }: Policy,
  { roles, people, signedIn }: Pick<Bypass, 'roles' | 'people' | 'signedIn'>,
): string | undefined {
  if (!(roles ?? people ?? signedIn)) return undefined;
  const what = roles ? 'a role' : people ? 'a name' : 'whether somebody is signed in';
  if (identity?.jwt === undefined && identity?.header === undefined) {
    return `it asks for ${what}, and nothing in the policy tells: there is no \`identity\``;
  }
  if (identity.jwt === undefined && site.trustedProxies.length === 0) {
    return `it asks for ${what}, told by a header, and \`site.trustedProxies\` names nobody who may send it`;
  }
  const { header, jwt } = identity;
  if (jwt === undefined && roles && header?.roles === undefined) {
    return 'it asks for a role, and `identity.header` names no header with roles';
  }
  return undefined;
}
