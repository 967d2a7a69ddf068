import type { Lock } from '../core/policy/types.js';
import { countsAt } from '../core/policy/lock-state.js';
import { isWithin } from '../core/windows/window.js';
import { basicHeader, enter, formAt, hasPassword, type Keys } from './guests.js';
import { makeJar } from './jar.js';
import { placeOf, type Tour } from './tour.js';
import { doorsOf } from './walks.js';

/** Opens every lock that can be opened here. */
export async function findGuests(tour: Tour, keys: Keys): Promise<void> {
  const { expectation } = tour;
  if (expectation === undefined) {
    await findGuestsByForms(tour, keys.passwords.get('') ?? []);
    return;
  }
  for (const lock of expectation.policy.locks.values()) {
    if (!countsAt(lock, tour.now)) continue;
    const why = whyNoGuest(tour, lock.name, keys);
    if (why !== undefined || !hasPassword(lock, tour.now)) {
      tour.notPlayed.push({ role: 'guest', lock: lock.name, why: why ?? 'nothing opens it' });
      continue;
    }
    const section = sectionDoorOf(tour, lock);
    const door = doorsOf(tour, lock)[0] ?? section;
    const of = { place: lock.covers[0]?.text ?? '', lock: lock.name };
    if (door === undefined) {
      const known = keys.credentials.find((one) => one.lock === lock.name);
      if (lock.basic === 'always' && known !== undefined) {
        const headers = basicHeader(known.user, known.password);
        tour.guests.push({
          lock: lock.name,
          who: expectation.guestOf([lock]),
          opened: [lock],
          jar: makeJar(),
          headers,
          door: '',
        });
        continue;
      }
      const why = 'no page was found that asks for its password';
      tour.notPlayed.push({ role: 'guest', lock: lock.name, why });
      continue;
    }
    const isSection = door === section;
    const entered = await enter(
      tour,
      door,
      (name) => keys.passwords.get(name ?? lock.name)?.[0],
      isSection ? lock.name : undefined,
    );
    if (isSection && entered.isIn && !entered.opened.includes(lock.name)) {
      tour.notPlayed.push({ role: 'guest', lock: lock.name, why: `no form of it stands in ${door}` });
      continue;
    }
    if (entered.isIn) {
      const opened = [lock.name, ...entered.opened].flatMap((name) => expectation.policy.locks.get(name) ?? []);
      tour.guests.push({
        lock: lock.name,
        who: expectation.guestOf(opened),
        opened,
        jar: entered.jar,
        headers: {},
        door,
      });
      const lands = entered.landed;
      const isElsewhere = lands !== undefined && lands !== door && entered.opened.at(-1) === lock.name;
      if (isElsewhere && lock.after === 'same')
        tour.findings.add('guest-lands-elsewhere', of, { where: door, how: `leads to ${lands}` });
      continue;
    }
    const { answer } = entered;
    const wait =
      answer?.status === 429 ? `, too many tries from here: wait ${answer.headers['retry-after'] ?? 'some'} s` : '';
    tour.findings.add('guest-kept-out', of, {
      where: door,
      how: `the right password is answered with ${answer?.status ?? 'nothing'}${wait}`,
    });
    tour.checks.push({ role: 'guest', target: door, ...of, seen: entered.facts.seen, verdict: 'closed' });
  }
}

/** A page with a section that a lock shuts, by the form in its place. */
function sectionDoorOf(tour: Tour, { name, covers }: Lock): string | undefined {
  const shown = [...tour.strangers.values()].find((facts) => formAt(facts, name)?.isForSection === true);
  if (shown !== undefined) return shown.target;
  // On a page that is locked itself, the form is seen from inside alone.
  const named = covers.find(({ kind }) => kind === 'section');
  return named && encodeURI(named.text.replace(/#.*$/s, ''));
}

/** Without a policy: every password at every kind of form, once. */
async function findGuestsByForms(tour: Tour, passwords: readonly string[]): Promise<void> {
  const doors = new Map<string, { target: string; section: string | undefined }>();
  for (const { target, forms } of tour.strangers.values()) {
    for (const form of forms) {
      const lock = form.lock ?? placeOf(tour, target)?.place ?? '';
      const section = form.isForSection ? form.lock : undefined;
      if (!doors.has(lock)) doors.set(lock, { target, section });
    }
  }
  for (const [lock, { target, section }] of doors) {
    let isOpened = false;
    for (const password of passwords) {
      let isTyped = false;
      const once = () => {
        if (isTyped) return undefined;
        isTyped = true;
        return password;
      };
      const entered = await enter(tour, target, once, section);
      if (!entered.isIn) continue;
      tour.guests.push({
        lock,
        who: undefined,
        opened: [],
        jar: entered.jar,
        headers: {},
        door: target,
      });
      isOpened = true;
      break;
    }
    if (!isOpened)
      tour.notPlayed.push({
        role: 'guest',
        lock,
        why: passwords.length === 0 ? 'no password was given' : 'no password that was given opens it',
      });
  }
}

/** Why a lock has no guest here; undefined where one can be made. */
function whyNoGuest(tour: Tour, lockName: string, keys: Keys): string | undefined {
  const lock = tour.expectation?.policy.locks.get(lockName);
  if (lock === undefined) return undefined;
  if (lock.passwords.length === 0) return 'it has no password';
  const counting = lock.passwords.filter(({ window }) => isWithin(window, tour.now));
  if (counting.length === 0) return 'none of its passwords counts at present';
  return keys.passwords.has(lockName) ? undefined : 'its password is not known here';
}
