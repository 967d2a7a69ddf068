import * as z from 'zod';
import { isInRanges } from '../core/bypass/address.js';
import { DorlinError } from '../core/errors.js';
import { handOutLanguages } from '../core/hand-out/words.js';
import { addBypass, listBypasses, removeBypass } from '../owner/bypasses.js';
import { check } from '../owner/check/check.js';
import { carryDraft, draftStandingOf, dropDraft, goBack, goLive } from '../owner/drafts.js';
import { explain } from '../owner/explain.js';
import { showPassword } from '../owner/hand-out.js';
import { readEvents } from '../owner/journal.js';
import { listLinks, makeLink, revokeLink, showLink } from '../owner/links.js';
import { changeLock, listLocks } from '../owner/locks.js';
import { pageParts } from '../owner/page-parts.js';
import { exportUsers, importUsers } from '../owner/passwords/htpasswd.js';
import { choosePassword, siteWordsOf } from '../owner/passwords/new-password.js';
import {
  addPassword,
  changePassword,
  listPasswords,
  retirePassword,
  rotatePassword,
} from '../owner/passwords/passwords.js';
import { planPasswords } from '../owner/passwords/plan.js';
import { endSessions, invite, listPeople, removePerson, setKeeperLocks } from '../owner/people/people.js';
import { release } from '../owner/release.js';
import { listRequests } from '../owner/requests.js';
import { review } from '../owner/review.js';
import { listScreens } from '../owner/screens.js';
import { changeSite, describeSite, siteKeys } from '../owner/site.js';
import type { SeenBy } from '../owner/seen-by.js';
import { viewSite, type SeenPlace } from '../owner/view.js';
import { walkSiteFrom } from '../owner/walk-site.js';
import { loadPolicy, readPolicyText } from '../stores/policy-file.js';
import { readChanges } from './changes.js';
import type { Caller } from './context.js';
import * as inputs from './inputs.js';

/**
 * One call of the console: what it takes, who may, and what it does. `locksOf` names the locks that a
 * keeper must look after; a call without it is for owners alone, unless it is `forAll`.
 */
interface Call<Input, Result> {
  readonly input: z.ZodType<Input>;
  /** Whether it changes anything: then the version that the caller has seen must be the newest. */
  readonly changes: boolean;
  readonly forAll: boolean;
  readonly locksOf?: ((input: Input) => readonly string[]) | undefined;
  readonly run: (input: Input, caller: Caller) => Promise<Result>;
}

/** For owners: reads something. */
const read = <Input, Result>(
  input: z.ZodType<Input>,
  run: (input: Input, caller: Caller) => Promise<Result>,
): Call<Input, Result> => ({ input, changes: false, forAll: false, run });

/** For everybody who is signed in: reads something. */
const readByAll = <Input, Result>(
  input: z.ZodType<Input>,
  run: (input: Input, caller: Caller) => Promise<Result>,
): Call<Input, Result> => ({ input, changes: false, forAll: true, run });

/** For owners: changes something. */
const act = <Input, Result>(
  input: z.ZodType<Input>,
  run: (input: Input, caller: Caller) => Promise<Result>,
): Call<Input, Result> => ({ input, changes: true, forAll: false, run });

/** About the ways in of one lock: for owners, and for the keepers of that lock. */
const about =
  (changes: boolean) =>
  <Input extends { readonly lock: string }, Result>(
    input: z.ZodType<Input>,
    run: (input: Input, caller: Caller) => Promise<Result>,
  ): Call<Input, Result> => ({ input, changes, forAll: false, locksOf: ({ lock }) => [lock], run });

const readWays = about(false);
const actOnWays = about(true);

const { line, name, lines, none } = inputs;
const lock = { lock: name };
const which = { lock: name, which: line };
/** Whether an edit counts at once instead of waiting in the draft. Keepers have no other. */
const now = { now: z.boolean().optional() };

/** Makes an edit in the draft; or at once, and carries it into a draft that waits. */
async function edit<Result extends object>(
  isNow: boolean | undefined,
  { site, person, draft }: Caller,
  work: (file: string) => Promise<Result>,
): Promise<Result & { readonly draftIsBehind?: boolean }> {
  if (isNow !== true && person.role === 'owner') {
    const file = await draft();
    try {
      return await work(file);
    } catch (error) {
      // One that was begun for an edit that failed says nothing of its own.
      if ((await draftStandingOf(site.policyFile))?.isSame === true) await dropDraft(site.policyFile);
      throw error;
    }
  }
  const result = await work(site.policyFile);
  return (await carryDraft(site.policyFile)) ? result : { ...result, draftIsBehind: true };
}

/**
 * Through whose eyes somebody may look. Keepers are not to read what lies behind other locks: they look as
 * strangers and as guests of their own, and now, as at another moment a lock may be off.
 */
function eyesOf({ role, locks, name: who }: Caller['person'], seenBy: SeenBy): SeenBy {
  const { opened = [], ...more } = seenBy;
  const isOthers = opened.some((one) => !locks.includes(one)) || Object.values(more).some((one) => one !== undefined);
  if (role !== 'owner' && isOthers) {
    throw new DorlinError('not-allowed', `${who} may look as a stranger, or as a guest of locks of their own.`);
  }
  return seenBy;
}

/** Every call by its name. The commands do the same by the same operations. */
export const calls = {
  view: readByAll(
    z.strictObject({ seenBy: inputs.seenBy.optional() }),
    async ({ seenBy = {} }, { site, shown, person }) => {
      const sources = { liveFile: site.policyFile, walked: site.walked, titles: site.titles };
      const view = await viewSite(shown, eyesOf(person, seenBy), sources);
      const isTheirs = ({ locks }: SeenPlace) => locks === undefined || locks.some((one) => person.locks.includes(one));
      if (person.role === 'owner') return view;
      // What a page under another lock is called may be what that lock is for.
      return {
        ...view,
        places: view.places.map((place) => (isTheirs(place) ? place : { ...place, title: undefined })),
      };
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
  walk: read(z.strictObject({ address: line }), async ({ address }, { site, shown, address: from }) => {
    // What runs on this machine is for who is at it.
    const isHere = from !== undefined && isInRanges(from, ['127.0.0.0/8', '::1/128']);
    const found = await walkSiteFrom(shown, address, isHere, (done) => {
      site.tell({ type: 'progress', work: 'walk', done });
    });
    site.walked = found;
    return { addresses: found.length };
  }),
  screens: read(none, (_, { shown }) => listScreens(shown)),
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
        const done = await changeLock(file, which, {
          ...(places && { places }),
          ...(settings && { settings }),
          ...(dynamic !== undefined && { dynamic }),
        });
        if (password === undefined) return { ...done, password: undefined };
        const added = await addPassword(file, which, { password: password.is, label: password.label });
        if (caller.site.twoSteps.size > 200) caller.site.twoSteps.clear();
        caller.site.twoSteps.add(await readPolicyText(file));
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
  'password.propose': readByAll(z.strictObject({ words: z.number().int().optional() }), ({ words = 4 }) =>
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
    const isTwo = site.twoSteps.has(await readPolicyText(shown));
    const done = await goBack(shown);
    // The lock that came with its password goes with it.
    if (isTwo) await goBack(shown);
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
    (order, { site }) => invite(site.policyFile, order),
  ),
  'people.locks': act(z.strictObject({ person: line, locks: z.array(name) }), ({ person, locks }, { site }) =>
    setKeeperLocks(site.policyFile, person, locks),
  ),
  'people.remove': act(z.strictObject({ person: line }), ({ person }, { site }) =>
    removePerson(site.policyFile, person),
  ),
  'people.end-sessions': act(z.strictObject({ person: line.optional() }), ({ person }, { site }) =>
    endSessions(site.policyFile, person),
  ),
} as const;

export type CallName = keyof typeof calls;

/** What a call takes and gives, by its name: the types of the surface for whoever writes a page of their own. */
export type CallInput<Name extends CallName> = Parameters<(typeof calls)[Name]['run']>[0];
export type CallResult<Name extends CallName> = Awaited<ReturnType<(typeof calls)[Name]['run']>>;

/** Whether somebody may make a call. Refused by the server, whatever a page shows. */
export function mayCall(
  { role, locks }: { readonly role: string; readonly locks: readonly string[] },
  {
    forAll,
    locksOf,
  }: { readonly forAll: boolean; readonly locksOf?: ((input: never) => readonly string[]) | undefined },
  input: unknown,
): boolean {
  if (role === 'owner' || forAll) return true;
  if (role !== 'keeper' || locksOf === undefined) return false;
  const needed = locksOf(input as never);
  return needed.length > 0 && needed.every((one) => locks.includes(one));
}
