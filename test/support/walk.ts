import assert from 'node:assert/strict';
import { join } from 'node:path';
import type { CommandResults } from '../../src/owner/results.js';
import { startSite } from '../../src/server/site-server.js';
import { guardFromFile, type FileGuard } from '../../src/stores/file-guard.js';
import { dorlinHere } from './command-line.js';
import { temporaryFolder, writeFiles } from './sites.js';

/** Most commands that a walk may take. */
export const mostCommands = 8;

/** Somebody in front of the site, whose browser keeps what it is given. */
export interface Browser {
  /** Asks for an address, and follows where it is sent. */
  readonly visit: (
    path: string,
    headers?: Readonly<Record<string, string>>,
  ) => Promise<{ status: number; text: string; path: string; headers: Headers }>;
  /** Types a password at the screen of a lock, having asked for an address. */
  readonly unlock: (
    lock: string,
    password: string,
    to: string,
    fields?: Readonly<Record<string, string>>,
  ) => Promise<{ status: number; text: string; path: string }>;
  readonly cookies: ReadonlyMap<string, string>;
}

/** What an owner has at hand on a walk. */
export interface Owner {
  /** Calls a command, which must end as is said; gives back what it prints as JSON. */
  readonly dorlin: <Name extends keyof CommandResults>(
    type: Name,
    words: readonly string[],
    exitCode?: number,
  ) => Promise<CommandResults[Name]>;
  /** A browser that has never been here. */
  readonly browser: () => Browser;
  /** Letters that visitors were sent. */
  readonly letters: { readonly to: string; readonly subject: string; readonly text: string }[];
  /** Lets time pass for the running site, in days. */
  readonly wait: (days: number) => void;
  readonly url: () => string;
}

export interface Walk {
  readonly name: string;
  readonly files: Readonly<Record<string, string>>;
  readonly go: (owner: Owner) => Promise<void>;
}

/** An owner's walk over a site of these files. */
export const walk = (
  name: string,
  files: readonly string[] | Readonly<Record<string, string>>,
  go: Walk['go'],
): Walk => {
  // A list names pages whose content does not matter.
  const written = Object.entries(files).map(([key, value]): [string, string] =>
    files instanceof Array ? [value, `<title>${value}</title><p>${value}</p>`] : [key, value],
  );
  return { name, files: Object.fromEntries(written), go };
};

/** Goes a walk: every command is called as from a terminal, and the site runs from the first on. */
export async function goWalk({ files, go }: Walk): Promise<{ commands: number }> {
  const { folder, remove } = await temporaryFolder();
  await writeFiles(folder, Object.fromEntries(Object.entries(files).map(([path, text]) => [`dist/${path}`, text])));
  const policy = join(folder, 'dorlin.yaml');
  const letters: { to: string; subject: string; text: string }[] = [];
  let passed = 0;
  let guard: FileGuard | undefined;
  let site: Awaited<ReturnType<typeof startSite>> | undefined;
  let commands = 0;
  const url = () => `http://127.0.0.1:${site?.port ?? 0}`;

  const dorlin: Owner['dorlin'] = async (_type, words, exitCode = 0) => {
    commands++;
    const folders = words[0] === 'init' ? words.map((word) => (word === 'dist' ? join(folder, word) : word)) : words;
    const { exitCode: code, stdout: printed } = await dorlinHere(folder, [...folders, '--policy', policy, '--json']);
    assert.equal(code, exitCode, `dorlin ${words.join(' ')}: ${printed}`);
    if (site === undefined) {
      guard = await guardFromFile(policy, {
        clock: () => Date.now() / 1000 + passed,
        sendLetter: (letter) => {
          letters.push(letter);
          return Promise.resolve();
        },
      });
      site = await startSite({
        guard,
        source: { folder: join(folder, 'dist') },
        host: '127.0.0.1',
        port: 0,
        mayMove: false,
      });
    }
    return JSON.parse(printed) as never;
  };
  try {
    await go({
      dorlin,
      letters,
      url,
      browser: () => newBrowser(url),
      wait: (days) => (passed += days * 86_400),
    });
  } finally {
    await site?.close();
    await guard?.close();
    await remove();
  }
  return { commands };
}

export function newBrowser(site: () => string): Browser {
  const cookies = new Map<string, string>();
  const keep = (headers: Headers) => {
    for (const line of headers.getSetCookie()) {
      const [, name = '', value = ''] = /^([^=]+)=([^;]*)/.exec(line) ?? [];
      if (/max-age=0|expires=Thu, 01 Jan 1970/i.test(line) || value === '') cookies.delete(name);
      else cookies.set(name, value);
    }
  };
  type Sent = RequestInit & { headers: Readonly<Record<string, string>> };
  const send = async (path: string, init: Sent) => {
    let address = new URL(path, site()).href;
    let sent: RequestInit = init;
    const own = Object.entries(init.headers);
    for (let hops = 0; ; hops++) {
      const cookie = [...cookies].map(([name, value]) => `${name}=${value}`).join('; ');
      const headers = new Headers([['accept', 'text/html']]);
      for (const [name, value] of own) headers.set(name, value);
      if (cookie !== '') headers.set('cookie', cookie);
      const answer = await fetch(address, { redirect: 'manual', ...sent, headers });
      keep(answer.headers);
      const location = answer.headers.get('location');
      const next = location === null ? undefined : new URL(location, address);
      const isOurs = next?.origin === new URL(site()).origin;
      if (next === undefined || !isOurs || hops > 4) {
        const at = next !== undefined && !isOurs ? next.href : new URL(address).pathname;
        return { status: answer.status, text: await answer.text(), path: at, headers: answer.headers };
      }
      address = next.href;
      sent = {};
    }
  };
  return {
    cookies,
    visit: (path, headers = {}) => send(path, { headers }),
    unlock: (lock, password, to, fields = {}) =>
      send('/_dorlin/unlock', {
        method: 'POST',
        body: new URLSearchParams({ lock, password, to, ...fields }),
        headers: { 'content-type': 'application/x-www-form-urlencoded' },
      }),
  };
}
