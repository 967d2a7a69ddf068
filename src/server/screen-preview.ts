import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import sirv from 'sirv';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { escapeHtml } from '../core/screen/html.js';
import { direction, screenLanguages } from '../core/screen/languages.js';
import { shownStates } from '../core/screen/sample.js';
import { screenStates } from '../core/screen/view.js';
import { screenScript } from '../guard/browser-scripts.generated.js';
import { keptName } from '../core/screen/kept-file.js';
import { readKept } from '../stores/kept-files.js';
import { followPolicy } from '../stores/policy-file.js';
import { captioned, frameHtml, framed, framesStyle, stateWords, type FrameSize } from './screen-frames.js';

/** A running preview. */
export interface ScreenPreview {
  readonly url: string;
  readonly close: () => Promise<void>;
}

const scriptPath = '/_preview/screen.js';

/** What the pages of the preview do beyond links: they load anew once the policy is saved. */
const reloadScript = `
const problem = document.querySelector('.broken');
new EventSource('/_preview/news').onmessage = ({ data }) => {
  const news = JSON.parse(data);
  if (problem) problem.textContent = news.problem ?? '';
  if (news.changed) location.reload();
};
document.querySelector('form')?.addEventListener('change', ({ currentTarget }) => currentTarget.submit());
`;

/**
 * Shows the screens of a policy in every state, for this machine only, and anew when it is saved.
 *
 * @param folder - the site's files, of which pictures and fonts are shown
 * @throws DorlinError `policy-missing`, `policy-invalid`, `port-taken`
 */
export async function previewScreens(
  file: string,
  {
    folder,
    port,
    shown,
  }: {
    readonly folder?: string | undefined;
    readonly port: number;
    readonly shown: string | undefined;
  },
): Promise<ScreenPreview> {
  const listeners = new Set<ServerResponse>();
  let problem = '';
  const tell = (news: object) => {
    for (const listener of listeners) listener.write(`data: ${JSON.stringify(news)}\n\n`);
  };
  const followed = await followPolicy(file, {
    onChange: () => {
      problem = '';
      tell({ changed: true });
    },
    onBroken: (problems) => {
      problem = problems;
      tell({ problem });
    },
  });
  const files = folder === undefined ? undefined : sirv(folder, { dev: true, etag: true });

  const answer = (request: IncomingMessage, response: ServerResponse) => {
    const url = new URL(request.url ?? '/', 'http://localhost');
    const send = (type: string, body: string, status = 200) => {
      response.writeHead(status, {
        'content-type': `${type}; charset=utf-8`,
        'cache-control': 'no-store',
        'x-content-type-options': 'nosniff',
        // As for visitors, nothing is asked of elsewhere.
        'content-security-policy': "default-src 'self' data:; style-src 'unsafe-inline'",
      });
      response.end(body);
    };
    const policy = followed.current();
    const asked = askedOf(policy, url.searchParams, shown);
    switch (url.pathname) {
      case '/': {
        send('text/html', indexPage(policy, asked, problem));
        return;
      }
      case '/_preview/screen': {
        const state = screenStates.find((one) => one === url.searchParams.get('state')) ?? 'ask';
        const now = Date.now() / 1000;
        send('text/html', frameHtml(policy, { ...asked, state }, scriptPath, now));
        return;
      }
      case '/_preview/reload.js': {
        send('text/javascript', reloadScript);
        return;
      }
      case scriptPath: {
        send('text/javascript', screenScript);
        return;
      }
      case '/_preview/news':
        response.writeHead(200, {
          'content-type': 'text/event-stream',
          'cache-control': 'no-store',
        });
        response.write('retry: 500\n\n');
        listeners.add(response);
        request.on('close', () => listeners.delete(response));
        return;
    }
    const isShown = /\.(?:avif|gif|jpe?g|png|svg|webp|woff2?|ttf|otf)$/i.test(url.pathname);
    const missing = () => {
      send('text/plain', 'There is nothing here.\n', 404);
    };
    const own = keptName(policy.site.prefix, url.pathname);
    if (own !== undefined) {
      readKept(file, own).then(
        (found) => {
          if (found === undefined) missing();
          else
            response
              .writeHead(200, { 'content-type': found.type, 'x-content-type-options': 'nosniff' })
              .end(found.body);
        },
        () => {
          missing();
        },
      );
    } else if (files !== undefined && isShown) files(request, response, missing);
    else missing();
  };
  const server = createServer(answer);
  try {
    await new Promise<void>((listening, failed) => {
      server.once('error', failed);
      server.listen(port, '127.0.0.1', listening);
    });
  } catch (cause) {
    await followed.close();
    throw new DorlinError('port-taken', `Port ${port} on 127.0.0.1 is taken.`, { cause });
  }
  const { port: found } = server.address() as AddressInfo;
  const close = async () => {
    server.closeAllConnections();
    await new Promise((closed) => server.close(closed));
    await followed.close();
  };
  return { url: `http://127.0.0.1:${found}/`, close };
}

function askedOf(policy: Policy, query: URLSearchParams, shown: string | undefined) {
  const name = query.get('screen') ?? shown ?? policy.defaultScreen.name;
  const screen = policy.screens.get(name) ?? policy.defaultScreen;
  const languages = screenLanguages(policy.site.languages);
  const language = languages.find(({ tag }) => tag === query.get('language')) ?? languages[0];
  const scheme = query.get('scheme') === 'dark' ? ('dark' as const) : ('light' as const);
  return { screen, language, scheme };
}

function indexPage(policy: Policy, { screen, language, scheme }: ReturnType<typeof askedOf>, problem: string): string {
  const option = (value: string, words: string, isChosen: boolean) =>
    `<option value="${escapeHtml(value)}"${isChosen ? ' selected' : ''}>${escapeHtml(words)}</option>`;
  const choice = (name: string, label: string, options: string[]) =>
    `<label>${label} <select name="${name}">${options.join('')}</select></label>`;
  const languages = screenLanguages(policy.site.languages);
  const inEnglish = new Intl.DisplayNames('en', { type: 'language' });
  const locks = [...policy.locks.values()].filter((lock) => lock.screen === screen).map(({ name }) => name);
  const frames = (size: FrameSize) =>
    shownStates
      .map((state) => {
        const query = new URLSearchParams({ screen: screen.name, state, language: language.tag, scheme });
        const address = `/_preview/screen?${query.toString()}`;
        const frame = framed(`src="${escapeHtml(address)}"`, size, stateWords[state]);
        return captioned([frame], stateWords[state], address);
      })
      .join('\n');
  return `<!doctype html>
<html lang="en" dir="${direction('en')}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escapeHtml(screen.name)}: screens of ${escapeHtml(policy.site.name)}</title>
<link rel="icon" href="data:,">
<style>${framesStyle}</style>
</head>
<body>
<header>
<h1>The screen ${escapeHtml(screen.name)}, in the look ${screen.design.look}</h1>
<p>${locks.length === 0 ? 'No lock shows it yet.' : `Shown by ${escapeHtml(locks.join(', '))}.`} Save the policy, and this page follows.</p>
<div class="broken" role="status">${escapeHtml(problem)}</div>
<form method="get" action="/">
${choice(
  'screen',
  'Screen',
  [...policy.screens.keys()].map((name) => option(name, name, name === screen.name)),
)}
${choice(
  'language',
  'Language',
  languages.map(({ tag }) => option(tag, inEnglish.of(tag) ?? tag, tag === language.tag)),
)}
${choice(
  'scheme',
  'Visitors who prefer',
  ['light', 'dark'].map((one) => option(one, one, one === scheme)),
)}
<noscript><button>Show</button></noscript>
</form>
</header>
<main>
<h2>On a desk</h2>
<div class="row">${frames('desk')}</div>
<h2>On a phone</h2>
<div class="row">${frames('phone')}</div>
</main>
<script src="/_preview/reload.js"></script>
</body>
</html>
`;
}
