import { askWorker, obstacle, onTold, takeLink, wordsHere } from './worker-link.js';
import '../page.js';

/**
 * For pages of a sealed site that have sealed parts, or menus that know what is open: finds the worker,
 * which answers the page’s own forms, and tells the page script what has changed.
 */
const changed = () => dispatchEvent(new Event('dorlin-reread'));

async function begin(): Promise<void> {
  const isLink = await takeLink();
  await askWorker({ ask: 'look', area: '' });
  changed();
  onTold(changed);
  if (isLink) location.reload();
}

// Without this script nothing can be typed there: it would be sent to the host.
for (const field of document.querySelectorAll<HTMLInputElement>('[form^="dorlin-form-"]')) field.disabled = false;

const why = obstacle();
if (why === undefined) void begin().catch(() => undefined);
// Before the page’s own script sends anything: a form that nobody answers says why.
addEventListener(
  'submit',
  (event) => {
    const form = event.target as HTMLFormElement;
    const number = /^dorlin-form-(\d+)$/.exec(form.id)?.[1];
    if (number === undefined) return;
    if (why === undefined && navigator.serviceWorker.controller !== null) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    const problem = document.getElementById(`dorlin-error-${number}`);
    if (why !== undefined) {
      if (problem !== null) problem.textContent = wordsHere()?.[why] ?? '';
      return;
    }
    // It has not taken this page over yet, as after a reload that passes it by.
    void Promise.race([
      new Promise((resolve) => {
        navigator.serviceWorker.addEventListener('controllerchange', resolve, { once: true });
      }),
      new Promise((resolve) => setTimeout(resolve, 3000)),
    ]).then(() => {
      if (navigator.serviceWorker.controller !== null) form.requestSubmit();
      else location.reload();
    });
  },
  true,
);
