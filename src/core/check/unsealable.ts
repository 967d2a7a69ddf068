import { countsAt } from '../policy/lock-state.js';
import type { Policy } from '../policy/types.js';

/** What a sealed site cannot do that the policy asks for. */
export interface Unsealable {
  readonly lock: string;
  readonly text: string;
}

/** What the policy says and files alone cannot do, lock by lock. */
export function unsealable(policy: Policy, now: number): Unsealable[] {
  const found: Unsealable[] = [];
  for (const lock of policy.locks.values()) {
    const say = (text: string) => found.push({ lock: lock.name, text });
    const { from, until } = lock.window;
    if (!lock.enabled) continue;
    if (!countsAt(lock, now)) {
      if (from !== undefined && from > now)
        say(`it does not count yet, so nothing of it is sealed: seal again at its start`);
      continue;
    }
    if (until !== undefined) say('it ends, and its files stay sealed until you seal again');
    if (lock.bypasses.length > 0) {
      say(`${lock.bypasses.map(({ name }) => name).join(', ')}: nobody is let in by role, name or address`);
    }
    const some = [...lock.passwords, ...lock.links];
    if (some.some(({ window }) => window.until !== undefined)) {
      say('its passwords and links end when you seal again, not by themselves');
    }
    if (some.some(({ window }) => window.from !== undefined && window.from > now)) {
      say('passwords and links that do not count yet open it once you have sealed again after their start');
    }
    if (lock.links.some(({ uses }) => uses !== undefined))
      say('links with counted uses are left out: nobody counts them');
    if (lock.importedUsers.length > 0 || lock.basic !== false) say('the browser’s own prompt opens nothing');
    if (lock.request !== undefined) say('nobody can be mailed anything: its form for an address is left out');
    if (some.length === 0) say('nothing opens it, so its files stay at home');
  }
  if (found.length > 0 || policy.locks.size > 0) {
    found.push({ lock: '', text: 'guesses are neither counted nor noted: a password must stand by itself' });
  }
  return found;
}
