import { parts } from './properties.js';

/** What somebody does in a drawing. */
export interface Pointing {
  /** What is outlined, as a selector. */
  readonly chosen: string | undefined;
  readonly onPick: (property: string) => void;
  readonly onLogo: (width: number) => void;
}

/** The style sheets of a frame: of the screen, and of what is pointed at. */
export interface Sheets {
  readonly style: CSSStyleSheet;
  readonly pointing: CSSStyleSheet;
  text: string;
}

const pointingStyle = `[data-at]{outline:2px dashed #8a5a00!important;outline-offset:3px}[data-chosen]{outline:3px solid #8a5a00!important;outline-offset:3px}
*{cursor:pointer!important;caret-color:transparent}
.logo-handle{position:absolute;width:16px;height:16px;margin:-8px 0 0 -8px;border:2px solid #fff;border-radius:50%;background:#8a5a00;cursor:nwse-resize!important;touch-action:none;z-index:9}`;

const ratios = new Map<string, number>();

/**
 * How high a picture is by how wide, as it was seen last: sizes are whole pixels, and would drift from it otherwise.
 */
export const ratioOf = (picture: string): number | undefined => ratios.get(picture);

/** Files of the site are shown through the console: it is not where they are. */
const fromConsole = (text: string) =>
  text
    .replace(
      /(\ssrc=")(\/[^"]+)"/g,
      (_, start: string, path: string) => `${start}/api/shown?path=${encodeURIComponent(path)}"`,
    )
    .replace(
      /url\((["']?)(\/(?!\/)[^"')]+)\1\)/g,
      (_, quote: string, path: string) => `url(${quote}/api/shown?path=${encodeURIComponent(path)}${quote})`,
    );

export function makeSheets(view: Window & typeof globalThis): Sheets {
  return { style: new view.CSSStyleSheet(), pointing: new view.CSSStyleSheet(), text: '' };
}

/**
 * Draws a screen into a frame that is there: a new page would flash, and forget how far it was scrolled. Its style
 * comes as a sheet of the document, as the console allows none in a page.
 */
export function paint(inner: Document, sheets: Sheets, html: string, isPointed: boolean): void {
  const style = /<style>([^]*?)<\/style>/.exec(html)?.[1] ?? '';
  if (sheets.text !== style) {
    sheets.style.replaceSync(fromConsole(style));
    sheets.text = style;
  }
  sheets.pointing.replaceSync(isPointed ? pointingStyle : '');
  inner.adoptedStyleSheets = [sheets.style, sheets.pointing];
  const bare = fromConsole(html.replace(/<style>[^]*?<\/style>|<script[^>]*><\/script>| autofocus/g, ''));
  const next = new DOMParser().parseFromString(bare, 'text/html');
  inner.documentElement.lang = next.documentElement.lang;
  inner.documentElement.dir = next.documentElement.dir;
  inner.body.className = next.body.className;
  for (const one of next.body.querySelectorAll('a,button,input')) one.setAttribute('tabindex', '-1');
  inner.body.replaceChildren(...next.body.childNodes);
}

/** Outlines what is chosen, and puts a handle at the logo. */
export function mark(inner: Document, chosen: string | undefined): void {
  for (const one of inner.querySelectorAll('[data-chosen]')) one.removeAttribute('data-chosen');
  if (chosen !== undefined) {
    const found = [...inner.querySelectorAll(chosen)];
    for (const one of found) one.setAttribute('data-chosen', '');
    const first = found[0];
    if (first !== undefined && first !== inner.body && first.localName !== 'main')
      first.scrollIntoView({ block: 'nearest' });
  }
  for (const one of inner.querySelectorAll('.logo-handle')) one.remove();
  const logo = inner.querySelector<HTMLImageElement>('.site img');
  if (logo === null) return;
  const handle = inner.createElement('span');
  handle.className = 'logo-handle';
  handle.setAttribute('aria-hidden', 'true');
  logo.closest('.site')?.append(handle);
  const place = () => {
    const { right, left, bottom } = logo.getBoundingClientRect();
    const holder = (handle.offsetParent ?? inner.body).getBoundingClientRect();
    const edge = inner.documentElement.dir === 'rtl' ? left : right;
    handle.style.left = `${edge - holder.left}px`;
    handle.style.top = `${bottom - holder.top}px`;
  };
  const seen = () => {
    place();
    const path = new URL(logo.src, location.href).searchParams.get('path') ?? logo.getAttribute('src') ?? '';
    if (logo.naturalWidth > 0) ratios.set(path, logo.naturalHeight / logo.naturalWidth);
  };
  seen();
  logo.addEventListener('load', seen, { once: true });
}

// Its elements are those of another window, which our own classes know nothing of.
const elementOf = ({ target }: Event): Element | null =>
  typeof target === 'object' && target !== null && 'closest' in target ? (target as Element) : null;

/** Listens to what is pointed at in a frame. @returns what ends it */
export function listenTo(inner: Document, pointing: () => Pointing | undefined): () => void {
  const unmark = () => {
    for (const one of inner.querySelectorAll('[data-at]')) one.removeAttribute('data-at');
  };
  const clicked = (event: Event) => {
    event.preventDefault();
    const property = propertyAt(elementOf(event));
    if (property !== undefined) pointing()?.onPick(property);
  };
  const moved = (event: Event) => {
    unmark();
    if (pointing() !== undefined) partAt(elementOf(event))?.setAttribute('data-at', '');
  };
  const grabbed = (event: PointerEvent) => {
    const logo = inner.querySelector<HTMLImageElement>('.site img');
    if (elementOf(event)?.classList.contains('logo-handle') !== true || logo === null) return;
    event.preventDefault();
    const [start, from] = [event.clientX, logo.getBoundingClientRect().width];
    const sign = inner.documentElement.dir === 'rtl' ? -1 : 1;
    // Where what is held grows to both sides, half of the way is on the other.
    const isCentered = inner.defaultView?.getComputedStyle(logo).marginInlineStart !== '0px';
    const drag = ({ clientX }: PointerEvent) => {
      pointing()?.onLogo(Math.round(from + (clientX - start) * sign * (isCentered ? 2 : 1)));
    };
    const end = () => {
      inner.removeEventListener('pointermove', drag);
      inner.removeEventListener('pointerup', end);
      inner.removeEventListener('pointercancel', end);
    };
    inner.addEventListener('pointermove', drag);
    inner.addEventListener('pointerup', end);
    inner.addEventListener('pointercancel', end);
  };
  const stay = (event: Event) => event.preventDefault();
  const all = [
    ['click', clicked],
    ['submit', stay],
    ['dragstart', stay],
    ['pointermove', moved],
    ['pointerleave', unmark],
    ['pointerdown', grabbed as EventListener],
  ] as const;
  for (const [type, listener] of all) inner.addEventListener(type, listener, true);
  return () => {
    for (const [type, listener] of all) inner.removeEventListener(type, listener, true);
  };
}

/** The part of a screen that an element belongs to. */
function partAt(element: Element | null): Element | undefined {
  for (let at = element; at !== null; at = at.parentElement) {
    const here = at;
    if (parts.some(([selector]) => here.matches(selector))) return at;
  }
  return undefined;
}

function propertyAt(element: Element | null): string | undefined {
  const part = partAt(element);
  if (part === undefined) return undefined;
  const property = parts.find(([selector]) => part.matches(selector))?.[1];
  // Which of the two lists it is in shows by what it stands before.
  if (property === 'above') {
    const form = part.parentElement?.querySelector(':scope > form');
    const isBehind =
      form !== null &&
      form !== undefined &&
      (form.compareDocumentPosition(part) & Node.DOCUMENT_POSITION_FOLLOWING) > 0;
    return isBehind || part.matches('.request') ? 'below' : 'above';
  }
  return property;
}
