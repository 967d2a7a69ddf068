import { useSyncExternalStore } from 'react';
// As whoever installs the package sees them: built first (`npm run build`).
import type {
  CallInput,
  CallName,
  CallResult,
  ConsoleAnswers,
  ConsoleNews,
  SessionStanding as Session,
} from '../../../dist/console.js';

export type { CallInput, CallName, CallResult, Session };

/** Something that the console refused, with what to do about it. */
export class Refused extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly mend: string,
  ) {
    super(message);
  }
}

interface Known {
  /** What policy and draft this page has seen last. */
  readonly version: string;
  readonly token: string;
  readonly isOnline: boolean;
  /** How far a walk over the site has come. */
  readonly walked: number | undefined;
  /** How far a patrol has come. */
  readonly patrolled: { readonly phase: string; readonly done: number; readonly all: number } | undefined;
  /** How many patrols have ended since this page was opened. */
  readonly patrols: number;
  /** How far a sealing has come. */
  readonly sealed: { readonly phase: string; readonly done: number; readonly all: number } | undefined;
  /** How many sealings have ended since this page was opened. */
  readonly sealings: number;
  /** How often something happened at the locks since this page was opened. */
  readonly events: number;
  /** Who has changed something last, where it was somebody else. */
  readonly changedBy: string | undefined;
}

let known: Known = {
  version: '',
  token: '',
  isOnline: true,
  walked: undefined,
  patrolled: undefined,
  patrols: 0,
  sealed: undefined,
  sealings: 0,
  events: 0,
  changedBy: undefined,
};
const listeners = new Set<() => void>();

export function setKnown(more: Partial<Known>): void {
  known = { ...known, ...more };
  for (const listener of listeners) listener();
}

export const useKnown = (): Known =>
  useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => known,
  );

async function ask(path: string, body?: unknown): Promise<unknown> {
  let response: Response;
  try {
    response = await fetch(`/api/${path}`, {
      ...(body !== undefined && {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'dorlin-token': known.token },
        body: JSON.stringify(body),
      }),
    });
  } catch {
    setKnown({ isOnline: false });
    throw new Refused('offline', 'The console does not answer.', 'See whether it still runs; nothing was changed.');
  }
  if (!known.isOnline) setKnown({ isOnline: true });
  const answer = (await response.json().catch(() => ({}))) as {
    error?: { code: string; message: string; mend: string };
  };
  if (response.ok) return answer;
  const { code = 'failed', message = 'Something went wrong.', mend = '' } = answer.error ?? {};
  if (code === 'not-signed-in') for (const told of onSignedOut) told();
  throw new Refused(code, message, mendHere[code] ?? mend);
}

/** Called when the session has ended meanwhile. */
export const onSignedOut = new Set<() => void>();

/** What to do in the console, where a command would be the answer in a terminal. */
const mendHere: Readonly<Record<string, string>> = {
  'place-unlocked': 'It is open already.',
  'place-empty': 'Mend its spelling, or say that an application makes this page.',
  'label-taken': 'Choose another name for it.',
  'origin-missing': 'Say in the settings where the site is.',
  'journal-off': 'Keep a journal: see the settings.',
  'password-not-recallable': 'It cannot be shown any more. Replace it by a new one.',
  'nothing-to-take-back': 'The last change was not made here.',
  'draft-missing': 'Everything is live.',
  'folder-missing': 'Say in the settings where the site’s files are.',
};

export const getSession = async (): Promise<Session> => {
  const session = (await ask('session')) as Session;
  setKnown({ token: session.token ?? '', version: session.version ?? known.version });
  return session;
};

export const enter = (name: string, password: string) => ask('enter', { name, password });
export const accept = (invite: string, name: string, password: string) => ask('accept', { invite, name, password });
export const invited = (invite: string) => ask('invited', { invite }) as Promise<ConsoleAnswers['invited']>;
export const leave = () => ask('leave', {});

/** Makes a call; with what this page has seen last, so that nothing of anybody else’s is written over. */
export async function call<Name extends CallName>(name: Name, input: CallInput<Name>): Promise<CallResult<Name>> {
  const { result, version } = (await ask(name, { input, version: known.version })) as {
    result: CallResult<Name>;
    version: string;
  };
  if (version !== known.version) setKnown({ version });
  return result;
}

/** Listens to news for as long as somebody is signed in. @returns what ends it */
export function listen(person: string): () => void {
  let source: EventSource | undefined;
  let again: ReturnType<typeof setTimeout> | undefined;
  const open = () => {
    source = new EventSource('/api/news');
    source.onmessage = ({ data }: MessageEvent<string>) => {
      const news = JSON.parse(data) as ConsoleNews;
      if (news.type === 'changed' && news.version !== known.version) {
        setKnown({
          version: news.version,
          changedBy: news.by === person ? undefined : (news.by ?? 'Somebody, outside of the console,'),
        });
      }
      // Counts of what was used are asked for anew.
      if (news.type === 'events') setKnown({ events: known.events + news.count });
      if (news.type === 'progress') {
        const { work, done, all = 0, phase = '' } = news;
        const far = { phase, done, all };
        setKnown(work === 'walk' ? { walked: done } : work === 'seal' ? { sealed: far } : { patrolled: far });
      }
      if (news.type === 'patrolled') setKnown({ patrolled: undefined, patrols: known.patrols + 1 });
      if (news.type === 'sealed') setKnown({ sealed: undefined, sealings: known.sealings + 1 });
      if (!known.isOnline) setKnown({ isOnline: true });
    };
    source.onerror = () => {
      // Any answer but 200 closes it for good, so it is opened again here.
      source?.close();
      setKnown({ isOnline: false });
      again = setTimeout(() => {
        void getSession().then(open, () => (again = setTimeout(open, 4000)));
      }, 2000);
    };
  };
  open();
  return () => {
    clearTimeout(again);
    source?.close();
  };
}
