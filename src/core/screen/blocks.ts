import type { Block, BlockPicture, RequestDocument } from './design/block-schema.js';
import { givenBy } from './design/given-by.js';
import type { Texts } from './design/parts.js';
import { escapeHtml } from './html.js';
import { markdownHtml } from './markdown.js';
import { momentWords, spanWords } from './languages.js';
import type { RequestFault, RequestForm, ScreenView } from './view.js';
import { anySaid, languageOf, ownSaid, type Said } from './said.js';

/** The blocks above or below the form as HTML. */
export function blocksHtml(blocks: readonly Block[], view: ScreenView): string {
  return blocks.map((block) => `\n${blockHtml(block, view)}`).join('');
}

function blockHtml(block: Block, view: ScreenView): string {
  const say = (texts: Texts) => anySaid(texts, view.language.tag, view.screen.ownTag);
  switch (block.kind) {
    case 'markdown': {
      const said = say(block.text);
      return `<div class="rich"${languageOf(said)}>${markdownHtml(said.text)}</div>`;
    }
    case 'picture':
      return `<p class="figure">${pictureHtml(block.picture, say(block.picture.alt))}</p>`;
    case 'pictures': {
      const all = block.pictures.map((one) => pictureHtml(one, say(one.alt)));
      return `<p class="row">${all.join('')}</p>`;
    }
    case 'links': {
      const all = block.links.map(({ to, text }) => {
        const said = say(text);
        return `<li><a href="${escapeHtml(to)}"${languageOf(said)}>${escapeHtml(said.text)}</a></li>`;
      });
      return `<ul class="links">${all.join('')}</ul>`;
    }
    case 'countdown':
      return countdownHtml(view);
    case 'request':
      return view.request === undefined ? '' : requestHtml(block.request, view, view.request);
  }
}

/** A picture with its size, so that nothing moves when it comes. */
export function pictureHtml(
  { picture, width, height }: Pick<BlockPicture, 'picture' | 'width' | 'height'>,
  alt: Said,
): string {
  return `<img src="${escapeHtml(picture)}" alt="${escapeHtml(alt.text)}"${languageOf(alt)} width="${width}" height="${height}">`;
}

/** When the lock ends: a date, which the screen's script follows with the time that is left. */
export function countdownHtml(view: ScreenView): string {
  const { opensAt } = view;
  if (opensAt === undefined) return '';
  return `<p class="countdown">${openingWords(view, opensAt)} <b id="left"></b></p>`;
}

/** When it opens, as a machine reads it too. */
export function openingWords({ screen, language, timeZone = 'UTC' }: ScreenView, at: number): string {
  const { tag, words } = language;
  const said = ownSaid(screen.design.text.opens, tag, screen.ownTag);
  const iso = new Date(at * 1000).toISOString();
  const time = `<time datetime="${iso}">${escapeHtml(momentWords(at, tag, timeZone))}</time>`;
  return escapeHtml(said?.text ?? words.opens).replace('{date}', () => time);
}

/** The name of a field that nobody sees, and that only robots fill in. */
export const trapField = 'second-address';

/** What the button of a request says that is sent. */
const requestButtons = {
  password: 'requestPassword',
  link: 'requestLink',
  nothing: 'requestNews',
} as const;

function requestHtml(
  request: RequestDocument,
  { language: { tag, words }, screen, lock, to }: ScreenView,
  { action, fault, typed, waitSeconds = 60 }: RequestForm,
): string {
  const { text, label, button, consent } = request;
  const say = (own: Texts | undefined, builtIn: string): Said =>
    ownSaid(own, tag, screen.ownTag) ?? { text: builtIn, language: undefined };
  const [labelSaid, buttonSaid] = [
    say(label, words.requestLabel),
    say(button, words[requestButtons[givenBy(request)]]),
  ];
  const consentSaid = anySaid(consent, tag, screen.ownTag);
  const problems: Readonly<Record<RequestFault, string>> = {
    address: words.requestWrong,
    consent: words.requestConsent,
    many: words.wait.replace('{span}', spanWords(waitSeconds, tag)),
    failed: words.requestFailed,
  };
  const error =
    fault === undefined ? '' : `<p class="error" id="request-error" role="alert">${escapeHtml(problems[fault])}</p>\n`;
  const described = (kind: RequestFault) =>
    fault === kind ? ' aria-invalid="true" aria-describedby="request-error" autofocus' : '';
  const lead = text === undefined ? '' : `<p>${escapeHtml(anySaid(text, tag, screen.ownTag).text)}</p>\n`;
  return `<section class="request${fault === 'address' ? ' fault' : ''}" aria-label="${escapeHtml(buttonSaid.text)}">
${lead}<form method="post" action="${escapeHtml(action)}">
${error}<label for="address"${languageOf(labelSaid)}>${escapeHtml(labelSaid.text)}</label>
<div class="field"><input id="address" name="address" type="email" required autocomplete="email" maxlength="254" value="${escapeHtml(typed ?? '')}"${described('address')}></div>
<label class="agree"><input type="checkbox" name="consent" value="on" required${described('consent')}> <span${languageOf(consentSaid)}>${escapeHtml(consentSaid.text)}</span></label>
<div class="trap" aria-hidden="true"><input name="${trapField}" tabindex="-1" autocomplete="off"></div>
<input type="hidden" name="lock" value="${escapeHtml(lock)}">
<input type="hidden" name="to" value="${escapeHtml(to)}">
<button class="open" type="submit"${languageOf(buttonSaid)}>${escapeHtml(buttonSaid.text)}</button>
</form>
</section>`;
}
