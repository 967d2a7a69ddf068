import { blocksHtml, openingWords, pictureHtml } from './blocks.js';
import { escapeHtml } from './html.js';
import { direction, spanWords } from './languages.js';
import { anySaid, languageOf, ownSaid, sayer, type Said } from './said.js';
import type { TextKey } from './design/text-keys.js';
import type { ScreenWords } from './words/type.js';
import type { ScreenView } from './view.js';

/** Renders the password screen as one HTML document. Pure, and works with scripts off. */
export function renderScreen(view: ScreenView): string {
  const { state, language, screen } = view;
  const { design, style } = screen;
  const { heading, message } = headingOf(view);
  const isAsking = state === 'ask' || state === 'wrong' || state === 'wait';
  const isOpenable = isAsking || state === 'enter' || state === 'sent';
  const isFaulty = state === 'wrong' || state === 'wait';
  const hasPlace = isAsking || state === 'closed' || state === 'sign-in';
  const below = hasPlace ? blocksHtml(design.below, view) : '';
  const foot = footHtml(view);
  const classes = [design.layout, state, ...(isFaulty ? ['fault'] : []), sideOf(view)].filter(Boolean);
  const hasScript = isAsking || below.includes('id="left"') || design.above.some(({ kind }) => kind === 'countdown');
  return `<!doctype html>
<html lang="${escapeHtml(language.tag)}" dir="${direction(language.tag)}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="robots" content="noindex">
<meta name="color-scheme" content="${design.scheme === 'both' ? 'light dark' : design.scheme}">
<title>${escapeHtml(heading.text)} · ${escapeHtml(view.siteName)}</title>
<link rel="icon" href="data:,">
<style>${style}</style>
</head>
<body class="${classes.join(' ')}">
${artHtml(view, isOpenable)}<main>
<div class="site">${brandHtml(view)}</div>
${titleHtml(view, heading, hasPlace)}<h1${languageOf(heading)}>${escapeHtml(heading.text)}</h1>
<p class="message"${languageOf(message)}>${escapeHtml(message.text)}</p>${hasPlace ? blocksHtml(design.above, view) : ''}
${bodyHtml(view, isAsking)}${below}${foot}
</main>${hasScript ? `\n<script src="${escapeHtml(view.script)}"></script>` : ''}
</body>
</html>
`;
}

function bodyHtml(view: ScreenView, isAsking: boolean): string {
  if (isAsking) return formHtml(view);
  if (view.state === 'enter') return entryHtml(view);
  if (view.state === 'sign-in') return signInHtml(view);
  const { above, below } = view.screen.design;
  const isCounted = [...above, ...below].some(({ kind }) => kind === 'countdown');
  if (view.state !== 'closed' || view.opensAt === undefined || isCounted) return '';
  return `<p class="message opens">${openingWords(view, view.opensAt)}</p>`;
}

function headingOf(view: ScreenView): { readonly heading: Said; readonly message: Said } {
  const { state, screen, language } = view;
  const { words } = language;
  const say = sayer(screen, language);
  const builtIn = (text: string): Said => ({ text, language: undefined });
  /** The owner's text, else another built-in one than usual. */
  const own = (key: TextKey, other: keyof ScreenWords): Said =>
    ownSaid(screen.design.text[key], language.tag, screen.ownTag) ?? builtIn(words[other]);
  switch (state) {
    case 'closed':
      return { heading: say('closedHeading'), message: say('closedMessage') };
    case 'sign-in':
      return {
        heading: say('signInHeading'),
        message: view.signInAt === undefined ? own('signInMessage', 'signInNone') : say('signInMessage'),
      };
    case 'sent': {
      const isKept = view.gives === 'nothing';
      const message = isKept ? own('sentMessage', 'keptMessage') : say('sentMessage');
      const text = message.text.replace('{address}', () => view.sentTo ?? '');
      const heading = isKept ? own('sentHeading', 'keptHeading') : say('sentHeading');
      return { heading, message: { ...message, text } };
    }
    case 'enter':
      return { heading: builtIn(words.enterHeading), message: builtIn(words.enterMessage) };
    case 'ended':
      return { heading: builtIn(words.endedHeading), message: builtIn(words.endedMessage) };
    case 'away':
      return { heading: builtIn(words.awayHeading), message: builtIn(words.awayMessage) };
    case 'credentials':
      return { heading: say('heading'), message: builtIn(words.credentialsMessage) };
    case 'ask':
    case 'wrong':
    case 'wait':
      return { heading: say('heading'), message: say('message') };
  }
}

/** On which side the picture of the layout `side` is. */
function sideOf({ screen: { design } }: ScreenView): string {
  return design.layout === 'side' && design.card.position.endsWith('start') ? 'end' : '';
}

/** The owner's picture or the look's drawing; nothing, where the page's background is one. */
function artHtml({ screen: { design, ownTag }, language }: ScreenView, isOpenable: boolean): string {
  const { picture, drawing } = design;
  if (typeof picture === 'object') {
    const alt = anySaid(picture.alt, language.tag, ownTag);
    const isSeen = alt.text !== '';
    const image = `<img src="${escapeHtml(picture.picture)}" alt="${escapeHtml(alt.text)}"${languageOf(alt)}>`;
    return isSeen
      ? `<aside class="art" aria-label="${escapeHtml(alt.text)}">${image}</aside>\n`
      : `<div class="art">${image}</div>\n`;
  }
  return drawing === undefined ? '' : `<div class="art" aria-hidden="true">${drawing(isOpenable)}</div>\n`;
}

/** The owner's logo, else the name of the site. */
function brandHtml({ screen: { design, ownTag }, language, siteName }: ScreenView): string {
  const { logo } = design;
  if (logo === undefined) return escapeHtml(siteName);
  const image = pictureHtml(logo, anySaid(logo.alt, language.tag, ownTag));
  return logo.link === undefined ? image : `<a href="${escapeHtml(logo.link)}">${image}</a>`;
}

/**
 * What the lock's visitors call what is behind it, so that they know which password is asked for; not
 * where the heading says just that.
 */
function titleHtml({ title }: ScreenView, heading: Said, hasPlace: boolean): string {
  const isSaid = title?.toLowerCase() === heading.text.toLowerCase();
  return title === undefined || isSaid || !hasPlace ? '' : `<p class="of">${escapeHtml(title)}</p>\n`;
}

/** The way to the site's own sign-in. */
function signInHtml({ signInAt, language, screen }: ScreenView): string {
  if (signInAt === undefined) return '';
  const button = sayer(screen, language)('signInButton');
  return `<p><a class="open" href="${escapeHtml(signInAt)}"${languageOf(button)}>${escapeHtml(button.text)}</a></p>`;
}

/** The way home and the small print. */
function footHtml(view: ScreenView): string {
  const { state, screen, language, isHomeOpen = false } = view;
  const { home, text } = screen.design;
  const say = sayer(screen, language);
  // Where the site does not answer, neither does its start page.
  const to = home === 'none' || state === 'away' ? undefined : (home?.to ?? (isHomeOpen ? '/' : undefined));
  const homeSaid = say('home');
  const way =
    to === undefined ? '' : `<a href="${escapeHtml(to)}"${languageOf(homeSaid)}>${escapeHtml(homeSaid.text)}</a>`;
  const small = text.smallPrint === undefined ? undefined : anySaid(text.smallPrint, language.tag, screen.ownTag);
  const print = small === undefined ? '' : `<p class="small"${languageOf(small)}>${escapeHtml(small.text)}</p>`;
  const all = signInWay(view) + way + print;
  return all === '' ? '' : `\n<div class="foot">${all}</div>`;
}

/** Where a password is asked for: the way for those who need none, once they have signed in. */
function signInWay({ state, signInAt, language, screen }: ScreenView): string {
  if (signInAt === undefined || !['ask', 'wrong', 'wait'].includes(state)) return '';
  const said = sayer(screen, language)('signInButton');
  return `<a href="${escapeHtml(signInAt)}"${languageOf(said)}>${escapeHtml(said.text)}</a>`;
}

/** The one button of an entry link. */
function entryHtml({ action, link = '', language, screen }: ScreenView): string {
  const button = sayer(screen, language)('button');
  return `<form method="post" action="${escapeHtml(action)}">
<input type="hidden" name="link" value="${escapeHtml(link)}">
<button class="open" type="submit"${languageOf(button)}>${escapeHtml(button.text)}</button>
</form>`;
}

function formHtml(view: ScreenView): string {
  const { screen, language, staySeconds } = view;
  const { words, tag } = language;
  const say = sayer(screen, language);
  const fault = faultOf(view);
  const error =
    fault === undefined
      ? ''
      : `<p class="error" id="error" role="alert"${languageOf(fault)}>${escapeHtml(fault.text)}</p>\n`;
  const [label, button, staying] = [say('label'), say('button'), say('stay')];
  const hint = hintOf(view);
  const stay =
    staySeconds === undefined
      ? ''
      : `<label class="stay"><input type="checkbox" name="stay" value="on"> <span${languageOf(staying)}>${escapeHtml(
          staying.text.replace('{span}', spanWords(staySeconds, tag)),
        )}</span></label>\n`;
  const placeholder =
    screen.design.text.placeholder === undefined
      ? ''
      : ` placeholder="${escapeHtml(anySaid(screen.design.text.placeholder, tag, screen.ownTag).text)}"`;
  const invalid = fault === undefined ? '' : ' aria-invalid="true" aria-describedby="error"';
  const focus = view.request?.fault === undefined ? ' autofocus' : '';
  // A browser keeps passwords by user name: without one, those of two locks would be one.
  const off = view.needsScript === true ? ' disabled' : '';
  const noScript = off === '' ? '' : `<noscript><p class="error">${escapeHtml(words.sealedNoScript)}</p></noscript>\n`;
  return `<form method="post" action="${escapeHtml(view.action)}">
${noScript}${error}<input hidden type="text" name="user" autocomplete="username" value="${escapeHtml(view.title ?? view.lock)}">
<label for="password" id="label"${languageOf(label)}>${escapeHtml(label.text)}</label>
<div class="field"><input id="password" name="password" type="password" required${focus}${off} autocomplete="current-password" autocapitalize="none" spellcheck="false" enterkeyhint="go" maxlength="256"${placeholder}${invalid}><button type="button" id="reveal" hidden aria-controls="password" aria-labelledby="reveal label" data-show="${escapeHtml(words.show)}" data-hide="${escapeHtml(words.hide)}">${escapeHtml(words.show)}</button></div>
${stay}<input type="hidden" name="lock" value="${escapeHtml(view.lock)}">
<input type="hidden" name="to" value="${escapeHtml(view.to)}">
<button class="open" type="submit"${off}${languageOf(button)}>${escapeHtml(button.text)}</button>
</form>
${hint === undefined ? '' : `<p class="hint"${languageOf(hint)}>${escapeHtml(hint.text)}</p>`}`;
}

/** What is said to those who have no password: not that it is none of theirs, where one can ask for it. */
function hintOf({ screen, language, gives, request }: ScreenView): Said | undefined {
  const say = sayer(screen, language);
  if (gives === undefined || request === undefined || screen.design.text.hint !== undefined) {
    return say('hint');
  }
  return gives === 'password' ? { text: language.words.hintRequest, language: undefined } : undefined;
}

/** What is wrong, if anything is. */
function faultOf({ state, screen, language, waitSeconds = 60 }: ScreenView): Said | undefined {
  const say = sayer(screen, language);
  if (state === 'wrong') return say('wrong');
  if (state !== 'wait') return undefined;
  const wait = say('wait');
  return { ...wait, text: wait.text.replace('{span}', spanWords(waitSeconds, language.tag)) };
}
