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
  const items = newsPages(pages).map((page) =>
    feedItem(page, `<pubDate>${new Date(`${page.date ?? ''}T09:00Z`).toUTCString()}</pubDate>`),
  );
  return rss('News from Kestrelmoor', '/news/', 'What has happened on the moor.', items);
}

/** The announcements under embargo as RSS 2.0, for journalists' feed readers. */
export function embargoedFeedXml(pages: readonly Page[]): string {
  const items = pages.filter(({ address }) => /^\/press\/embargoed\/./.test(address)).map((page) => feedItem(page, ''));
  const about = 'Announcements that are not to be published yet.';
  return rss('Kestrelmoor, under embargo', '/press/embargoed/', about, items);
}

function feedItem({ title, summary, address }: Page, more: string): string {
  const link = `${origin}${address}`;
  return `  <item><title>${escape(title)}</title><link>${link}</link><guid>${link}</guid>${more}<description>${escape(summary)}</description></item>`;
}

function rss(title: string, path: string, about: string, items: readonly string[]): string {
  return `<?xml version="1.0" encoding="UTF-8"?>\n<rss version="2.0"><channel>\n  <title>${title}</title><link>${origin}${path}</link><description>${about}</description>\n${items.join('\n')}\n</channel></rss>\n`;
}

/** What the search box reads: one index for everybody, one for members. */
export function searchJson(pages: readonly Page[], of: undefined | 'members'): string {
  const entries = pages
    .filter(({ search }) => search === of)
    .map(({ address, title, summary, text }) => ({ address, title, summary, text }));
  return JSON.stringify(entries);
}
