import { readFile } from 'node:fs/promises';
import { dirname, resolve, sep } from 'node:path';
import { isDeepStrictEqual } from 'node:util';
import { writeFileWhole } from '../whole-file.js';
import { DorlinError } from '../../core/errors.js';
import { readEntry } from '../../core/journal/entry.js';
import { readPolicyOrThrow } from '../../core/policy/read.js';
import type { Policy } from '../../core/policy/types.js';
import { baseFile, draftFile } from '../draft-files.js';
import { ignore } from '../file-errors.js';
import { appendEntries, journalFile } from '../journal-file.js';
import { givenSecret, makeKeepingFolder, openKeys, readSecret, whileAlone, writeSecret } from '../keeping.js';
import { keepNamed, keptNames, readKept } from '../kept-files.js';
import { noteLinkUses } from '../link-uses.js';
import { keepRequest } from '../mail.js';
import { requestsFile } from '../own-files.js';
import { putHere } from '../put-here.js';
import { requestSchema } from '../request-entry.js';
import { forgetPasswords, recallOf, recallSchema, remindOf } from '../recall-file.js';
import { keepStep } from '../steps.js';
import { storeAddress, tieOf, writeTie, type Tie } from '../tie.js';
import { ask, linesOf, numberOf, textsOf, type RedisClient } from './client.js';
import { connectRedis } from './connect.js';
import { followSites } from './follow.js';
import { defaultPrefix, namesIn, type Names } from './names.js';
import { redisSites, type RedisSites } from './sites.js';
import { messageOf, tell } from './telling.js';

/** A connection to the store, and what is asked of it. */
interface Store {
  readonly client: RedisClient;
  readonly names: Names;
  readonly sites: RedisSites;
}

const storeOf = (client: RedisClient): Store => {
  const names = namesIn(defaultPrefix);
  return { client, names, sites: redisSites(client, names) };
};

/**
 * Does something with the store at an address, or at `DORLIN_REDIS`.
 * @throws DorlinError `call-wrong`, `store-away`
 */
export async function withStore<T>(address: string | undefined, work: (store: Store) => Promise<T>): Promise<T> {
  const found = storeAddress(address);
  if (found === undefined) {
    throw new DorlinError('call-wrong', 'It is not said where the shared store is.', {
      mend: 'Name it with `--redis redis://host:6379`, or in `DORLIN_REDIS`.',
    });
  }
  const { client, close } = await connectRedis(found, 3);
  try {
    return await work(storeOf(client));
  } finally {
    close();
  }
}

const textIn = (file: string) => readFile(file, 'utf8').catch(ignore('ENOENT'));

/** What was brought in from the store. */
export interface Pulled {
  readonly site: string;
  readonly version: number;
  /** The policy here before; undefined where there was none. */
  readonly before: Policy | undefined;
  readonly after: Policy;
  /** Where changes that were made here meanwhile have gone. */
  readonly draft: string | undefined;
}

/**
 * Brings a site of the store to a policy file, which is tied to it from then on: policy, secret, passwords
 * to look up, pictures, journal, requests and the uses of links. What was changed here and is not in the
 * store becomes a draft.
 *
 * @param site - its id. @default the one that the file is tied to, or its own `site.id`
 * @throws DorlinError `source-unknown`, `policy-invalid`, `source-changed`, `store-away`, `store-unfit`
 */
export async function pullPolicy(policyFile: string, { client, names, sites }: Store, site?: string): Promise<Pulled> {
  await makeKeepingFolder(policyFile);
  return whileAlone(policyFile, async () => {
    const local = await textIn(policyFile);
    const tie = await tieOf(policyFile);
    const own = tie?.site ?? (local === undefined ? undefined : readPolicyOrThrow(local, policyFile).site.id);
    const id = site ?? own;
    if (id === undefined) throw await unnamed(sites);
    if (own !== undefined && own !== id) {
      throw new DorlinError(
        'source-refused',
        `${policyFile} is the policy of ${own}, and would become that of ${id}.`,
        {
          mend: 'Pull each site into a folder of its own.',
        },
      );
    }
    const stored = await sites.read(id);
    if (stored?.text === undefined)
      throw new DorlinError('source-unknown', `The store has no policy for the site ${id}.`);
    const after = readPolicyOrThrow(stored.text, `the site ${id}`);
    refuseElsewhere(policyFile, after);
    const base = tie?.site === id ? tie.text : undefined;
    const isChangedHere = local !== undefined && local !== base && local !== stored.text;
    let draft: string | undefined;
    // Where nobody has pushed since, what was changed here goes on from there.
    const takesOver = stored.text !== local && !(isChangedHere && stored.text === base);
    if (isChangedHere && takesOver) {
      draft = draftFile(policyFile);
      if ((await textIn(draft)) !== undefined) {
        throw new DorlinError(
          'source-changed',
          `${policyFile} was changed here and in the store, and there is a draft already.`,
          {
            mend: 'Make the draft live or throw it away (`dorlin back --draft`), then pull again.',
          },
        );
      }
      await writeFileWhole(baseFile(policyFile), base ?? stored.text, { mode: 0o600 });
      await writeFileWhole(draft, local);
    }
    await takeSecret(policyFile, stored.secret);
    const recall = recallSchema.safeParse(parsed((await sites.recall(id)) ?? '{}')).data;
    if (recall !== undefined) await remindOf(policyFile, recall);
    const kept = new Set(await keptNames(policyFile));
    for (const name of await sites.pictures(id)) {
      const picture = kept.has(name) ? undefined : await sites.picture(id, name);
      if (picture !== undefined) await keepNamed(policyFile, name, picture.body);
    }
    if (takesOver) {
      if (local !== undefined) await keepStep(policyFile, local, stored.text);
      await putHere(policyFile, stored.text);
      // What was ended there is to be forgotten here too, unless a draft may still mean it.
      if ((await textIn(draftFile(policyFile))) === undefined) {
        await forgetPasswords(
          policyFile,
          (lock, password) => after.locks.get(lock)?.passwords.some((one) => one.id === password) === true,
        );
      }
    }
    const news = await takeNews(policyFile, after, { client, names }, id, tie?.site === id ? tie : undefined);
    const now: Tie = { site: id, version: stored.version, text: stored.text, ...news };
    if (!isDeepStrictEqual(now, tie)) await writeTie(policyFile, now);
    const before = local === undefined ? undefined : readPolicyOrThrow(local, policyFile);
    return { site: id, version: stored.version, before, after, draft };
  });
}

/** What a policy of the store names is not to be written outside of the folder that it was brought to. */
function refuseElsewhere(policyFile: string, policy: Policy): void {
  const folder = resolve(dirname(policyFile));
  const files = [journalFile(policyFile, policy), requestsFile(policyFile, policy)].filter(
    (file) => file !== undefined,
  );
  const outside = files.find((file) => !resolve(file).startsWith(folder + sep));
  if (outside === undefined) return;
  throw new DorlinError(
    'source-refused',
    `The policy of the store would have ${outside} written, outside of ${folder}.`,
    {
      mend: 'Have `journal.file` and `mail.list` lie below the policy.',
    },
  );
}

async function unnamed(sites: RedisSites): Promise<DorlinError> {
  const all = await sites.list();
  const some = all.length > 5 ? `${all.length} of them` : all.join(', ');
  return new DorlinError(
    'source-unknown',
    `It is not said which site of the store: there ${all.length === 0 ? 'is none' : `are ${some}`}.`,
  );
}

/** What signs there signs here: what was sealed and handed out by the one is to be read by the other. */
async function takeSecret(policyFile: string, secret: string): Promise<void> {
  if ((await givenSecret()) !== undefined) return;
  const own = await readSecret(policyFile);
  const theirs = secret.split(',').map((one) => one.trim());
  const more = (own ?? '').split(',').filter((one) => one !== '' && !theirs.includes(one.trim()));
  const all = [...theirs, ...more].join(',');
  if (all !== own) await writeSecret(policyFile, all);
}

/** Takes over what has happened since. */
async function takeNews(
  policyFile: string,
  policy: Policy,
  { client, names }: Omit<Store, 'sites'>,
  id: string,
  tie: Tie | undefined,
): Promise<Pick<Tie, 'journal' | 'requests'>> {
  const since = { journal: tie?.journal ?? '0', requests: tie?.requests ?? '0' };
  for (;;) {
    const lines = linesOf(await ask(client, 'XRANGE', names.journal(id), after(since.journal), '+', 'COUNT', 1000));
    const entries = lines.map(({ line }) => readEntry(line)).filter((entry) => entry !== undefined);
    if (entries.length > 0) await appendEntries(policyFile, policy, entries, Date.now() / 1000);
    since.journal = lines.at(-1)?.id ?? since.journal;
    if (lines.length < 1000) break;
  }
  for (const { id: at, line } of linesOf(await ask(client, 'XRANGE', names.requests(id), after(since.requests), '+'))) {
    const entry = requestSchema.safeParse(parsed(line)).data;
    if (entry !== undefined) await keepRequest(requestsFile(policyFile, policy), entry);
    since.requests = at;
  }
  const uses = textsOf(await ask(client, 'HGETALL', names.uses(id)));
  const counts = uses.flatMap((name, at) =>
    at % 2 === 0 && name !== undefined ? [[name, numberOf(uses[at + 1])] as const] : [],
  );
  if (counts.length > 0) await noteLinkUses(policyFile, Object.fromEntries(counts));
  return since;
}

/** What a text says as JSON; undefined for what is none. */
function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

const after = (id: string) => (id === '0' ? '-' : `(${id}`);

/** What was brought into the store. */
export interface Pushed {
  readonly site: string;
  readonly version: number;
  /** The policy that was there before; undefined where the site is new there. */
  readonly before: Policy | undefined;
  readonly after: Policy;
  readonly hosts: readonly string[];
}

/**
 * Brings a policy into the store, where it counts within a second, with all that belongs to it; the file is
 * tied to it from then on.
 *
 * @param hosts - the site's hosts; left out, those that it has stay, and a new one has that of its origin
 * @throws DorlinError `policy-missing`, `policy-invalid`, `source-refused`, `source-changed`, `store-away`
 */
export async function pushPolicy(policyFile: string, store: Store, hosts?: readonly string[]): Promise<Pushed> {
  return whileAlone(policyFile, async () => {
    const text = await textIn(policyFile);
    if (text === undefined) throw new DorlinError('policy-missing', `There is no policy at ${policyFile}.`);
    const { pushed, tied } = await putText(policyFile, text, store, hosts);
    await tied();
    return pushed;
  });
}

async function putText(
  policyFile: string,
  text: string,
  { sites, client, names }: Store,
  given?: readonly string[],
): Promise<{ readonly pushed: Pushed; readonly tied: () => Promise<void> }> {
  const policy = readPolicyOrThrow(text, policyFile);
  refuseElsewhere(policyFile, policy);
  const { id, origin } = policy.site;
  if (id === undefined) {
    throw new DorlinError(
      'source-refused',
      `The policy ${policyFile} has no \`site.id\`, by which it is kept in the store.`,
      {
        mend: 'Give it one: `dorlin site id=NAME`. Passes are bound to it, so who is in is asked once more.',
      },
    );
  }
  const tie = await tieOf(policyFile);
  // Who works on a copy of one site is not to make another by it, nor to take hosts that way.
  if (tie !== undefined && tie.site !== id) {
    throw new DorlinError(
      'source-refused',
      `${policyFile} is tied to the site ${tie.site}, and its \`site.id\` is ${id} now.`,
      {
        mend: `Set it back (\`dorlin site id=${tie.site}\`), or push the other site from a folder of its own.`,
      },
    );
  }
  const stored = await sites.read(id);
  // Taken out and brought in again it goes on counting; a store that was emptied begins anew.
  const isGone = stored?.text === undefined;
  const since = isGone ? (stored?.version ?? 0) : (tie?.version ?? 0);
  const named = given === undefined ? undefined : [...new Set(given.map(hostNamed))];
  const hosts = named ?? (isGone ? ownHosts(origin) : undefined);
  await openKeys(policyFile);
  const secret = await readSecret(policyFile);
  const there = new Set(await sites.pictures(id));
  for (const name of await keptNames(policyFile)) {
    const file = there.has(name) ? undefined : await readKept(policyFile, name);
    if (file !== undefined) await sites.putPicture(id, name, file.body);
  }
  const recall = JSON.stringify(await recallOf(policyFile));
  // Nothing but what can be looked up is other than there: no guard need read it anew.
  const isSame =
    stored?.text === text && stored.version === since && (hosts === undefined || sameHosts(hosts, stored.hosts));
  if (isSame) await sites.putRecall(id, recall);
  const version = isSame ? stored.version : await sites.put({ id, text, since, hosts, secret, recall });
  const lines = tie?.site === id ? tie : { journal: await newest(client, names.journal(id)), requests: '0' };
  if (stored !== undefined) await takeSecret(policyFile, stored.secret);
  const before = stored?.text === undefined ? undefined : readPolicyOrThrow(stored.text, `the site ${id}`);
  return {
    pushed: { site: id, version, before, after: policy, hosts: hosts ?? stored?.hosts ?? [] },
    tied: () => writeTie(policyFile, { site: id, version, text, journal: lines.journal, requests: lines.requests }),
  };
}

const sameHosts = (one: readonly string[], other: readonly string[]) =>
  [...one].sort().join() === [...other].sort().join();

/** A host as it is kept: in small letters, `xn--` for other scripts, without a port. */
const hostNamed = (text: string) =>
  URL.canParse(`http://${text}/`) ? new URL(`http://${text}/`).hostname.replace(/\.$/, '') : text;

const ownHosts = (origin: string | undefined) => (origin === undefined ? [] : [hostNamed(new URL(origin).host)]);

const newest = async (client: RedisClient, stream: string) =>
  linesOf(await ask(client, 'XREVRANGE', stream, '+', '-', 'COUNT', 1))[0]?.id ?? '0';

/**
 * Puts an edited text into the store before it is written here; to be called while alone.
 *
 * @returns to be called once it is written here: who is killed in between must not take what is here for
 * newer than what is there
 * @throws DorlinError as {@link pushPolicy}
 */
export const pushText = (policyFile: string, text: string): Promise<() => Promise<void>> =>
  withStore(undefined, async (store) => (await putText(policyFile, text, store)).tied);

/** Has the passwords to look up be those that there are here. To be called while alone. */
export async function pushRecall(policyFile: string): Promise<void> {
  const tie = await tieOf(policyFile);
  if (tie === undefined) return;
  const recall = JSON.stringify(await recallOf(policyFile));
  await withStore(undefined, ({ sites }) => sites.putRecall(tie.site, recall));
}

/**
 * Takes over what was changed in the store since, where a policy is tied to one there and it can be reached.
 * @throws DorlinError as {@link pullPolicy}
 */
export async function freshen(policyFile: string): Promise<void> {
  if (storeAddress() === undefined || (await tieOf(policyFile)) === undefined) return;
  await withStore(undefined, (store) => pullPolicy(policyFile, store));
}

/** How often what has happened is taken over while somebody looks on, in milliseconds. */
const newsEvery = 3000;

/**
 * Takes over what is changed in the store, and what happens, for as long as somebody works on a policy that
 * is tied to one there.
 *
 * @param onProblem - told why that does not go on, once for each time; it is tried again by itself
 * @returns ends it
 */
export async function keepFresh(
  policyFile: string,
  onProblem: (problem: string) => void,
): Promise<() => Promise<void>> {
  const address = storeAddress();
  const tie = await tieOf(policyFile);
  if (address === undefined || tie === undefined) return () => Promise.resolve();
  const { client, close } = await connectRedis(address);
  const store = storeOf(client);
  let problem = '';
  let queue = Promise.resolve();
  let isWaiting = false;
  const pull = () => {
    if (isWaiting) return;
    isWaiting = true;
    queue = queue.then(async () => {
      isWaiting = false;
      try {
        await pullPolicy(policyFile, store, tie.site);
        problem = '';
      } catch (error) {
        const now = messageOf(error);
        if (now !== problem) {
          tell(() => {
            onProblem(now);
          });
        }
        problem = now;
      }
    });
  };
  const stop = await followSites(client, store.names, (id) => {
    if (id === undefined || id === tie.site) pull();
  });
  const timer = setInterval(pull, newsEvery);
  timer.unref();
  return async () => {
    clearInterval(timer);
    stop();
    await queue;
    close();
  };
}
