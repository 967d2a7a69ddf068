import { parse } from 'parse5';
import { attribute, nodesIn, type Element, type Node } from '../core/sections/tree.js';
import type { BodyKind } from './addresses.js';
import type { PatrolCode } from './finding-table.js';
import { cutWords, saidIn, textBreak, type Words } from './words.js';

/** A part of what strangers get, named by the finding that it is if it says what is locked. */
export interface Part {
  readonly code: PatrolCode;
  readonly text: string;
}

/** Takes an answer apart, for whoever looks where in it some words stand. */
export function partsOf(text: string, kind: BodyKind, target: string): Part[] {
  if (kind === 'page') return pageParts(text);
  return [{ code: codeOfFile(text, kind, target), text: saidIn(text, kind === 'listing') }];
}

const isIndexName = (path: string) =>
  /search|lunr|fuse|pagefind|(?:^|[/_.-])(?:idx|index)(?:[_.-][\w-]*)?\.(?:json|js)$/i.test(path);
const isPageData = (path: string) =>
  /page-?data|(?:^|[/_.-])(?:_?payload|_data|__data|props|loader)\b|\.data\.json|\/_[a-z]+\/data\/|\.html?\.json|\.rsc$/i.test(
    path,
  );

/** What a file that is no page is called, if it says what is locked. */
function codeOfFile(text: string, kind: BodyKind, target: string): PatrolCode {
  const path = (target.split('?', 1)[0] ?? '').replace(/\.gz$/i, '');
  if (kind === 'listing') return 'words-in-feed';
  if (kind === 'style') return 'words-in-style';
  if (/\.map$/i.test(path) || /"sourcesContent"\s*:/.test(text)) return 'words-in-source-map';
  if (isIndexName(path)) return 'words-in-search-index';
  if (isPageData(path)) return 'words-in-page-data';
  if (kind === 'script') return /sourceMappingURL=data:/.test(text) ? 'words-in-source-map' : 'words-in-script';
  return 'words-in-data-file';
}

/** By name or property of a `meta`. */
function codeOfMeta(name: string): PatrolCode {
  if (/^(?:og|twitter|article|book|profile):/i.test(name)) return 'words-in-preview-card';
  return 'words-in-description';
}

function codeOfScript(script: Element): PatrolCode {
  const type = (attribute(script, 'type') ?? '').toLowerCase();
  if (type === 'application/ld+json') return 'words-in-json-ld';
  const text = script.childNodes.map((node) => ('value' in node ? node.value : '')).join('');
  if (/sourceMappingURL=data:/.test(text)) return 'words-in-source-map';
  const isData =
    /json/.test(type) ||
    /^\s*(?:self|window|globalThis|var|let|const)?[\s.\w$[\]"'|()]*=\s*[{["'(]|\.push\(\s*\[/.test(text);
  return isData ? 'words-in-page-data' : 'words-in-script';
}

const isUnseen = (element: Element) =>
  element.tagName === 'template' ||
  element.tagName === 'noscript' ||
  attribute(element, 'hidden') !== undefined ||
  attribute(element, 'aria-hidden') === 'true' ||
  /display\s*:\s*none|visibility\s*:\s*hidden/i.test(attribute(element, 'style') ?? '');

function pageParts(html: string): Part[] {
  const texts = new Map<PatrolCode, string[]>();
  const add = (code: PatrolCode, text: string) => {
    const said = saidIn(text, false).trim();
    if (said !== '') texts.set(code, [...(texts.get(code) ?? []), said]);
  };
  // In the order of the source, so that words in a row stay in a row.
  const shown: string[] = [];
  const unseen: string[] = [];
  const walk = (node: Node, isHidden: boolean) => {
    if (node.nodeName === '#comment' && 'data' in node) add('words-in-comment', node.data);
    if ('value' in node) (isHidden ? unseen : shown).push(node.value);
    if (!('tagName' in node)) {
      if ('childNodes' in node) for (const child of node.childNodes) walk(child, isHidden);
      return;
    }
    const { tagName } = node;
    if (tagName === 'script') {
      add(
        codeOfScript(node),
        nodesIn(node)
          .map((one) => ('value' in one ? one.value : ''))
          .join(''),
      );
    } else if (tagName === 'style') {
      add(
        'words-in-style',
        nodesIn(node)
          .map((one) => ('value' in one ? one.value : ''))
          .join(''),
      );
    } else if (tagName === 'meta') {
      const name = attribute(node, 'name') ?? attribute(node, 'property') ?? '';
      add(codeOfMeta(name), attribute(node, 'content') ?? '');
      return;
    }
    for (const { name, value } of node.attrs) {
      if (/^(?:class|style|href|src|id)$/.test(name) || !value.includes(' ')) continue;
      const isData = /^data-(?:page|props|state)/.test(name) && /^\s*[{[]/.test(value);
      add(isData ? 'words-in-page-data' : 'words-in-attribute', value);
    }
    if (tagName === 'script' || tagName === 'style') return;
    const isNowHidden = isHidden || isUnseen(node);
    // A part that is hidden begins a text of its own.
    if (isNowHidden !== isHidden) unseen.push(textBreak);
    const list = isNowHidden ? unseen : shown;
    list.push(' ');
    for (const child of node.childNodes) walk(child, isNowHidden);
    if ('content' in node) walk(node.content, isNowHidden);
    list.push(' ');
  };
  try {
    walk(parse(html, { scriptingEnabled: false }), false);
  } catch {
    // Nested deeper than calls can go: then all of it is one part.
    return [{ code: 'words-on-open-page', text: saidIn(html, true) }];
  }
  const parts = [...texts].map(([code, all]) => ({ code, text: all.join(textBreak) }));
  return [
    ...parts,
    { code: 'words-in-hidden-part', text: saidIn(unseen.join(''), false) },
    { code: 'words-on-open-page', text: saidIn(shown.join(''), false) },
  ];
}

/** A text with the means to quote words of it. */
export function quotable(text: string): {
  readonly words: Words;
  readonly quote: (at: number, length: number) => string;
} {
  const places: number[] = [];
  const words = cutWords(text, places);
  return {
    words,
    quote(at, length) {
      const most = 24;
      const from = places[at * 2] ?? 0;
      const to = places[(at + Math.min(length, most)) * 2 - 1] ?? from;
      const said = text.slice(from, to).replace(/\s+/g, ' ').trim();
      return length > most ? `${said} …` : said;
    },
  };
}
