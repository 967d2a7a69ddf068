import { asksWhoIsThere, type Bypass } from '../bypass/bypass.js';
import { readingCompanions } from '../companions/companions.js';
import { targetReader, type Canonical } from '../places/canonical.js';
import { coverIndex, type Statement } from '../places/cover-index.js';
import { foldRules } from '../places/fold.js';
import { ownNames, refusingOwn } from '../places/own-names.js';
import { parsePlace, type Place } from '../places/place.js';
import { defaultScreenName, makeScreens, type Screen } from '../screen/screen.js';
import { compileOpeners, windowOf } from './openers.js';
import type { PolicyProblem } from './problem.js';
import type { Lock, Policy } from './types.js';
import { requestOf, requestProblems } from './requests.js';
import type { LockDocument, PolicyDocument } from './document.js';

/** The compiled policy, or everything that is wrong with it. */
export type CompiledPolicy =
  { readonly ok: true; readonly policy: Policy } | { readonly ok: false; readonly problems: readonly PolicyProblem[] };

/** Checks what the schema cannot (places, shared salts, doubles) and builds what `decide` asks. */
export function compilePolicy(document: PolicyDocument): CompiledPolicy {
  const problems: PolicyProblem[] = [];
  const rules = foldRules(document.site);
  const read = remembering(
    refusingOwn(readingCompanions(targetReader(document.site), document.site), ownNames(namesOfRecords(document))),
  );
  const readPlace = targetReader(document.site, true);
  const parse = (text: string) => parsePlace(text, readPlace, rules);

  const bypasses = new Map<string, Bypass>();
  const everywhere: Bypass[] = [];
  for (const [name, conditions] of Object.entries(document.bypasses)) {
    const path = ['bypasses', name];
    const window = windowOf(conditions, document.site, 'opens', path, problems);
    const bypass = { ...conditions, name, window };
    bypasses.set(name, bypass);
    if (bypass.everyLock) everywhere.push(bypass);
  }
  const { screens, defaultScreen } = makeScreens(document.screens, document.site.languages[0] ?? 'en');
  const screenOf = (name: string, path: PolicyProblem['path']): Screen => {
    const found = screens.get(name);
    if (found !== undefined) return found;
    problems.push(unknownName(path, 'screen', name, screens.keys()));
    return defaultScreen;
  };
  const locks = new Map<string, MutableLock>();
  for (const [name, lock] of Object.entries(document.locks)) {
    const at = ['locks', name];
    const places = (key: 'covers' | 'except') =>
      lock[key].flatMap((text, position) => {
        const parsed = parse(text);
        const isLeftOut = key === 'except' && parsed.ok;
        const isTooMuch = isLeftOut && /^(site|section)$/.test(parsed.place.kind);
        if (parsed.ok && !isTooMuch) return parsed.place;
        const problem =
          parsed.ok && parsed.place.kind === 'section'
            ? 'a section can be covered, but not left out of what covers its page'
            : parsed.ok
              ? 'this would open all that the lock covers: the start page alone is `/index.html`'
              : parsed.problem;
        problems.push({ path: [...at, key, position], message: `\`${text}\`: ${problem}` });
        return [];
      });
    const covers = places('covers');
    const except = places('except');
    problems.push(...contradictions(lock, covers, except, at));
    const openers = compileOpeners(lock, document.site, at, problems);
    const window = windowOf(lock, document.site, 'shuts', at, problems);
    const { title, remember, outsiders, wrong, basic, after, enabled } = lock;
    if (basic === 'always' && outsiders !== 'screen') {
      const message = 'a lock that always asks in the browser’s own prompt can do nothing else';
      problems.push({ path: [...at, 'outsiders'], message });
    }
    const named = lock.bypass.flatMap((bypass, position) => {
      const found = bypasses.get(bypass);
      if (found !== undefined) return found;
      problems.push(unknownName([...at, 'bypass', position], 'bypass', bypass, bypasses.keys()));
      return [];
    });
    const bypassesHere = [...new Set([...named, ...everywhere])];
    const screen = screenOf(lock.screen ?? defaultScreenName, [...at, 'screen']);
    const request = requestOf(screen.design, openers);
    const how = { title, remember, screen, request, outsiders, wrong, basic, after, window, enabled };
    const who = { ...openers, bypasses: bypassesHere, requires: [] };
    locks.set(name, { name, covers, except, ...how, ...who });
  }
  problems.push(...requestProblems(document), ...foreignHosts(document), ...joinRequired(document, locks));
  if (problems.length > 0) return { ok: false, problems };
  const index = coverIndex(statementsOf([...locks.values()].filter(({ enabled }) => enabled)));
  const { site, guessing, identity, journal, mail, patrol } = document;
  const hasWindows = [...locks.values()].some(({ window }) => window.from !== undefined || window.until !== undefined);
  const policy = {
    site,
    hasWindows,
    screens,
    defaultScreen,
    locks,
    bypasses,
    identity,
    guessing,
    journal,
    mail,
    patrol,
    read,
    parsePlace: parse,
    sections: sectionsOf(locks.values()),
    index,
  };
  problems.push(...endlessRedirects(policy), ...lockedSignIn(policy));
  return problems.length > 0 ? { ok: false, problems } : { ok: true, policy };
}

/** Names of the files in which what happens is recorded: they may be among the site's files. */
const namesOfRecords = ({ journal, mail }: PolicyDocument): string[] =>
  [journal?.file, mail.list].map((file) => file?.split(/[\\/]/).at(-1) ?? '');

/** Remembers the last target, as one visit asks several times about the same. */
function remembering(read: Policy['read']): Policy['read'] {
  let last: string | undefined;
  let found: Canonical | undefined;
  return (target) => {
    if (found === undefined || target !== last) {
      found = read(target);
      last = target;
    }
    return found;
  };
}

type MutableLock = { -readonly [Key in keyof Lock]: Lock[Key] };

function unknownName(path: PolicyProblem['path'], what: string, name: string, known: Iterable<string>): PolicyProblem {
  const names = [...known].join(', ') || 'none';
  return { path, message: `there is no ${what} \`${name}\`; there are: ${names}` };
}

/** Puts the locks that are required in the place of their names, all of theirs included. */
function joinRequired(document: PolicyDocument, locks: ReadonlyMap<string, MutableLock>): PolicyProblem[] {
  const problems: PolicyProblem[] = [];
  for (const lock of locks.values()) {
    const required = new Set<Lock>();
    const add = (name: string) => {
      (document.locks[name]?.requires ?? []).forEach((other, position) => {
        const found = locks.get(other);
        const path = ['locks', name, 'requires', position];
        if (found === undefined) {
          if (name === lock.name) problems.push(unknownName(path, 'lock', other, locks.keys()));
        } else if (found === lock) {
          problems.push({ path, message: 'a lock cannot require itself, by others neither' });
        } else if (!required.has(found)) {
          required.add(found);
          add(other);
        }
      });
    };
    add(lock.name);
    lock.requires = [...required];
  }
  return problems;
}

/** Addresses on hosts that are not the owner's, as far as the policy says. */
function foreignHosts({ site, locks, identity }: PolicyDocument): PolicyProblem[] {
  const isOwn = (text: string) =>
    text.startsWith('/') ||
    new URL(text).origin === site.origin ||
    site.hosts.some((host) => host.toLowerCase() === new URL(text).host);
  const given: [string[], string | undefined][] = [
    [['identity', 'signIn'], identity?.signIn?.to],
    ...Object.entries(locks).flatMap(([name, lock]) => redirectsOf(name, lock)),
  ];
  return given.flatMap(([path, text]) => {
    if (text === undefined || isOwn(text)) return [];
    const message = `\`${new URL(text).host}\` is no host of this site: name it under \`site.hosts\` if it is yours`;
    return [{ path, message }];
  });
}

/** The path of an address that is on the site itself; any other as it is. */
function withoutOrigin(address: string, origin: string | undefined): string {
  if (origin === undefined || !URL.canParse(address)) return address;
  const url = new URL(address);
  return url.host === new URL(origin).host ? `${url.pathname}${url.search}` : address;
}

/** Where a lock sends those whom it does not let in, and where that stands. */
const redirectsOf = (
  name: string,
  { outsiders, wrong }: Pick<Lock, 'outsiders' | 'wrong'> | LockDocument,
): [string[], string | undefined][] => [
  [['locks', name, 'outsiders', 'redirect'], typeof outsiders === 'string' ? undefined : outsiders.redirect],
  [['locks', name, 'wrong', 'redirect'], wrong?.redirect],
];

/** Redirects that lead to where the same visitor would be sent away again. */
function endlessRedirects(policy: Policy): PolicyProblem[] {
  const all = [...policy.locks.values()].flatMap((lock) => redirectsOf(lock.name, lock));
  return all.flatMap(([path, address]) => {
    // What lies on another host does not lead back here by itself.
    const target = address === undefined ? '' : withoutOrigin(address, policy.site.origin);
    if (!target.startsWith('/')) return [];
    const read = policy.read(target);
    const isOpen = read.ok && read.readings.every((reading) => policy.index.nearest(reading).length === 0);
    if (isOpen) return [];
    return { path, message: `\`${address ?? ''}\` is locked itself: send outsiders to an open page` };
  });
}

/** A sign-in page under a lock that opens for nobody but people who have signed in: they never could. */
function lockedSignIn(policy: Policy): PolicyProblem[] {
  const { to: address } = policy.identity?.signIn ?? {};
  const target = address === undefined ? '' : (withoutOrigin(address, policy.site.origin).split('#', 1)[0] ?? '');
  const read = target.startsWith('/') ? policy.read(target) : undefined;
  const locks = read?.ok === true ? read.readings.flatMap((reading) => policy.index.nearest(reading)) : [];
  const trap = locks.find(({ bypasses, openers }) => openers.size === 0 && bypasses.some(asksWhoIsThere));
  if (trap === undefined) return [];
  const path = ['locks', trap.name, 'except'];
  const page = target.split('?', 1)[0] ?? '';
  return [
    {
      path,
      message: `\`${page}\` is where people sign in, and this lock covers it, so nobody could: add it, and what it needs, to \`except\``,
    },
  ];
}

function sectionsOf(locks: Iterable<Lock>): Policy['sections'] {
  const sections = new Map<string, Map<string, Lock[]>>();
  for (const lock of locks) {
    if (!lock.enabled) continue;
    for (const place of lock.covers) {
      if (place.kind !== 'section') continue;
      const page = sections.get(place.path) ?? new Map<string, Lock[]>();
      page.set(place.id, [...(page.get(place.id) ?? []), lock]);
      sections.set(place.path, page);
    }
  }
  return sections;
}

/** What locks say of places, whether they count or not. */
export function* statementsOf(locks: Iterable<Lock>): Iterable<Statement<Lock>> {
  for (const lock of locks) {
    for (const place of lock.covers) yield { lock, says: 'covers', place };
    for (const place of lock.except) yield { lock, says: 'except', place };
  }
}

function contradictions(
  lock: LockDocument,
  covers: readonly Place[],
  except: readonly Place[],
  at: readonly string[],
): PolicyProblem[] {
  const key = (place: Place) => ('path' in place ? `${place.kind} ${place.path}` : `${place.kind} ${place.text}`);
  const covered = new Map(covers.map((place) => [key(place), place.text]));
  return except.flatMap((place) => {
    const same = covered.get(key(place));
    if (same === undefined) return [];
    return {
      path: [...at, 'except', lock.except.indexOf(place.text)],
      message: `\`${place.text}\` is among the covers too, as \`${same}\`: leave one of them out`,
    };
  });
}
