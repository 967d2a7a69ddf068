import { escapeHtml } from '../core/screen/html.js';
import { screenLanguages, type ScreenLanguage } from '../core/screen/languages.js';
import type { Screen } from '../core/screen/screen.js';
import { renderScreen } from '../core/screen/render.js';
import type { ScreenState } from '../core/screen/view.js';
import { asksByScreen } from '../core/policy/lock-state.js';
import type { Lock, Policy } from '../core/policy/types.js';

/** Our own addresses, seen from the root of the site. */
const unlockAt = '/_dorlin/unlock';
export const scriptAt = '/_dorlin/unseal.js';

/** The style of a screen, as a file of its own: some hosts allow no style in a page. */
export const styleFile = ({ name }: Screen): string => `/_dorlin/screen-${name}.css`;

/** Its addresses are seen from where it lies. */
export const styleText = ({ style }: Screen): string => style.replace(/url\((['"]?)\/(?!\/)/g, 'url($1../');

const withStyleFile = (html: string, screen: Screen): string =>
  html
    .replace('<link rel="icon" href="data:,">\n', '')
    .replace(/<style>[^]*?<\/style>/, () => `<link rel="stylesheet" href="${styleFile(screen)}">`);

/** One screen of a lock as a whole document; every address in it begins at the root of the site. */
export function screenOf(
  { site }: Policy,
  lock: Lock,
  state: ScreenState,
  language: ScreenLanguage,
  isHomeOpen: boolean,
  to = '/',
): string {
  const html = renderScreen({
    state,
    screen: lock.screen,
    siteName: site.name,
    language,
    lock: lock.name,
    title: lock.title,
    to,
    action: unlockAt,
    script: scriptAt,
    isHomeOpen,
    needsScript: true,
    opensAt: lock.window.until,
    timeZone: site.timeZone,
    staySeconds: lock.remember.kind === 'choice' ? lock.remember.seconds : undefined,
  });
  return withStyleFile(html, lock.screen);
}

/** Which state a shell is in: what can be typed is asked for, else it is closed. */
export const stateOf = (lock: Lock): 'ask' | 'closed' => (asksByScreen(lock) ? 'ask' : 'closed');

/**
 * The password screen in the place of a sealed page.
 *
 * @param file - the page's own path, by which addresses become such as work in any folder of a host
 */
export function shellFor(policy: Policy, lock: Lock, area: string, file: string, isHomeOpen: boolean): string {
  const [language] = screenLanguages(policy.site.languages);
  const { outsiders } = lock;
  if (typeof outsiders === 'object') return elsewhere(outsiders.redirect, area, file);
  const html = screenOf(policy, lock, stateOf(lock), language, isHomeOpen);
  return fromFile(withHead(html, area, lock.name), file);
}

/** What stands where somebody is sent to another page: opened by those who have its key. */
function elsewhere(to: string, area: string, file: string): string {
  const address = escapeHtml(to);
  return fromFile(
    `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="robots" content="noindex">
<meta name="dorlin-area" content="${area}">
<meta http-equiv="refresh" content="0; url=${address}">
<title>…</title>
</head>
<body>
<main><p><a href="${address}">${address}</a></p></main>
<script src="${scriptAt}"></script>
</body>
</html>
`.replace('url=/', () => `url=${rootFrom(file)}`),
    file,
  );
}

/** What it may load and do, as a served screen says in a header; and which area it stands before. */
function withHead(html: string, area: string, lock: string): string {
  const policy = [
    "default-src 'none'",
    "style-src 'self'",
    "script-src 'self'",
    "img-src 'self' data:",
    "font-src 'self'",
    "connect-src 'self'",
    "worker-src 'self'",
    "form-action 'self'",
    "base-uri 'none'",
  ].join('; ');
  const head =
    `<meta charset="utf-8">\n<meta http-equiv="Content-Security-Policy" content="${escapeHtml(policy)}">` +
    `\n<meta name="dorlin-area" content="${area}">\n<meta name="dorlin-lock" content="${lock}">`;
  const script = `<script src="${scriptAt}"></script>`;
  const whole = html.includes(script) ? html : html.replace('</body>', () => `${script}\n</body>`);
  return whole.replace('<meta charset="utf-8">', () => head);
}

/** The root of the site, as seen from a file of it. */
export const rootFrom = (file: string): string => '../'.repeat(file.split('/').length - 2) || './';

/** Makes addresses that begin at the root of the site such as are seen from a file: a host may keep it in a folder. */
const fromFile = (html: string, file: string): string =>
  html.replace(/(\s(?:href|src|action)=")\/(?!\/)/g, (_, start: string) => start + rootFrom(file));

/**
 * A page in the look of the site’s screens that has one thing to say.
 * @param message - as HTML
 * @param base - where the site lies on its host
 */
export function noticePage({ site, defaultScreen }: Policy, number: number, message: string, base = '/'): string {
  const [{ tag }] = screenLanguages(site.languages);
  const name = escapeHtml(site.name);
  return `<!doctype html>
<html lang="${escapeHtml(tag)}">
<head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><meta name="robots" content="noindex"><title>${number} · ${name}</title>
<link rel="stylesheet" href="${base}${styleFile(defaultScreen).slice(1)}"></head>
<body class="${defaultScreen.design.layout} closed"><main><div class="site">${name}</div><h1>${number}</h1><p class="message">${message}</p></main>
</body>
</html>
`;
}

/** Says that what came is not what was sealed. */
export const damagedPage = (policy: Policy): string =>
  noticePage(policy, 502, escapeHtml(screenLanguages(policy.site.languages)[0].words.sealedBroken));

/** What the scripts say by themselves, by language. */
export function wordsScript({ site }: Policy): string {
  const words = screenLanguages(site.languages).map(({ tag, words: own }) => [
    tag,
    {
      wrong: own.wrong,
      file: own.sealedFile,
      plain: own.sealedPlain,
      old: own.sealedOld,
      broken: own.sealedBroken,
    },
  ]);
  return `self.dorlinWords=${JSON.stringify(Object.fromEntries(words)).replaceAll('<', '\\u003c')};\n`;
}
