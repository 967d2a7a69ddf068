import type { Bypass } from '../bypass/bypass.js';
import type { Decision } from '../decide.js';
import type { Lock } from '../policy/types.js';
import { isWithin } from '../windows/window.js';

/**
 * What would change a decision, as sentences: what opens what is shut, and what would shut what is open.
 *
 * @param now - in seconds since 1970
 * @param zone - the time zone of the site (IANA)
 */
export function wouldChange(decision: Decision, now: number, zone: string): readonly string[] {
  const day = (seconds: number) =>
    new Date(seconds * 1000).toLocaleString('en-GB', { timeZone: zone, dateStyle: 'long', timeStyle: 'short' });
  switch (decision.kind) {
    case 'refused':
      return [
        decision.refusal === 'own-file'
          ? 'Nothing: Dorlin’s own files are never sent.'
          : 'Nothing: an address that cannot be read for certain is open to nobody.',
      ];
    case 'open':
      return ['A lock over the page, its folder or the site would close it.'];
    case 'let-in': {
      const { bypass, locks } = decision;
      const names = locks.map(({ name }) => name).join(' and ');
      if (bypass !== undefined) return [`Without the rule ${bypass}, ${names} would have to be opened.`];
      return [`Once what opened ${names} has ended, is rotated or forgotten, it is shut again.`];
    }
    case 'shut':
      return decision.locks.flatMap((lock) => opening(lock, now, day));
  }
}

function opening(lock: Lock, now: number, day: (seconds: number) => string): string[] {
  const links = new Set(lock.links.map(({ id }) => id));
  const users = new Set(lock.importedUsers.map(({ id }) => id));
  const said = [...lock.openers.values()].flatMap(({ id, label, window }): string[] => {
    const what = links.has(id)
      ? `The link for “${label}”`
      : users.has(id)
        ? `The user “${label}” of the browser’s own prompt`
        : `The password “${label}”`;
    if (isWithin(window, now)) return [`${what} opens ${lock.name}.`];
    if (window.from !== undefined && now < window.from) return [`${what} opens ${lock.name} from ${day(window.from)}.`];
    return [];
  });
  const rules = lock.bypasses.map((bypass) => `${whoOf(bypass)} is let in by the rule ${bypass.name}.`);
  const others = lock.requires.map(({ name }) => `${name} has to be open as well.`);
  const end = lock.window.until === undefined ? [] : [`${lock.name} ends by itself on ${day(lock.window.until)}.`];
  const none =
    said.length + rules.length === 0 ? [`Nothing opens ${lock.name} now: no password, no link and no rule.`] : [];
  return [...said, ...rules, ...none, ...others, ...end];
}

/** Whom a rule lets in, in words. */
function whoOf({ addresses, roles, people, signedIn }: Bypass): string {
  const all = [
    ...(roles === undefined ? [] : [`with the role ${roles.join(' or ')}`]),
    ...(people === undefined ? [] : [`named ${people.join(' or ')}`]),
    ...(addresses === undefined ? [] : [`from ${addresses.join(' or ')}`]),
    ...(signedIn === true ? ['who is signed in'] : []),
  ];
  return all.length === 0 ? 'Everybody' : `Somebody ${all.join(', ')}`;
}
