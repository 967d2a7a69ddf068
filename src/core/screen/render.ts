import { spanWords, type ScreenLanguage } from './languages.js';
import { doorPicture, screenStyle } from './style.js';
import type { ScreenWords } from './words/type.js';

/**
 * What the screen is saying. `enter` has one button for an entry link whose uses are counted,
 * `ended` tells that a link opens nothing, `credentials` that the browser's own prompt asks.
 */
export type ScreenState = 'ask' | 'wrong' | 'wait' | 'closed' | 'enter' | 'ended' | 'credentials';

/** All that a screen shows. Every text may hold anything; it is escaped here. */
export interface ScreenView {
  readonly state: ScreenState;
  readonly siteName: string;
  readonly language: ScreenLanguage;
  /** The lock to be opened. */
  readonly lock: string;
  /** The address the visitor asked for: a path with its query. */
  readonly to: string;
  /** Where the form is sent. */
  readonly action: string;
  /** The address of the screen's script, which shows what was typed; it is not needed. */
  readonly script: string;
  /** In state `enter`: the token of the link. */
  readonly link?: string | undefined;
  /** The way home; left out where the start page is locked itself. */
  readonly home?: string | undefined;
  /** In state `wait`: seconds until the next try. */
  readonly waitSeconds?: number | undefined;
  /** In state `closed`: when it opens, in seconds since 1970; left out where nobody knows. */
  readonly opensAt?: number | undefined;
  /** The time zone in which that is said. @default UTC */
  readonly timeZone?: string | undefined;
  /** Seconds for which the visitor may choose to stay unlocked; left out where there is no choice. */
  readonly staySeconds?: number | undefined;
}

/** Renders the password screen as one HTML document. Pure, and works with scripts off. */
export function renderScreen(view: ScreenView): string {
  const { state, language } = view;
  const { words } = language;
  const { heading: plainHeading, message } = headingOf(state, words);
  const heading = escapeHtml(plainHeading);
  const isShut = state === 'closed' || state === 'ended' || state === 'credentials';
  const home =
    view.home === undefined
      ? ''
      : `\n<p class="home"><a href="${escapeHtml(view.home)}">${escapeHtml(words.home)}</a></p>`;
  return `<!doctype html>
<html lang="${escapeHtml(language.tag)}" dir="${direction(language.tag)}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="robots" content="noindex">
<meta name="color-scheme" content="light dark">
<title>${heading} · ${escapeHtml(view.siteName)}</title>
<link rel="icon" href="data:,">
<style>${screenStyle}</style>
</head>
<body class="${state}">
<div class="gate">${doorPicture(!isShut)}</div>
<main>
<p class="site">${escapeHtml(view.siteName)}</p>
<h1>${heading}</h1>
<p class="message">${escapeHtml(message)}</p>
${isShut ? opening(view) : state === 'enter' ? entry(view) : form(view)}${home}
</main>${isShut || state === 'enter' ? '' : `\n<script src="${escapeHtml(view.script)}"></script>`}
</body>
</html>
`;
}

function headingOf(
  state: ScreenState,
  words: ScreenWords,
): { readonly heading: string; readonly message: string } {
  switch (state) {
    case 'closed':
      return { heading: words.closedHeading, message: words.closedMessage };
    case 'enter':
      return { heading: words.enterHeading, message: words.enterMessage };
    case 'ended':
      return { heading: words.endedHeading, message: words.endedMessage };
    case 'credentials':
      return { heading: words.heading, message: words.credentialsMessage };
    case 'ask':
    case 'wrong':
    case 'wait':
      return { heading: words.heading, message: words.message };
  }
}

/** The one button of an entry link. */
function entry({ action, link = '', language: { words } }: ScreenView): string {
  return `<form method="post" action="${escapeHtml(action)}">
<input type="hidden" name="link" value="${escapeHtml(link)}">
<button class="open" type="submit">${escapeHtml(words.button)}</button>
</form>`;
}

/** When it opens, as a machine reads it too. */
function opening({ opensAt, timeZone = 'UTC', language: { words, tag } }: ScreenView): string {
  if (opensAt === undefined) return '';
  const date = new Date(opensAt * 1000);
  const style = { dateStyle: 'long', timeStyle: 'short', timeZone } as const;
  const time = `<time datetime="${date.toISOString()}">${escapeHtml(date.toLocaleString(tag, style))}</time>`;
  return `<p class="message opens">${escapeHtml(words.opens).replace('{date}', time)}</p>`;
}

function form(view: ScreenView): string {
  const { words, tag } = view.language;
  const fault = faultOf(view);
  const error =
    fault === undefined
      ? ''
      : `<p class="error" id="error" role="alert">${escapeHtml(fault)}</p>\n`;
  const stay =
    view.staySeconds === undefined
      ? ''
      : `<label class="stay"><input type="checkbox" name="stay" value="on"> <span>${escapeHtml(
          words.stay.replace('{span}', spanWords(view.staySeconds, tag)),
        )}</span></label>\n`;
  const invalid = fault !== undefined ? ' aria-invalid="true" aria-describedby="error"' : '';
  return `<form method="post" action="${escapeHtml(view.action)}">
${error}<label for="password" id="label">${escapeHtml(words.label)}</label>
<div class="field"><input id="password" name="password" type="password" required autofocus autocomplete="current-password" autocapitalize="none" spellcheck="false" enterkeyhint="go" maxlength="256"${invalid}><button type="button" id="reveal" hidden aria-controls="password" aria-labelledby="reveal label" data-show="${escapeHtml(words.show)}" data-hide="${escapeHtml(words.hide)}">${escapeHtml(words.show)}</button></div>
${stay}<input type="hidden" name="lock" value="${escapeHtml(view.lock)}">
<input type="hidden" name="to" value="${escapeHtml(view.to)}">
<button class="open" type="submit">${escapeHtml(words.button)}</button>
</form>
<p class="hint">${escapeHtml(words.hint)}</p>`;
}

/** What is wrong, if anything is. */
function faultOf({
  state,
  language: { words, tag },
  waitSeconds = 60,
}: ScreenView): string | undefined {
  if (state === 'wrong') return words.wrong;
  return state === 'wait' ? words.wait.replace('{span}', spanWords(waitSeconds, tag)) : undefined;
}

const rightToLeft = new Set(['ar', 'fa', 'he', 'ur', 'yi', 'ps', 'sd', 'ug', 'dv']);
export const direction = (tag: string) =>
  rightToLeft.has(tag.toLowerCase().split('-')[0] ?? '') ? 'rtl' : 'ltr';

const entities: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};

/** Text as it may stand in HTML text and in quoted attributes. */
export function escapeHtml(text: string): string {
  return text.replace(/[&<>"']/g, (sign) => entities[sign] ?? sign);
}
