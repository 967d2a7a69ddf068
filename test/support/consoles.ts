import { join } from 'node:path';
import type { CallInput, CallName, CallResult } from '../../src/console/calls.js';
import { createConsole, type ConsoleOptions } from '../../src/console/console.js';
import { invite, type InviteOrder } from '../../src/owner/people/people.js';
import { temporaryFolder, writeFiles } from './sites.js';

export const origin = 'http://127.0.0.1:4290';
export const goodPassword = 'comet lantern gravel sixpence';

/** What a request to a console says, besides what every page of its own says. */
export interface Asking {
  readonly method?: string;
  readonly headers?: Readonly<Record<string, string | undefined>>;
  readonly body?: unknown;
  readonly address?: string;
  readonly encrypted?: boolean;
}

/** A console over a site of these files, asked without sockets, and people at it. */
export async function testConsole(
  policy: string,
  files: Readonly<Record<string, string>> = {},
  options: Partial<ConsoleOptions> = {},
) {
  const { folder, remove } = await temporaryFolder();
  const policyFile = join(folder, 'dorlin.yaml');
  await writeFiles(folder, {
    'dist/index.html': '<title>Start</title>',
    ...Object.fromEntries(Object.entries(files).map(([path, text]) => [`dist/${path}`, text])),
    'dorlin.yaml': policy,
  });
  const world = { now: Date.now() / 1000 };
  const made = await createConsole({ policyFile, origins: () => [origin], clock: () => world.now, ...options });

  const ask = async (path: string, { method, headers = {}, body, address = '127.0.0.1', encrypted }: Asking = {}) => {
    const all: Record<string, string | undefined> = {
      host: new URL(origin).host,
      ...(body !== undefined && { 'content-type': 'application/json', origin }),
      ...headers,
    };
    const sent = new Headers();
    for (const [name, value] of Object.entries(all)) if (value !== undefined) sent.set(name, value);
    const request = new Request(origin + path, {
      method: method ?? (body === undefined ? 'GET' : 'POST'),
      headers: sent,
      ...(body !== undefined && { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    });
    return made.fetch(request, address, encrypted);
  };

  /** Somebody who has taken an invitation. */
  const person = async (name: string, order: InviteOrder = {}) => {
    const { token: invitation } = await invite(policyFile, order);
    const entered = await ask('/api/accept', { body: { invite: invitation, name, password: goodPassword } });
    if (entered.status !== 200) throw new Error(await entered.text());
    const cookie = (entered.headers.getSetCookie()[0] ?? '').split(';', 1)[0] ?? '';
    const { token } = (await entered.json()) as { token: string };
    const session = async () =>
      (await (await ask('/api/session', { headers: { cookie } })).json()) as {
        version: string;
        person?: object;
        draft?: object;
      };
    /** The answer of a call, as it is. */
    const raw = async (call: string, input: unknown, version?: string, more: Asking = {}) =>
      ask(`/api/${call}`, {
        body: { input, version: version ?? (await session()).version },
        ...more,
        headers: { cookie, 'dorlin-token': token, ...more.headers },
      });
    return {
      cookie,
      token,
      session,
      raw,
      call: async <Name extends CallName>(name: Name, input: CallInput<Name>): Promise<CallResult<Name>> => {
        const answer = await raw(name, input);
        const said = (await answer.json()) as { result: CallResult<Name> };
        if (answer.status !== 200) throw new Error(`${name}: ${JSON.stringify(said)}`);
        return said.result;
      },
      /** The code by which a call is refused. */
      refused: async (name: string, input: unknown, version?: string) => {
        const answer = await raw(name, input, version);
        const { error } = (await answer.json()) as { error?: { code: string } };
        return error === undefined ? 'done' : `${answer.status} ${error.code}`;
      },
    };
  };
  return Object.assign(world, {
    policyFile,
    folder,
    ask,
    person,
    close: async () => {
      await made.close();
      await remove();
    },
  });
}
