import { doorOf, type Doors } from '../../core/sealing/doors.js';
import { enableFields, reveal } from '../screen.js';
import { siteAddress } from './site-address.js';
import { askWorker, base, obstacle, onTold, takeLink, wordsHere } from './worker-link.js';

/**
 * In the place of a sealed page stands its password screen. This opens it: finds the worker, tries what is
 * typed, and then asks for the same address once more, which the worker answers.
 */
const named = (what: string) => document.querySelector<HTMLMetaElement>(`meta[name="dorlin-${what}"]`)?.content ?? '';
let area = named('area');
/** In the page for what a host does not have: of what is sealed there may be an address, and no page. */
const isMissing = document.currentScript?.dataset['missing'] !== undefined;
const [siteLanguage = 'en'] = Object.keys(window.dorlinWords);

/** Shows what cannot be, in the place of what would be typed. */
function say(text: string): void {
  const form = document.querySelector('form');
  const error = document.querySelector('#error') ?? document.createElement('p');
  error.id = 'error';
  error.className = 'error';
  error.setAttribute('role', 'alert');
  error.textContent = text;
  if (form !== null) form.prepend(error);
  else document.querySelector('main')?.append(error);
}

/** An address of the policy, where the site lies in a folder of its host. */
const addressOf = (to: string) => siteAddress(to, base);

let isEntering = false;

/** Asks for the same address once more, so that the worker answers it and a place within it is kept. */
function enter(to?: string): void {
  // Told by the answer, and by the news of it.
  if (isEntering) return;
  isEntering = true;
  const key = `dorlin ${location.pathname}`;
  const tries = (JSON.parse(sessionStorage.getItem(key) ?? '[]') as number[]).filter((at) => at > Date.now() - 10_000);
  // It came back here each time: something else is wrong, and it would go round for ever.
  if (tries.length > 2) {
    say(wordsHere()?.broken ?? '');
    return;
  }
  sessionStorage.setItem(key, JSON.stringify([...tries, Date.now()]));
  const original = to === undefined ? location.href : addressOf(to);
  // Of the same address with another end a browser only scrolls.
  history.replaceState(null, '', `${location.pathname}?dorlin`);
  location.replace(original);
}

/** The lock whose screen is shown; none, where one is sent elsewhere. */
let shown = named('lock');

/** Finds out whose screen asks for this address. @returns no where there is nothing that is sealed */
async function findDoor(): Promise<boolean> {
  const answer = await fetch(new URL('_dorlin/doors.json', base), { cache: 'no-cache' });
  const path = decodeURIComponent(location.pathname).slice(decodeURIComponent(base.pathname).length - 1);
  const door = answer.ok ? await doorOf((await answer.json()) as Doors, path) : undefined;
  if (door === undefined) return false;
  area = door.area;
  shown = door.lock;
  return true;
}

/** Puts another screen here: of another lock, in another state or language. */
async function show(lock: string, state: 'ask' | 'wrong', tag: string): Promise<void> {
  const answer = await fetch(new URL(`_dorlin/screens/${lock}.${state}.${tag}.html`, base));
  if (!answer.ok) return;
  const fresh = new DOMParser().parseFromString(await answer.text(), 'text/html');
  for (const element of fresh.querySelectorAll('[href^="/"],[src^="/"],[action^="/"]')) {
    for (const name of ['href', 'src', 'action']) {
      const value = element.getAttribute(name);
      if (value?.startsWith('/') === true) element.setAttribute(name, base.pathname + value.slice(1));
    }
  }
  for (const script of fresh.querySelectorAll('body script')) script.remove();
  const { lang, dir } = fresh.documentElement;
  Object.assign(document.documentElement, { lang, dir });
  document.title = fresh.title;
  const [style, here] = [fresh, document].map((one) => one.querySelector<HTMLLinkElement>('link[rel=stylesheet]'));
  if (style && here && style.href !== here.href) here.replaceWith(document.adoptNode(style));
  if (style && isMissing) {
    for (const own of document.querySelectorAll('head link[rel=stylesheet], style')) own.remove();
    document.head.append(document.adoptNode(style));
  }
  document.body.replaceWith(document.adoptNode(fresh.body));
  shown = lock;
  reveal();
  enableFields();
  document.querySelector<HTMLInputElement>('#password')?.focus();
}

/** The best of the site’s languages for this visitor. */
function languageHere(): string {
  const tags = Object.keys(window.dorlinWords);
  const primary = (tag: string) => tag.toLowerCase().split('-')[0];
  for (const wanted of navigator.languages) {
    const found =
      tags.find((tag) => tag.toLowerCase() === wanted.toLowerCase()) ??
      tags.find((tag) => primary(tag) === primary(wanted));
    if (found !== undefined) return found;
  }
  return siteLanguage;
}

async function submitted(form: HTMLFormElement): Promise<void> {
  const field = (name: string) => form.elements.namedItem(name) as HTMLInputElement | null;
  const [input, button] = [field('password'), form.querySelector('button[type="submit"]')];
  if (input === null || form.ariaBusy === 'true') return;
  form.ariaBusy = 'true';
  button?.setAttribute('aria-disabled', 'true');
  const { value: password } = input;
  const answered = await askWorker({
    ask: 'unlock',
    lock: shown,
    area,
    password,
    stay: field('stay')?.checked === true,
  });
  form.ariaBusy = 'false';
  button?.removeAttribute('aria-disabled');
  if (answered.isBroken === true) say(wordsHere()?.broken ?? '');
  else if (answered.elsewhere !== undefined) location.assign(addressOf(answered.elsewhere));
  else if (answered.isOpen) enter(answered.after);
  else if (answered.opened !== undefined && answered.next !== undefined) {
    await show(answered.next, 'ask', document.documentElement.lang);
  } else await show(shown, 'wrong', document.documentElement.lang);
}

async function begin(): Promise<void> {
  const why = obstacle();
  // Else it is what it says: there is nothing here.
  if (isMissing && (why !== undefined || !(await findDoor().catch(() => false)))) return;
  if (why !== undefined) {
    say(wordsHere()?.[why] ?? '');
    return;
  }
  addEventListener('submit', (event) => {
    const form = event.target as HTMLFormElement;
    if (!form.action.endsWith('/_dorlin/unlock')) return;
    event.preventDefault();
    void submitted(form);
  });
  enableFields();
  if (await takeLink()) {
    enter();
    return;
  }
  const { isOpen, next, isBroken } = await askWorker({ ask: 'look', area });
  if (isOpen) {
    enter();
    return;
  }
  if (isBroken === true) say(wordsHere()?.broken ?? '');
  onTold(() => {
    void askWorker({ ask: 'look', area }).then((now) => {
      if (now.isOpen) enter();
    });
  });
  const tag = languageHere();
  if (shown === '') return;
  const isOther = next !== undefined && next !== shown;
  // What is half typed stays.
  const isTyped = (document.querySelector<HTMLInputElement>('#password')?.value ?? '') !== '';
  if ((isOther || isMissing || tag !== document.documentElement.lang) && !isTyped) {
    await show(isOther ? next : shown, 'ask', tag);
  }
}

begin().catch(() => {
  say(wordsHere()?.old ?? '');
});
