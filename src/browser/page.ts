/**
 * For pages with locked sections, and for menus that know which locks are open. An element with
 * `data-dorlin-if="members press"` shows while any of these locks is open, one with
 * `data-dorlin-unless` while none is. It only hides and shows: what must not be seen by strangers
 * belongs under a lock.
 * @module
 */

/** Dorlin's own addresses: beside this script, where the guard serves it, or the usual place. */
const prefix =
  (document.currentScript as HTMLScriptElement | null)?.src.replace(location.origin, '').replace(/\/page\.js.*$/, '') ??
  '/_dorlin';

/** The cookies that scripts may read; none in a page that has no origin of its own, as in a sandboxed frame. */
function cookies(): string {
  try {
    return document.cookie;
  } catch {
    return '';
  }
}

/** The names of the locks that this browser has opened. */
export function openLocks(): readonly string[] {
  const found = /(?:^|; )dorlin-open=([^;]*)/.exec(cookies())?.[1] ?? '';
  return found === '' ? [] : found.split('.');
}

/** Whether this browser has opened a lock. */
export const isOpen = (lock: string): boolean => openLocks().includes(lock);

/** Calls back whenever locks open or close. Gives back a function that ends it. */
export function onChange(listener: (open: readonly string[]) => void): () => void {
  const heard = () => {
    listener(openLocks());
  };
  addEventListener('dorlin-change', heard);
  return () => {
    removeEventListener('dorlin-change', heard);
  };
}

/** Forgets what this browser has opened, and shows the page as strangers see it. */
export async function leave(): Promise<void> {
  await fetch(`${prefix}/leave`, { method: 'POST', headers: { accept: 'application/json' } });
  location.reload();
}

const sheet = new CSSStyleSheet();

/** Set before the page is drawn, so that no wrong entry shows even for a moment. */
function apply(): void {
  const anyOf = (name: string) =>
    openLocks()
      .map((lock) => `[data-dorlin-${name}~="${lock}"]`)
      .join();
  const shown = anyOf('if');
  const hidden = anyOf('unless');
  sheet.replaceSync(
    `[data-dorlin-if]${shown && `:not(${shown})`}{display:none!important}` +
      (hidden && `${hidden}{display:none!important}`),
  );
}

function changed(): void {
  apply();
  dispatchEvent(new Event('dorlin-change'));
}

/** Puts what a section holds in the place of its form. */
async function show(): Promise<HTMLElement | undefined> {
  const answer = await fetch(location.href, { headers: { accept: 'text/html' } });
  const fresh = new DOMParser().parseFromString(await answer.text(), 'text/html');
  let first: HTMLElement | undefined;
  for (const old of document.querySelectorAll<HTMLElement>('[data-dorlin-section]')) {
    const lock = old.dataset['dorlinLock'];
    // What is hidden has no name that it could be found by.
    if (lock === undefined && old.id === '') continue;
    const same = lock === undefined ? `#${CSS.escape(old.id)}` : `[data-dorlin-lock="${lock}"]`;
    const at = [...document.querySelectorAll(same)].indexOf(old);
    const found = fresh.querySelectorAll<HTMLElement>(same)[at];
    if (!found || found.dataset['dorlinSection'] !== undefined) continue;
    const opened = document.importNode(found, true);
    // Scripts that a parser made this way would not run.
    for (const script of opened.querySelectorAll('script')) {
      const again = document.createElement('script');
      for (const { name, value } of script.attributes) again.setAttribute(name, value);
      again.textContent = script.textContent;
      script.replaceWith(again);
    }
    old.replaceWith(opened);
    first ??= opened;
  }
  return first;
}

function send(event: SubmitEvent): void {
  const form = event.target as HTMLFormElement;
  const number = /^dorlin-form-(\d+)$/.exec(form.id)?.[1];
  if (number === undefined) return;
  event.preventDefault();
  const fields = new URLSearchParams(new FormData(form) as unknown as Record<string, string>);
  const input = form.elements.namedItem('password') as HTMLInputElement;
  const problem = document.getElementById(`dorlin-error-${number}`);
  void fetch(form.action, { method: 'POST', body: fields, headers: { accept: 'application/json' } })
    .then(async (answer) => {
      if (answer.ok) {
        const opened = await show();
        changed();
        if (!opened) {
          location.reload();
          return;
        }
        opened.tabIndex = -1;
        opened.focus();
        return;
      }
      const { message, to } = (await answer.json()) as { message?: string; to?: string };
      if (to !== undefined) {
        location.assign(to);
        return;
      }
      if (problem) problem.textContent = message ?? '';
      input.setAttribute('aria-invalid', 'true');
      input.select();
      input.focus();
    })
    .catch(() => {
      // Sent the plain way, which needs nothing of this script. The host of a sealed site is to have no password.
      if ('dorlinWords' in window) location.reload();
      else form.submit();
    });
}

/**
 * Asks once, for pages with a menu: who is let in without a password has opened nothing, and is not
 * known to be in until the guard has said so.
 */
async function ask(): Promise<void> {
  const asked = 'dorlin-asked';
  if (!document.querySelector('[data-dorlin-if],[data-dorlin-unless]')) return;
  if (sessionStorage.getItem(asked)) return;
  sessionStorage.setItem(asked, '1');
  await fetch(`${prefix}/status`);
  changed();
}

// A page may carry this script itself and be given it again beside a section's form.
const once = Symbol.for('dorlin.page');
if (!(once in globalThis)) {
  Object.assign(globalThis, { [once]: true });
  document.adoptedStyleSheets.push(sheet);
  apply();
  addEventListener('submit', send);
  addEventListener('click', (event) => {
    if ((event.target as Element).closest('[data-dorlin-leave]')) void leave();
  });
  const asks = () => void ask().catch(() => undefined);
  if (document.readyState === 'loading') addEventListener('DOMContentLoaded', asks);
  else asks();
  // Another tab may have opened or left locks meanwhile.
  addEventListener('pageshow', changed);
  // What opens a site without a server knows later than this what is open.
  addEventListener('dorlin-reread', changed);
}
