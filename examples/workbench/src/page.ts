/** An element of the page by its id. */
export function element<Kind extends HTMLElement>(id: string, kind: new () => Kind): Kind {
  const found = document.getElementById(id);
  if (found instanceof kind) return found;
  throw new Error(`there is no ${id}`);
}

/** Puts these in the place of what stands there. */
export function fill(place: HTMLElement, children: readonly Node[]): void {
  place.replaceChildren(...children);
}

/** An element with a text. */
export function withText(name: string, text: string, className = ''): HTMLElement {
  const made = document.createElement(name);
  made.textContent = text;
  made.className = className;
  return made;
}

/** Offers these in a list of choices; what was chosen stays chosen, where it is still there. */
export function offer(list: HTMLSelectElement, choices: readonly (readonly [value: string, words: string])[]): string {
  const before = list.value;
  const isSame = choices.length === list.length && choices.every(([value], at) => list.options[at]?.value === value);
  if (!isSame) {
    fill(
      list,
      choices.map(([value, words]) => new Option(words, value)),
    );
    if (choices.some(([value]) => value === before)) list.value = before;
  }
  return list.value;
}

/** Shows the panel of one tab. */
export function select(tabs: readonly HTMLButtonElement[], chosen: HTMLButtonElement): void {
  for (const tab of tabs) {
    const isChosen = tab === chosen;
    tab.setAttribute('aria-selected', String(isChosen));
    tab.tabIndex = isChosen ? 0 : -1;
    element(tab.getAttribute('aria-controls') ?? '', HTMLElement).hidden = !isChosen;
  }
}
