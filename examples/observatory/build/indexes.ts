import { newsPages, type Page } from './pages.js';

const origin = 'https://kestrelmoor.example';

const escape = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');

/** The sitemap (sitemaps.org protocol 0.9) of every page, the locked ones with them. */
export function sitemapXml(pages: readonly Page[]): string {
  const entries = pages
    .filter(({ sitemap }) => sitemap !== false)
    .map(({ address }) => `  <url><loc>${origin}${address}</loc></url>`);
  return `<?xml version="1.0" encoding="UTF-8"?>\n<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">\n${entries.join('\n')}\n</urlset>\n`;
}

/** The news as RSS 2.0. */
export function feedXml(pages: readonly Page[]): string {
  const items = newsPages(pages).map(
    ({ title, summary, address, date }) =>
      `  <item><title>${escape(title)}</title><link>${origin}${address}</link><guid>${origin}${address}</guid><pubDate>${new Date(`${date ?? ''}T09:00Z`).toUTCString()}</pubDate><description>${escape(summary)}</description></item>`,
  );
  return `<?xml version="1.0" encoding="UTF-8"?>\n<rss version="2.0"><channel>\n  <title>News from Kestrelmoor</title><link>${origin}/news/</link><description>What has happened on the moor.</description>\n${items.join('\n')}\n</channel></rss>\n`;
}

/** What the search box reads: one index for everybody, one for members. */
export function searchJson(pages: readonly Page[], of: undefined | 'members'): string {
  const entries = pages
    .filter(({ search }) => search === of)
    .map(({ address, title, summary, text }) => ({ address, title, summary, text }));
  return JSON.stringify(entries);
}
