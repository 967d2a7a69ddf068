import { Marked, type Tokens } from 'marked';
import { escapeHtml } from './html.js';

const allowed = /^(?:\/(?![/\\])|https?:\/\/|mailto:|tel:|#)/i;
const isAllowed = (url: string) => allowed.test(url) && !/[\s\\<>"]/.test(url);

/** Says of a text that it is no such part of Markdown; what is no part at all is a paragraph. */
const none = () => undefined;

/**
 * As much of CommonMark as a screen needs: paragraphs, headings, emphasis, lists, links. HTML in it
 * is text, pictures and code are not read. The screen has one heading of the first rank, and none
 * below it but these.
 */
const markdown = new Marked({
  gfm: false,
  tokenizer: {
    code: none,
    fences: none,
    hr: none,
    blockquote: none,
    html: none,
    def: none,
    table: none,
    lheading: none,
    reflink: none,
    tag: none,
    codespan: none,
    autolink: none,
    url: none,
    del: none,
  },
  renderer: {
    heading({ tokens }: Tokens.Heading) {
      return `<h2>${this.parser.parseInline(tokens)}</h2>\n`;
    },
    link({ href, raw, tokens }: Tokens.Link) {
      if (!isAllowed(href)) return escapeHtml(raw);
      return `<a href="${escapeHtml(href)}">${this.parser.parseInline(tokens)}</a>`;
    },
    image: ({ raw }: Tokens.Image) => escapeHtml(raw),
    text(token: Tokens.Text | Tokens.Escape) {
      return 'tokens' in token ? this.parser.parseInline(token.tokens) : escapeHtml(token.text);
    },
    html: ({ text }: Tokens.HTML | Tokens.Tag) => escapeHtml(text),
  },
});

/** HTML of a text that an owner has written. */
export const markdownHtml = (text: string) => markdown.parse(text, { async: false }).trim();
