import MarkdownIt from 'markdown-it';

const allowed = /^(?:\/(?![/\\])|https?:\/\/|mailto:|tel:|#)/i;

/**
 * As much of CommonMark as a screen needs: paragraphs, headings, emphasis, lists, links. HTML in it
 * is text, pictures and code are not read.
 */
const markdown = new MarkdownIt('zero', { html: false, linkify: false }).enable([
  'emphasis',
  'escape',
  'heading',
  'link',
  'list',
  'newline',
]);
markdown.validateLink = (url) => allowed.test(url.trim()) && !/[\s\\<>"]/.test(url);

// The screen has one heading of the first rank, and none below it but these.
for (const rule of ['heading_open', 'heading_close'] as const) {
  markdown.renderer.rules[rule] = (tokens, at) =>
    rule === 'heading_open' ? '<h2>' : `</h2>${tokens[at]?.block === true ? '\n' : ''}`;
}

/** HTML of a text that an owner has written. */
export const markdownHtml = (text: string) => markdown.render(text).trim();
