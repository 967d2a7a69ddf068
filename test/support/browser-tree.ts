import type { Page } from 'playwright-core';

/** What a browser's own parser makes of a page; a name that no lock has is a section, too. */
export interface BrowserTree {
  /** All of it but its sections and what stands in their place, as text to be compared. */
  readonly tree: string;
  /** The words in its sections, and those everywhere else. */
  readonly inside: readonly string[];
  readonly outside: readonly string[];
}

/** Runs in the page, as a text. */
const reader = `(async (url, isNamed) => {
  const frame = document.createElement('iframe');
  frame.src = url;
  const loaded = new Promise((resolve) => frame.addEventListener('load', resolve));
  const tooLong = new Promise((resolve) => setTimeout(resolve, 3000));
  // What is not shown needs not be painted.
  frame.style.display = 'none';
  document.body.append(frame);
  await Promise.race([loaded, tooLong]);
  const page = frame.contentDocument;
  try {
  if (page === null || page.URL === 'about:blank') return undefined;
  const { DocumentFragment } = frame.contentWindow;
  const words = (text) => text.match(/canary\\d+x/g) ?? [];
  const inside = [];
  const outside = [];
  const isSection = (element) =>
    (isNamed && element.id === 'locked') ||
    element.hasAttribute('data-dorlin-lock');
  const collect = (node, list) => {
    list.push(...words(node.nodeValue ?? ''));
    for (const { value } of node.attributes ?? []) list.push(...words(value));
    for (const child of node.childNodes) collect(child, list);
    for (const more of [node.content, node.shadowRoot]) if (more instanceof DocumentFragment) collect(more, list);
  };
  // As browsers without script read it.
  const holdsSection = (text) => {
    const holds = (root) => [...root.querySelectorAll('*')].some(
      (one) => isSection(one) || (one.localName === 'template' && holds(one.content)),
    );
    return holds(new DOMParser().parseFromString(text, 'text/html'));
  };
  const shown = (node) => {
    if (node.nodeType === Node.ELEMENT_NODE) {
      if (node.hasAttribute('data-dorlin-added')) return '';
      if (isSection(node) || node.hasAttribute('data-dorlin-section')) {
        collect(node, inside);
        return '[section]';
      }
      // As text, what browsers without script read: emptied where it holds a section.
      const isBoth = node.tagName === 'NOSCRIPT';
      if (isBoth && holdsSection(node.textContent)) {
        for (const child of node.childNodes) collect(child, inside);
        for (const { value } of node.attributes) outside.push(...words(value));
        return '<noscript></noscript>';
      }
      const attributes = [...node.attributes].map(({ name, value }) => ' ' + name + '=' + JSON.stringify(value)).join('');
      for (const { value } of node.attributes) outside.push(...words(value));
      const inner = [...node.childNodes].map(shown).join('');
      const more = [node.content, node.shadowRoot].map((root) => root instanceof DocumentFragment ? '#' + [...root.childNodes].map(shown).join('') : '').join('');
      const name = node.namespaceURI + ' ' + node.tagName;
      return isBoth && inner === '' ? '<noscript></noscript>' : '<' + name + attributes + '>' + more + inner + '</>';
    }
    outside.push(...words(node.nodeValue ?? ''));
    return node.nodeType + JSON.stringify(node.nodeValue ?? node.name) + (node.publicId ?? '');
  };
  const tree = page.compatMode + [...page.childNodes].map(shown).join('');
  return { tree, inside, outside };
  } finally { frame.remove(); }
})`;

/**
 * What the browser makes of an address that it loads in a frame of a page of the same origin; sections
 * by id are those of `isNamed`. Undefined where it shows no page.
 */
export function browserTree(page: Page, path: string, isNamed = false): Promise<BrowserTree | undefined> {
  return page.evaluate(`${reader}(${JSON.stringify(path)}, ${String(isNamed)})`);
}
