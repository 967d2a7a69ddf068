import { createHash } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import type { IncomingMessage, RequestListener } from 'node:http';
import { getRequestListener } from '@hono/node-server';
import { Hono, type Context } from 'hono';
import { getCookie, setCookie } from 'hono/cookie';
import { streamSSE } from 'hono/streaming';
import * as z from 'zod';
import { DorlinError } from '../core/errors.js';
import { visitorKey, type Budget } from '../core/guessing/budget.js';
import { draftStandingOf } from '../owner/drafts.js';
import { followEvents } from '../owner/journal.js';
import { acceptInvite, foldedName, inviteBehind, listedPerson, personBy } from '../owner/people/people.js';
import { readPeople, type Person } from '../owner/people/people-file.js';
import { memoryCounters } from '../stores/counters-memory.js';
import { draftFile } from '../stores/draft-files.js';
import { openDraft, waitingDraft } from '../stores/draft.js';
import { watchFile } from '../stores/file-watch.js';
import { keptSecurityPolicy } from '../guard/answers/assets.js';
import { shownFile } from '../owner/screen-bytes.js';
import { loadPolicy } from '../stores/policy-file.js';
import { answerError, answerHeaders, checkedInput, errorOf, inputOf } from './answers.js';
import { appFiles } from './app-files.js';
import { addressOf, arrivalOf, elsewhere, isKnownHost, isSecure, judgeArrival, type Env } from './arrival.js';
import { mayCall, type Call } from './call.js';
import { calls, type CallName } from './calls.js';
import { aboutOf, noteChange } from './changes.js';
import type { Caller, ConsoleNews, ConsoleSite } from './context.js';
import type { ConsoleResults, SiteAbout } from './results.js';
import { sent } from './sent.js';
import { isToken, Sessions } from './sessions.js';

/** What a console is for, and where it stands. */
export interface ConsoleOptions {
  /** The path of the policy. */
  readonly policyFile: string;
  /**
   * Scheme and host under which it is reached, several where there are several. Requests that name another
   * host are refused, so that no page elsewhere can reach it by a name that leads here.
   */
  readonly origins: () => readonly string[];
  /** The folder of the app’s files. Without it, the calls are there alone, for a page of your own. */
  readonly app?: string | undefined;
  /** Where the site is played through somebody’s eyes; see {@link ConsoleSite}. */
  readonly frame?: (() => Pick<ConsoleSite, 'frameOrigin' | 'playAs'> | undefined) | undefined;
  /** Called once an owner has begun a policy, where there was none. */
  readonly begun?: (() => Promise<void>) | undefined;
  /** Where the site answers beside it, as seen from this machine. */
  readonly siteUrl?: string | undefined;
  /** In seconds since 1970. @default the time of the machine */
  readonly clock?: (() => number) | undefined;
}

/** A console. */
export interface OwnersConsole {
  /** Answers requests of `node:http`. */
  readonly listener: RequestListener;
  /** Answers one request, for servers of that shape. */
  readonly fetch: (request: Request, address?: string, isEncrypted?: boolean) => Promise<Response>;
  readonly close: () => Promise<void>;
}

/** Guesses at the passwords of people: by name and by visitor. */
const perVisitor: Budget = { tries: 10, seconds: 900 };
const perName: Budget = { tries: 30, seconds: 3600 };

/** Most pages that listen to news at once; the oldest goes, and asks again. */
const mostStreams = 200;

/**
 * Makes the owner’s console of a policy: calls as JSON under `/api/`, news as server-sent events, and the app.
 *
 * @throws DorlinError `people-unreadable`
 *
 * @example
 * const console = await createConsole({ policyFile: 'dorlin.yaml', origins: () => ['https://console.example'] });
 * createServer(console.listener).listen(8090, '127.0.0.1');
 */
export async function createConsole(options: ConsoleOptions): Promise<OwnersConsole> {
  const { policyFile, origins, frame = () => undefined } = options;
  const clock = options.clock ?? (() => Date.now() / 1000);
  await readPeople(policyFile);
  const sessions = new Sessions(policyFile, clock);
  const counters = memoryCounters();
  const closers = new Set<() => void>();
  const listeners = new Set<(news: ConsoleNews) => void>();
  const tell = (news: ConsoleNews) => {
    for (const listener of listeners) listener(news);
  };
  const site: ConsoleSite = {
    policyFile,
    titles: new Map(),
    acts: new Map(),
    found: undefined,
    walking: undefined,
    patrolling: undefined,
    sealing: undefined,
    get frameOrigin() {
      return frame()?.frameOrigin;
    },
    get playAs() {
      return frame()?.playAs;
    },
    begun: async () => {
      await options.begun?.();
      followFiles();
    },
    tell,
  };

  let told = await versionOf(policyFile);
  const look = (by?: string) =>
    versionOf(policyFile).then((version) => {
      if (version === told) return version;
      told = version;
      tell({ type: 'changed', version, by });
      return version;
    });
  // What an edit of our own does to the files is told when it is done, with who did it.
  let isEditing = false;
  const noticed = () => {
    if (!isEditing) look().catch(warn);
  };
  const ends = [policyFile, draftFile(policyFile)].map((file) => watchFile(file, noticed));
  /** Follows what happens at the locks, once there is a policy that says where it is written down. */
  const followFiles = () => {
    ends.push(
      followEvents(policyFile, {}, (entries) => {
        tell({ type: 'events', count: entries.length });
      }),
    );
    // Where they cannot be followed, or no journal is kept, one is told at the next call.
    for (const end of ends) end.catch(() => undefined);
  };
  followFiles();

  // One edit after the other: what one person has seen is checked before another changes it.
  let queue: Promise<unknown> = Promise.resolve();
  const inTurn = <T>(work: () => Promise<T>): Promise<T> => {
    const done = queue.then(work, work);
    queue = done.catch(() => undefined);
    return done;
  };

  const app = new Hono<Env>();
  app.onError((error, context) => answerError(context, error));
  const headers = () => answerHeaders(site.frameOrigin);
  // Around all else, so that what is refused has them as well.
  app.use(async (context, next) => {
    await next();
    for (const [name, value] of Object.entries(headers()))
      if (name !== 'content-security-policy' || !context.res.headers.has(name)) context.res.headers.set(name, value);
    if (!context.res.headers.has('cache-control')) context.res.headers.set('cache-control', 'no-store');
  });
  app.use(async (context, next) => {
    await judgeArrival(context, policyFile, origins);
    await next();
  });

  const cookieName = (context: Context<Env>) => (isSecure(context) ? '__Host-dorlin-console' : 'dorlin-console');
  const enter = (context: Context<Env>, person: Person) => {
    const { secret, token } = sessions.begin(person);
    setCookie(context, cookieName(context), secret, {
      httpOnly: true,
      sameSite: 'Strict',
      path: '/',
      secure: isSecure(context),
    });
    return context.json(sent('enter', { person: listedPerson(person), token }));
  };
  const caller = (context: Context<Env>, isUse = true) => sessions.find(getCookie(context, cookieName(context)), isUse);

  app.get('/api/session', async (context) => {
    const { people } = await readPeople(policyFile);
    const found = await caller(context);
    const about = await siteAbout(policyFile);
    if (found === undefined) return context.json(sent('session', { isBegun: people.length > 0, site: about.name }));
    const { person, token } = found;
    return context.json(
      sent('session', {
        isBegun: true,
        site: about.name,
        about,
        person: listedPerson(person),
        token,
        version: await versionOf(policyFile),
        draft: person.role === 'owner' ? await draftStandingOf(policyFile) : undefined,
        address: addressOf(context),
        hasFrame: site.playAs !== undefined,
        siteUrl: person.role === 'owner' ? options.siteUrl : undefined,
      }),
    );
  });
  app.post('/api/enter', async (context) => {
    const { name, password } = await inputOf(context, signIn);
    const address = addressOf(context);
    const keys = [`visitor ${visitorKey(address)}`, `name ${foldedName(name)}`] as const;
    for (const [at, budget] of [perVisitor, perName].entries()) {
      const { isAllowed, waitSeconds } = await counters.take(keys[at] ?? '', budget);
      if (!isAllowed) {
        context.header('retry-after', String(waitSeconds));
        throw new DorlinError(
          'sign-in-wait',
          `Too many tries: the next one counts in ${Math.ceil(waitSeconds / 60)} minutes.`,
        );
      }
    }
    const person = await personBy(policyFile, name, password);
    if (person === undefined) throw new DorlinError('sign-in-wrong', 'Name or password is wrong.');
    await Promise.all([counters.giveBack(keys[0], perVisitor), counters.giveBack(keys[1], perName)]);
    return enter(context, person);
  });
  app.post('/api/invited', async (context) => {
    const { invite } = await inputOf(context, z.strictObject({ invite: z.string().max(200) }));
    const found = await inviteBehind(policyFile, invite);
    if (found === undefined) throw new DorlinError('invite-ended', 'This invitation was taken, or has ended.');
    const { people } = await readPeople(policyFile);
    const { role, locks, person } = found;
    return context.json(sent('invited', { role, locks, name: people.find(({ id }) => id === person)?.name }));
  });
  app.post('/api/accept', async (context) => {
    const { invite, name, password } = await inputOf(context, accept);
    const person = await acceptInvite(policyFile, invite, { name, password });
    await noteChange(policyFile, { at: atNow(clock), person: person.name, call: 'accept', about: person.role });
    return enter(context, person);
  });
  app.post('/api/leave', async (context) => {
    const found = await caller(context);
    if (found === undefined || !isToken(context.req.header('dorlin-token'), found.token)) throw notSignedIn();
    sessions.end(getCookie(context, cookieName(context)));
    setCookie(context, cookieName(context), '', {
      path: '/',
      maxAge: 0,
      httpOnly: true,
      sameSite: 'Strict',
      secure: isSecure(context),
    });
    return context.json(sent('leave', {}));
  });

  // What screens show, for the pictures of them in the designer.
  app.get('/api/shown', async (context) => {
    const found = await caller(context);
    if (found?.person.role !== 'owner') throw notSignedIn();
    const file = await shownFile(policyFile, context.req.query('path') ?? '');
    if (file === undefined) return context.json(errorOf('input-invalid', 'There is no such picture.'), 404);
    return context.body(Buffer.from(file.body), 200, {
      'content-type': file.type,
      'content-security-policy': keptSecurityPolicy,
      'cache-control': 'private, max-age=60',
    });
  });

  app.get('/api/news', async (context) => {
    const found = await caller(context);
    if (found === undefined) throw notSignedIn();
    return streamSSE(context, async (stream) => {
      let over: () => void = () => undefined;
      const ended = new Promise<void>((resolve) => (over = resolve));
      const listener = (news: ConsoleNews) => {
        void stream.writeSSE({ data: JSON.stringify(news) }).catch(over);
      };
      const end = () => {
        listeners.delete(listener);
        closers.delete(end);
        clearInterval(pings);
        over();
      };
      stream.onAbort(end);
      closers.add(end);
      const [oldest] = closers;
      if (closers.size > mostStreams) oldest?.();
      listeners.add(listener);
      const pings = setInterval(() => {
        // Whoever is signed out meanwhile hears no more.
        void caller(context, false)
          .then(async (still) => {
            if (still === undefined) end();
            else await stream.write(': still here\n\n');
          })
          .catch(end);
      }, 15_000);
      await stream.writeSSE({ data: JSON.stringify({ type: 'changed', version: await versionOf(policyFile) }) });
      await ended;
    });
  });

  app.post('/api/:call', async (context) => {
    const found = await caller(context);
    if (found === undefined) throw notSignedIn();
    const { person, token } = found;
    if (!isToken(context.req.header('dorlin-token'), token)) throw elsewhere();
    const name = context.req.param('call');
    if (!isCall(name)) return context.json(errorOf('input-invalid', `There is no call ${name}.`), 404);
    const call = calls[name] as Call<unknown, ConsoleResults[CallName]>;
    const { input, version } = await inputOf(context, envelope);
    const checked = checkedInput(call.input, input);
    if (!mayCall(person, call, checked)) {
      throw new DorlinError('not-allowed', `${person.name} may not do that here.`);
    }
    const run = async () => {
      const draft = person.role === 'owner' ? await waitingDraft(policyFile) : undefined;
      const as: Caller = {
        site,
        person,
        address: addressOf(context),
        draft: () => openDraft(policyFile),
        shown: draft ?? policyFile,
      };
      return call.run(checked, as);
    };
    if (!call.changes) return context.json({ result: sent(name, await run()), version: told });
    return inTurn(async () => {
      // Somebody else’s change that was not noticed yet is told as theirs.
      const newest = await look();
      if (version !== newest) {
        throw new DorlinError('policy-changed', 'Somebody else has changed something meanwhile; nothing was done.', {
          mend: 'Look at it as it is now, and do it once more.',
        });
      }
      isEditing = true;
      const result = await run().finally(() => (isEditing = false));
      await noteChange(policyFile, { at: atNow(clock), person: person.name, call: name, about: aboutOf(checked) });
      return context.json({ result: sent(name, result), version: await look(person.name) });
    });
  });
  app.all('/api/*', (context) => context.json(errorOf('input-invalid', 'There is nothing here.'), 404));

  const listener = getRequestListener(
    (request, env) => app.fetch(request, { arrival: arrivalOf((env as { incoming: IncomingMessage }).incoming) }),
    { overrideGlobalObjects: false },
  );
  const files = options.app === undefined ? undefined : appFiles(options.app, headers);
  return {
    fetch: async (request, address, encrypted = false) => app.fetch(request, { arrival: { address, encrypted } }),
    listener: (request, response) => {
      const isCall = files === undefined || request.url?.startsWith('/api/') === true;
      if (isCall || !isKnownHost(request.headers.host, origins)) listener(request, response).catch(warn);
      else files(request, response);
    },
    close: async () => {
      site.patrolling?.stop.abort();
      site.walking?.abort();
      site.sealing?.stop.abort();
      for (const end of closers) end();
      for (const end of ends) {
        const close = await end.catch(() => undefined);
        await close?.();
      }
    },
  };
}

const signIn = z.strictObject({ name: z.string().max(200), password: z.string().max(1000) });
const accept = z.strictObject({
  invite: z.string().max(200),
  name: z.string().max(200),
  password: z.string().max(1000),
});
const envelope = z.strictObject({ input: z.unknown(), version: z.string().max(100).optional() });

const isCall = (name: string): name is CallName => Object.hasOwn(calls, name);

const atNow = (clock: () => number) => new Date(clock() * 1000).toISOString();
const warn = (error: unknown) => {
  process.emitWarning(error instanceof Error ? error : String(error));
};
const notSignedIn = () => new DorlinError('not-signed-in', 'Nobody is signed in here.');

/** What tells one state of policy and draft from any other. */
async function versionOf(policyFile: string): Promise<string> {
  const texts = await Promise.all(
    [policyFile, draftFile(policyFile)].map((file) => readFile(file, 'utf8').catch(() => '\0')),
  );
  return createHash('sha256').update(texts.join('\0\0')).digest('base64url').slice(0, 22);
}

/** What is known of the site, or why its policy cannot be read. */
async function siteAbout(policyFile: string): Promise<SiteAbout> {
  try {
    const { site } = await loadPolicy(policyFile);
    const { name, origin, timeZone, languages } = site;
    return { name, origin, timeZone, languages, hasFolder: site.folder !== undefined };
  } catch (error) {
    if (!(error instanceof DorlinError)) throw error;
    const nothing = { name: '', timeZone: 'UTC', languages: ['en'], hasFolder: false };
    return error.code === 'policy-missing' ? { ...nothing, isNew: true } : { ...nothing, broken: error.message };
  }
}
