import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

const names = Array.from({ length: 100 }, (_, at) => `clients/c${at}/index.html`);
const address = (path: string) => `<url><loc>https://kestrelmoor.example/${path}</loc></url>`;
const sitemap = `<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">${[...names, ''].map(address).join('')}</urlset>`;
const files = Object.fromEntries([...names, 'index.html'].map((name) => [name, `<title>${name}</title>`]));

/** All at once, out of search engines and the sitemap; guessed addresses are closed. */
export default walk('a hundred pages', { ...files, 'sitemap.xml': sitemap }, async ({ dorlin, browser }) => {
  await dorlin('init', ['init', 'dist', '--origin', 'https://kestrelmoor.example']);
  const { closed } = await dorlin('lock', ['lock', 'clients', '/clients/*/']);
  assert.equal(closed.length, 100);
  await dorlin('password add', ['password', 'add', 'clients', '--generate']);
  const page = await browser().visit('/clients/c42/');
  assert.deepEqual([page.status, page.headers.get('x-robots-tag')], [403, 'noindex']);
  assert.equal((await browser().visit('/clients/guessed/report.pdf')).status, 403);
  const listed = (await browser().visit('/sitemap.xml')).text;
  assert.equal(listed.match(/<loc>/g)?.length, 1);
  const { places } = await dorlin('places', ['places', '--locked']);
  assert.equal(places.length, 100);
  const { opened } = await dorlin('release', ['release', 'clients']);
  assert.equal(opened.length, 100);
});
