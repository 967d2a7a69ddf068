/**
 * Lets the owner point at a part of a page, in the frame of the console. Runs in a page that has no origin
 * of its own there, tells what is pointed at to the window around it, and can do nothing else.
 */
const holders = 'article,aside,details,div,dl,figure,footer,form,header,main,nav,ol,p,section,table,ul,blockquote';
const around = window.parent;
let isPicking = false;
let shown: Element | undefined;

const host = document.createElement('div');
const root = host.attachShadow({ mode: 'closed' });
const sheet = new CSSStyleSheet();
// By the sheet alone, as pages may forbid styles in themselves.
sheet.replaceSync(
  ':host{all:initial}div{position:fixed;pointer-events:none;z-index:2147483647;border:3px solid #8a5a00;background:rgb(138 90 0/.12);border-radius:3px;display:none}div.on{display:block}',
);
root.adoptedStyleSheets = [sheet];
const box = document.createElement('div');
root.append(box);

const say = (message: object) => {
  // To whoever is around: the page has no secret that is not in itself, and the console's origin is not known here.
  around.postMessage({ from: 'dorlin-picker', ...message }, '*');
};

const textOf = (element: Element) =>
  (element.querySelector('h1,h2,h3,h4,h5,h6')?.textContent ?? element.textContent)
    .replace(/\s+/g, ' ')
    .trim()
    .slice(0, 80);

/** The part that holds an element: the nearest with an id, as a lock names it by that. */
const partOf = (element: Element | null) => element?.closest(holders.replace(/\w+/g, '$&[id]')) ?? undefined;

const parts = () =>
  [...document.querySelectorAll(holders.replace(/\w+/g, '$&[id]'))]
    .slice(0, 300)
    .map((element) => ({ id: element.id, tag: element.localName, text: textOf(element) }));

function show(element: Element | undefined): void {
  shown = element;
  box.classList.toggle('on', element !== undefined);
  if (element === undefined) return;
  const { left, top, width, height } = element.getBoundingClientRect();
  box.style.left = `${left - 3}px`;
  box.style.top = `${top - 3}px`;
  box.style.width = `${width}px`;
  box.style.height = `${height}px`;
}

const tellPage = () => {
  say({ type: 'page', path: location.pathname, title: document.title.slice(0, 160), parts: parts() });
};

window.addEventListener('message', ({ source, data }: MessageEvent<unknown>) => {
  if (source !== around || typeof data !== 'object' || data === null) return;
  const { type, on, id } = data as { type?: unknown; on?: unknown; id?: unknown };
  if (type === 'pick') {
    isPicking = on === true;
    if (!isPicking) show(undefined);
  } else if (type === 'show') {
    const element = typeof id === 'string' ? (document.getElementById(id) ?? undefined) : undefined;
    element?.scrollIntoView({ block: 'center' });
    show(element);
  } else if (type === 'tell') tellPage();
});
document.addEventListener(
  'pointermove',
  ({ target }) => {
    if (isPicking) show(partOf(target instanceof Element ? target : null));
  },
  true,
);
document.addEventListener(
  'click',
  (event) => {
    if (!isPicking) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    const part = partOf(event.target instanceof Element ? event.target : null);
    show(part);
    say(
      part === undefined
        ? { type: 'nothing' }
        : { type: 'picked', id: part.id, tag: part.localName, text: textOf(part) },
    );
  },
  true,
);
for (const name of ['scroll', 'resize']) {
  window.addEventListener(name, () => {
    show(shown);
  });
}
document.documentElement.append(host);
tellPage();
