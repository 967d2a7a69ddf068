import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { WebSocket, type RawData } from 'ws';

/** Firefox as Debian has it, spoken to by WebDriver BiDi (W3C), as far as these tests need. */
export async function launchFirefox() {
  const profile = await mkdtemp(join(tmpdir(), 'dorlin-firefox-'));
  await writeFile(
    join(profile, 'user.js'),
    ['app.update.enabled', 'datareporting.policy.dataSubmissionEnabled', 'network.captive-portal-service.enabled']
      .map((name) => `user_pref("${name}", false);\n`)
      .join(''),
  );
  const args = ['--headless', '--no-remote', '--profile', profile, '--remote-debugging-port', '0'];
  const child = spawn('firefox-esr', args, {
    stdio: ['ignore', 'ignore', 'pipe'],
    env: { ...process.env, HOME: profile },
  });
  const address = await new Promise<string>((found, lost) => {
    let said = '';
    child.stderr.on('data', (data: Buffer) => {
      said += data.toString();
      const [, url] = /WebDriver BiDi listening on (ws:\S+)/.exec(said) ?? [];
      if (url !== undefined) found(url);
    });
    child.once('exit', () => {
      lost(new Error(said));
    });
  });
  const socket = new WebSocket(`${address}/session`);
  await once(socket, 'open');
  const waiting = new Map<number, (answer: { result?: unknown; error?: string; message?: string }) => void>();
  socket.on('message', (data: RawData) => {
    const answer = JSON.parse((data as Buffer).toString()) as { id?: number; error?: string };
    if (answer.id !== undefined) waiting.get(answer.id)?.(answer);
  });
  let last = 0;
  const send = <Result = unknown>(method: string, params: object): Promise<Result> =>
    new Promise((done, failed) => {
      const id = ++last;
      waiting.set(id, ({ result, error, message }) => {
        waiting.delete(id);
        if (error === undefined) done(result as Result);
        else failed(new Error(`${method}: ${error}: ${message ?? ''}`));
      });
      socket.send(JSON.stringify({ id, method, params }));
    });
  await send('session.new', { capabilities: {} });

  /** A tab, in a private container of its own unless it is to share one. */
  const open = async (beside?: { readonly userContext: string }) => {
    const { userContext } = beside ?? (await send<{ userContext: string }>('browser.createUserContext', {}));
    const { context } = await send<{ context: string }>('browsingContext.create', { type: 'tab', userContext });
    return {
      userContext,
      goto: (url: string) => send('browsingContext.navigate', { context, url, wait: 'complete' }),
      reload: () => send('browsingContext.reload', { context, wait: 'complete' }),
      /** What an expression gives, waited for; undefined while the page is on its way elsewhere. */
      evaluate: async (expression: string): Promise<unknown> => {
        const answer = await send<{ result?: { value?: unknown } }>('script.evaluate', {
          expression,
          target: { context },
          awaitPromise: true,
        }).catch(() => undefined);
        return answer?.result?.value;
      },
      type: async (text: string) => {
        const keys = Array.from(text).flatMap((value) => [
          { type: 'keyDown', value },
          { type: 'keyUp', value },
        ]);
        await send('input.performActions', { context, actions: [{ type: 'key', id: 'keys', actions: keys }] });
      },
    };
  };
  return {
    open,
    close: async () => {
      const ended = once(child, 'exit');
      await send('browser.close', {}).catch(() => undefined);
      socket.terminate();
      child.kill();
      await ended;
      await rm(profile, { recursive: true, force: true });
    },
  };
}

/** The key that sends a form. */
export const enter = '\uE007';
