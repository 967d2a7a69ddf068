const input = document.querySelector<HTMLInputElement>('#password');

/** Makes usable what a screen that only a script opens leaves unusable without one. */
export function enableFields(): void {
  for (const field of document.querySelectorAll<HTMLInputElement | HTMLButtonElement>('#password,.open')) {
    field.disabled = false;
  }
  document.querySelector<HTMLInputElement>('#password[autofocus]')?.focus();
}

/** Shows and hides what was typed. Without this script the button stays hidden. */
export function reveal(): void {
  const field = document.querySelector<HTMLInputElement>('#password');
  const button = document.querySelector<HTMLButtonElement>('#reveal');
  if (!field || !button) return;
  button.hidden = false;
  button.addEventListener('click', () => {
    const isShown = field.type === 'password';
    field.type = isShown ? 'text' : 'password';
    button.textContent = (isShown ? button.dataset['hide'] : button.dataset['show']) ?? '';
    field.focus();
  });
  // A shown password must not be kept as ordinary text by the browser's form memory.
  field.form?.addEventListener('submit', () => (field.type = 'password'));
}
reveal();

/** Says beside the date how much time is left, and loads anew once none is. */
const left = document.querySelector('#left');
const end = Date.parse(left?.parentElement?.querySelector('time')?.dateTime ?? '');
if (left && end > Date.now()) {
  const words = (count: number, unit: string) =>
    new Intl.NumberFormat(document.documentElement.lang, {
      style: 'unit',
      unit,
      unitDisplay: 'long',
    }).format(count);
  const tick = () => {
    const minutes = Math.ceil((end - Date.now()) / 60_000);
    if (minutes <= 0) {
      // Reading what is typed anew would lose it.
      if (!input?.value) location.reload();
      return;
    }
    const parts: [number, string][] = [
      [Math.floor(minutes / 1440), 'day'],
      [Math.floor(minutes / 60) % 24, 'hour'],
      [minutes % 60, 'minute'],
    ];
    const first = parts.findIndex(([count]) => count > 0);
    // Two units are enough. By the minute: nothing on the screen flickers.
    const shown = parts.slice(first, first + 2).filter(([count]) => count > 0);
    left.textContent = `(${shown.map(([count, unit]) => words(count, unit)).join(' ')})`;
    setTimeout(tick, Math.min(60_000, ((end - Date.now()) % 60_000) + 500));
  };
  tick();
}
