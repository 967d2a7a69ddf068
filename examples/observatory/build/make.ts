/** Makes the site's sources for Vite: pages, pictures, papers, data and indexes, into `.site/`. */
import { cp, mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { embargoedFeedXml, feedXml, searchJson, sitemapXml } from './indexes.js';
import { logAsCsv, nightLog } from './night-log.js';
import { readPage, renderPage } from './pages.js';
import { handbookPdf, starWheelPdf } from './papers.js';
import { pictures } from './pictures.js';

const here = fileURLToPath(new URL('..', import.meta.url));
const site = join(here, '.site');

async function put(path: string, content: string | Uint8Array): Promise<void> {
  const file = join(site, path);
  await mkdir(dirname(file), { recursive: true });
  await writeFile(file, content);
}

await rm(site, { recursive: true, force: true });
await cp(join(here, 'src'), join(site, 'src'), { recursive: true });

const names = (await readdir(join(here, 'content'), { recursive: true })).filter((name) => name.endsWith('.md')).sort();
const pages = await Promise.all(
  names.map(async (name) => readPage(name, await readFile(join(here, 'content', name), 'utf8'))),
);
for (const page of pages) await put(page.file, renderPage(page, pages));

for (const [path, picture] of pictures()) await put(`public/${path}`, picture);
const mark =
  '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 40"><path d="M5 26a15 15 0 0 1 30 0z" fill="#4b3a63"/><path d="M21 26V11.2a15 15 0 0 1 7 2.6V26z" fill="#c8392b"/><path d="M3 28h34v3H3zM7 33h26v4H7z" fill="#4b3a63"/></svg>';
await put('public/pictures/mark.svg', mark);
await put('public/members/handbook.pdf', await handbookPdf());
await put('public/downloads/star-wheel.pdf', await starWheelPdf());
const log = nightLog();
await put('public/members/night-log.csv', logAsCsv(log));
await put('public/members/night-log.json', `${JSON.stringify(log, null, 1)}\n`);
await put('public/sitemap.xml', sitemapXml(pages));
await put('public/feed.xml', feedXml(pages));
await put('public/press/embargoed/feed.xml', embargoedFeedXml(pages));
await put('public/search.json', searchJson(pages, undefined));
await put('public/members/search.json', searchJson(pages, 'members'));
await put('public/robots.txt', 'User-agent: *\nAllow: /\nSitemap: https://kestrelmoor.example/sitemap.xml\n');
