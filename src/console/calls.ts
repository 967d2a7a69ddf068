import { dirname, resolve } from 'node:path';
import * as z from 'zod';
import { handOutLanguages } from '../core/hand-out/words.js';
import { addBypass, listBypasses, removeBypass } from '../owner/bypasses.js';
import { check } from '../owner/check/check.js';
import { DorlinError } from '../core/errors.js';
import { carryDraft, draftStandingOf, dropDraft, goBack, goLive } from '../owner/drafts.js';
import { explain } from '../owner/explain.js';
import { showPassword } from '../owner/hand-out.js';
import { entryWords } from '../core/journal/words.js';
import { siteCandidates, startPolicy } from '../owner/init.js';
import { readEvents } from '../owner/journal.js';
import { journalCsv } from '../owner/journal-csv.js';
import { listLinks, makeLink, revokeLink, showLink } from '../owner/links.js';
import { changeLock, listLocks } from '../owner/locks.js';
import { pageParts } from '../owner/page-parts.js';
import { exportUsers, importUsers } from '../owner/passwords/htpasswd.js';
import { choosePassword, siteWordsOf, usualWords } from '../owner/passwords/new-password.js';
import {
  addPassword,
  changePassword,
  listPasswords,
  retirePassword,
  rotatePassword,
} from '../owner/passwords/passwords.js';
import { planPasswords } from '../owner/passwords/plan.js';
import { endSessions, invite, listPeople, removePerson, revokeInvite, setKeeperLocks } from '../owner/people/people.js';
import { release } from '../owner/release.js';
import { listRequests } from '../owner/requests.js';
import { review } from '../owner/review.js';
import { designScreen, keepForScreens, removeScreen, screensToDesign } from '../owner/screen-design.js';
import { exportScreen } from '../owner/screen-files.js';
import { listScreens } from '../owner/screens.js';
import { changeSite, describeSite, siteKeys } from '../owner/site.js';
import { viewSite, type SeenPlace } from '../owner/view.js';
import { walkSiteFrom } from '../owner/walk-site.js';
import { loadPolicy } from '../stores/policy-file.js';
import { isLoopback } from './arrival.js';
import { act, actOnWays, bothOrNone, edit, eyesOf, read, readByAll, readWays, undo } from './call.js';
import { readChanges } from './changes.js';
import type { Caller } from './context.js';
import * as inputs from './inputs.js';
import type { ConsoleResults } from './results.js';
import { patrolCalls } from './patrol-calls.js';
import { sealingCalls } from './sealing-calls.js';

const { line, name, lines, none } = inputs;
const lock = { lock: name };
const which = { lock: name, which: line };
/** Whether an edit counts at once instead of waiting in the draft. Keepers have no other. */
const now = { now: z.boolean().optional() };

/** Most events that are sent one by one; all are in the CSV. */
const mostEvents = 200;

/** Every call by its name. The commands do the same by the same operations. */
export const calls = {
  ...patrolCalls,
  ...sealingCalls,
  view: readByAll(
    z.strictObject({ seenBy: inputs.seenBy.optional() }),
    async ({ seenBy = {} }, { site, shown, person }) => {
      const sources = { liveFile: site.policyFile, found: site.found, titles: site.titles };
      const view = await viewSite(shown, eyesOf(person, seenBy), sources);
      if (person.role === 'owner') return view;
      const isOwn = (names: readonly string[]) => names.some((one) => person.locks.includes(one));
      // What a page or a part of one under another lock is called may be what that lock is for.
      const bare = (place: SeenPlace): SeenPlace => ({
        ...place,
        title: place.locks === undefined || isOwn(place.locks) ? place.title : undefined,
        sections: place.sections?.map((section) =>
          isOwn([...section.locks, ...(section.idle ?? [])]) ? section : { ...section, title: undefined },
        ),
      });
      return { ...view, places: view.places.map(bare) };
    },
  ),
  ways: readByAll(none, async (_, { person, shown, site: about }) => {
    const isTheirs = ({ lock: one }: { readonly lock: string }) =>
      person.role === 'owner' || person.locks.includes(one);
    const [{ site, locks }, passwords, { bypasses }] = await Promise.all([
      listLocks(shown),
      listPasswords(shown),
      listBypasses(shown),
    ]);
    const all = locks.filter((one) => isTheirs({ lock: one.name }));
    const [links, used] = await Promise.all([
      Promise.all(all.map((one) => listLinks(shown, one.name))),
      // By the policy that counts: a draft has opened nothing yet.
      readEvents(about.policyFile).catch(() => undefined),
    ]);
    return {
      site,
      locks: all.map((one, at) => ({
        ...one,
        passwordList: passwords.locks.find((other) => other.lock === one.name)?.passwords ?? [],
        linkList: links[at]?.links ?? [],
      })),
      bypasses: bypasses.filter(
        (one) => person.role === 'owner' || one.locks.some((other) => person.locks.includes(other)),
      ),
      languages: handOutLanguages,
      /** What the journal counts; undefined where none is kept. */
      used: used?.openers.filter(isTheirs),
    };
  }),
  explain: read(z.strictObject({ path: line, seenBy: inputs.seenBy.optional() }), ({ path, seenBy = {} }, { shown }) =>
    explain(shown, path, seenBy),
  ),
  parts: read(z.strictObject({ path: line }), ({ path }, { shown }) => pageParts(shown, path)),
  play: readByAll(
    z.strictObject({ seenBy: inputs.seenBy.optional() }),
    async ({ seenBy = {} }, { site, shown, person }) => {
      const played = { isDraft: shown !== site.policyFile, seenBy: eyesOf(person, seenBy) };
      return Promise.resolve({ origin: site.playAs?.(played) });
    },
  ),
  'begin.candidates': read(none, async (_, { site }) => ({ folders: await siteCandidates(site.policyFile) })),
  begin: act(
    z.strictObject({
      folder: line.optional(),
      origin: line.optional(),
      name: line,
      languages: z.array(line).max(20).optional(),
      timeZone: line.optional(),
    }),
    async ({ folder, ...order }, { site }) => {
      // As seen from where the policy will lie.
      const from = folder === undefined ? null : resolve(dirname(site.policyFile), folder);
      const begun = await startPolicy(site.policyFile, { ...order, folder: from });
      await site.begun();
      return begun;
    },
  ),
  walk: read(
    z.strictObject({ address: line, by: z.enum(['links', 'sitemap']).optional() }),
    async ({ address, by = 'links' }, { site, shown, address: from }) => {
      // One at a time: a site is not asked by two at once, and one stop is enough.
      site.walking?.abort();
      const walking = new AbortController();
      site.walking = walking;
      try {
        // What runs on this machine is for who is at it.
        const isHere = isLoopback(from);
        const told = (done: number) => {
          if (site.walking === walking) site.tell({ type: 'progress', work: 'walk', done });
        };
        const found = await walkSiteFrom(shown, { address, by, isHere, told, stop: walking.signal });
        if (site.walking === walking) site.found = found;
        return { addresses: found.targets.length, isCutShort: found.isCutShort };
      } finally {
        if (site.walking === walking) site.walking = undefined;
      }
    },
  ),
  'walk.stop': read(none, (_, { site }) => {
    const isStopped = site.walking !== undefined;
    site.walking?.abort();
    return Promise.resolve({ isStopped });
  }),
  screens: read(none, (_, { shown }) => listScreens(shown)),
  'screens.design': read(z.strictObject({ live: z.boolean().optional() }), ({ live }, { shown, site }) =>
    screensToDesign(live === true ? site.policyFile : shown),
  ),
  'screen.export': read(
    z.strictObject({ screen: name, state: line.optional(), language: line.optional() }),
    ({ screen, state, language }, { shown }) => exportScreen(shown, screen, { state, language }),
  ),
  'screen.change': act(
    z.strictObject({
      screen: name,
      written: z.record(z.string().max(64), z.unknown()),
      before: z.record(z.string().max(64), z.unknown()).optional(),
      isNew: z.boolean().optional(),
      locks: z.array(name).optional(),
      ...now,
    }),
    ({ screen, written, before, isNew, locks, now: isNow }, caller) =>
      edit(isNow, caller, (file) => designScreen(file, screen, { written, before, isNew, locks })),
  ),
  'screen.remove': act(z.strictObject({ screen: name, ...now }), ({ screen, now: isNow }, caller) =>
    edit(isNow, caller, (file) => removeScreen(file, screen)),
  ),
  'screen.keep': act(
    z.strictObject({ called: z.string().max(200), data: z.base64().max(1_950_000) }),
    ({ called, data }, { site }) => keepForScreens(site.policyFile, called, Buffer.from(data, 'base64')),
  ),
  journal: readByAll(
    z.strictObject({
      locks: z.array(name).max(500).optional(),
      events: z.array(z.string().max(40)).max(50).optional(),
      since: line.optional(),
    }),
    async (order, { site, person }) => {
      const isTheirs = (lock: string | undefined) =>
        person.role === 'owner' || (lock !== undefined && person.locks.includes(lock));
      // A keeper is told of their own locks alone, of which some may be gone.
      const known = (await loadPolicy(site.policyFile)).locks;
      const own = person.role === 'owner' ? undefined : person.locks.filter((lock) => known.has(lock));
      const locks = order.locks?.filter(isTheirs) ?? own;
      if (locks?.length === 0)
        return { isKept: true, days: [], locks: [], openers: [], standsOut: [], entries: [], events: 0 };
      const found = await readEvents(site.policyFile, { ...order, locks }).catch((error: unknown) => {
        if (error instanceof DorlinError && error.code === 'journal-off') return undefined;
        throw error;
      });
      if (found === undefined)
        return { isKept: false, days: [], locks: [], openers: [], standsOut: [], entries: [], events: 0 };
      const { days, locks: all, openers, standsOut, entries } = found;
      return {
        isKept: true,
        days,
        locks: all.filter(({ lock }) => isTheirs(lock)),
        openers: openers.filter(({ lock }) => isTheirs(lock)),
        standsOut: standsOut.filter(({ lock }) => isTheirs(lock)),
        entries: entries
          .slice(-mostEvents)
          .reverse()
          .map((entry) => ({ ...entry, ...entryWords(entry) })),
        events: entries.length,
      };
    },
  ),
  'journal.csv': read(
    z.strictObject({
      locks: z.array(name).max(500).optional(),
      events: z.array(z.string().max(40)).max(50).optional(),
      since: line.optional(),
    }),
    async (order, { site }) => ({ csv: journalCsv((await readEvents(site.policyFile, order)).entries, true) }),
  ),
  requests: read(none, (_, { site }) => listRequests(site.policyFile)),
  changes: read(none, (_, { site }) => readChanges(site.policyFile)),

  'lock.change': act(
    z.strictObject({
      ...lock,
      places: lines.optional(),
      dynamic: z.boolean().optional(),
      settings: inputs.lockSettings.optional(),
      password: z.strictObject({ is: inputs.newPassword, label: line.optional() }).optional(),
      ...now,
    }),
    ({ lock: which, places, dynamic, settings, password, now: isNow }, caller) =>
      edit(isNow, caller, async (file) => {
        const change = () =>
          changeLock(file, which, {
            ...(places && { places }),
            ...(settings && { settings }),
            ...(dynamic !== undefined && { dynamic }),
          });
        if (password === undefined) return { ...(await change()), password: undefined };
        const { is, label } = password;
        const [done, added] = await bothOrNone(file, change, () => addPassword(file, which, { password: is, label }));
        return { ...done, password: added };
      }),
  ),
  release: act(
    z.strictObject({ places: lines.optional(), locks: z.array(name).optional(), from: name.optional(), ...now }),
    ({ places, locks, from, now: isNow }, caller) =>
      edit(isNow, caller, (file) => release(file, { ...(places && { places }), ...(locks && { locks }), from })),
  ),
  'bypass.add': act(
    z.strictObject({ bypass: name, order: inputs.bypassOrder, ...now }),
    ({ bypass, order, now: isNow }, caller) => edit(isNow, caller, (file) => addBypass(file, bypass, order)),
  ),
  'bypass.remove': act(
    z.strictObject({ bypass: name, locks: z.array(name).optional(), ...now }),
    ({ bypass, locks = [], now: isNow }, caller) => edit(isNow, caller, (file) => removeBypass(file, bypass, locks)),
  ),
  'site.change': act(z.strictObject({ settings: lines }), ({ settings }, caller) =>
    edit(false, caller, (file) => changeSite(file, settings)),
  ),
  site: read(none, async (_, { shown }) => ({ ...(await describeSite(shown)), keys: siteKeys() })),

  'password.show': readWays(
    z.strictObject({ ...which, out: inputs.handingOut.optional() }),
    ({ lock: of, which: one, out }, { shown }) => showPassword(shown, of, one, out && { ...out, drawn: true }),
  ),
  'password.judge': readWays(
    z.strictObject({ ...lock, password: z.string().max(1000) }),
    async ({ lock: of, password }, { shown }) => {
      const { strength } = await choosePassword({ typed: password }, siteWordsOf(await loadPolicy(shown), of, ''));
      return { strength };
    },
  ),
  'password.propose': readByAll(z.strictObject({ words: z.number().int().optional() }), ({ words = usualWords }) =>
    choosePassword({ words }, []),
  ),
  'password.add': actOnWays(
    z.strictObject({
      ...lock,
      is: inputs.newPassword,
      label: line.optional(),
      from: line.optional(),
      until: line.optional(),
      ...now,
    }),
    ({ lock: of, is, label, from, until, now: isNow }, caller) =>
      edit(isNow, caller, (file) => addPassword(file, of, { password: is, label, from, until })),
  ),
  'password.change': actOnWays(
    z.strictObject({
      ...which,
      label: line.optional(),
      from: line.nullable().optional(),
      until: line.nullable().optional(),
      ...now,
    }),
    ({ lock: of, which: one, label, from, until, now: isNow }, caller) =>
      edit(isNow, caller, (file) => changePassword(file, of, one, { label, from, until })),
  ),
  'password.rotate': actOnWays(
    z.strictObject({ ...which, is: inputs.newPassword, label: line.optional(), overlap: line.optional(), ...now }),
    ({ lock: of, which: one, is, label, overlap, now: isNow }, caller) =>
      edit(isNow, caller, (file) => rotatePassword(file, of, one, { password: is, label, overlap })),
  ),
  'password.retire': actOnWays(z.strictObject({ ...which, ...now }), ({ lock: of, which: one, now: isNow }, caller) =>
    edit(isNow, caller, (file) => retirePassword(file, of, one)),
  ),
  'password.plan': actOnWays(
    z.strictObject({ ...lock, order: inputs.planOrder, ...now }),
    ({ lock: of, order, now: isNow }, caller) => edit(isNow, caller, (file) => planPasswords(file, of, order)),
  ),
  'password.import': act(
    z.strictObject({
      ...lock,
      text: z.string().max(1_000_000),
      replace: z.boolean().optional(),
      always: z.boolean().optional(),
      ...now,
    }),
    ({ lock: of, text, replace = false, always = false, now: isNow }, caller) =>
      edit(isNow, caller, (file) => importUsers(file, of, text, 'line ', { replace, always })),
  ),
  'password.export': read(z.strictObject(lock), ({ lock: of }, { shown }) => exportUsers(shown, of, true)),
  'link.add': actOnWays(
    z.strictObject({ ...lock, order: inputs.linkOrder, out: inputs.handingOut.optional(), ...now }),
    ({ lock: of, order, out = {}, now: isNow }, caller) =>
      edit(isNow, caller, (file) => makeLink(file, of, order, { ...out, drawn: true })),
  ),
  'link.show': readWays(
    z.strictObject({ ...which, out: inputs.handingOut.optional() }),
    ({ lock: of, which: one, out = {} }, { shown }) => showLink(shown, of, one, { ...out, drawn: true }),
  ),
  'link.revoke': actOnWays(z.strictObject({ ...which, ...now }), ({ lock: of, which: one, now: isNow }, caller) =>
    edit(isNow, caller, (file) => revokeLink(file, of, one)),
  ),

  review: read(none, async (_, { site }) => {
    const standing = await draftStandingOf(site.policyFile);
    if (standing === undefined) return { draft: undefined };
    return { draft: standing, review: await review(site.policyFile) };
  }),
  check: read(none, async (_, { site, shown }) => {
    const [found, before] = await Promise.all([
      check(shown),
      shown === site.policyFile ? undefined : check(site.policyFile).catch(() => undefined),
    ]);
    const known = new Set(before?.kinds.flatMap(({ code, findings }) => findings.map(({ text }) => `${code} ${text}`)));
    return {
      findings: found.findings,
      kinds: found.kinds.map(({ code, title, why, groups, findings }) => ({
        code,
        title,
        why,
        groups,
        isNew: before !== undefined && findings.some(({ text }) => !known.has(`${code} ${text}`)),
      })),
    };
  }),
  live: act(z.strictObject({ over: z.boolean().optional() }), ({ over = false }, { site }) =>
    goLive(site.policyFile, over),
  ),
  back: act(none, (_, { site }) => goBack(site.policyFile)),
  'draft.undo': act(none, async (_, { site, shown }) => {
    if (shown === site.policyFile) return goBack(shown);
    const done = await undo(site.acts, shown);
    const standing = await draftStandingOf(site.policyFile);
    // A draft that says what the policy says is none.
    if (standing?.isSame === true) await dropDraft(site.policyFile);
    return done;
  }),
  'draft.drop': act(none, (_, { site }) => dropDraft(site.policyFile)),
  'draft.carry': act(none, async (_, { site }) => {
    await carryDraft(site.policyFile, true);
    return { draft: await draftStandingOf(site.policyFile) };
  }),

  people: read(none, (_, { site }) => listPeople(site.policyFile)),
  'people.invite': act(
    z.strictObject({
      role: z.enum(['owner', 'keeper']).optional(),
      locks: z.array(name).optional(),
      person: line.optional(),
    }),
    (order, { site, person }) => invite(site.policyFile, order, person.id),
  ),
  'people.revoke-invite': act(z.strictObject({ id: name }), ({ id }, { site }) => revokeInvite(site.policyFile, id)),
  'people.locks': act(z.strictObject({ person: line, locks: z.array(name) }), ({ person, locks }, { site }) =>
    setKeeperLocks(site.policyFile, person, locks),
  ),
  'people.remove': act(z.strictObject({ person: line }), ({ person }, { site }) =>
    removePerson(site.policyFile, person),
  ),
  'people.end-sessions': act(z.strictObject({ person: line.optional() }), ({ person }, { site }) =>
    endSessions(site.policyFile, person),
  ),
} as const satisfies {
  readonly [Name in keyof ConsoleResults]: {
    readonly run: (input: never, caller: Caller) => Promise<ConsoleResults[Name]>;
  };
};

export type CallName = keyof ConsoleResults;

/** What a call takes and gives, by its name: the types of the surface for whoever writes a page of their own. */
export type CallInput<Name extends CallName> = Parameters<(typeof calls)[Name]['run']>[0];
export type CallResult<Name extends CallName> = ConsoleResults[Name];
