import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import type { Screen } from '../core/screen/screen.js';

/** @throws DorlinError `screen-unknown` */
export function screenNamed(policy: Policy, name: string): Screen {
  const screen = policy.screens.get(name);
  if (screen !== undefined) return screen;
  const known = [...policy.screens.keys()].join(', ');
  throw new DorlinError('screen-unknown', `There is no screen \`${name}\`. There are: ${known}.`);
}
