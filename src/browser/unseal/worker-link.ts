import type { Answered, Asked, Told } from './messages.js';
import type { UnsealWords } from './scope.js';

declare global {
  interface Window {
    /** Put before the script when a site is sealed: its words, by language. */
    readonly dorlinWords: Readonly<Record<string, UnsealWords>>;
  }
}

/** Where the site begins: this script lies in its `_dorlin/`. */
export const base = new URL('..', (document.currentScript as HTMLScriptElement).src);

/** Why nothing can be opened here. */
export function obstacle(): 'file' | 'plain' | 'old' | undefined {
  if (location.protocol === 'file:') return 'file';
  if (!window.isSecureContext) return 'plain';
  const can = 'serviceWorker' in navigator && 'indexedDB' in window && 'DecompressionStream' in window;
  return can ? undefined : 'old';
}

/** What is said in the language of the page, else in the site’s first. */
export function wordsHere(): UnsealWords | undefined {
  const tag = document.documentElement.lang;
  return window.dorlinWords[tag] ?? Object.values(window.dorlinWords)[0];
}

let worker: Promise<ServiceWorker> | undefined;

/** The worker of the site, registered where it is not yet. */
export function theWorker(): Promise<ServiceWorker> {
  worker ??= navigator.serviceWorker
    .register(new URL('dorlin-worker.js', base), { scope: base.pathname, updateViaCache: 'none' })
    // Not `controllerchange`, which may never come.
    .then(() => navigator.serviceWorker.ready)
    .then(({ active }) => active as ServiceWorker);
  return worker;
}

export async function askWorker(question: Asked): Promise<Answered> {
  const active = await theWorker();
  return new Promise((resolve) => {
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = ({ data }: MessageEvent<Answered>) => {
      note(data);
      resolve(data);
    };
    active.postMessage(question, [port2]);
  });
}

const setCookie = (name: string, value: string, more = '') => {
  document.cookie = `${name}=${value}; path=${base.pathname}; samesite=lax${location.protocol === 'https:' ? '; secure' : ''}${more}`;
};

/** For menus that know which locks are open; it grants nothing. */
function note({ open, visit }: Told): void {
  setCookie('dorlin-open', open.join('.'), open.length === 0 ? '; max-age=0' : '');
  if (visit !== undefined) setCookie('dorlin-visit', visit);
}

/** Calls back when something was opened or left in another tab. */
export function onTold(listener: (told: Told) => void): void {
  new BroadcastChannel(`dorlin ${base.pathname}`).onmessage = ({ data }: MessageEvent<Told>) => {
    note(data);
    listener(data);
  };
}

/** An entry link brings its secret behind the `#`, which browsers send to nobody. */
export async function takeLink(): Promise<boolean> {
  const [, lock, secret] = /^#dorlin=([a-z][\w-]*)\.([\w-]+)$/.exec(location.hash) ?? [];
  if (lock === undefined || secret === undefined) return false;
  history.replaceState(null, '', location.pathname + location.search);
  return (await askWorker({ ask: 'unlock', lock, password: secret, stay: false })).opened !== undefined;
}
