import { marked } from 'marked';
import { parse } from 'yaml';

/** One page of the site, from a file of `content/`. */
export interface Page {
  /** `/press/` for an index, `/press/new-dome` for others. */
  readonly address: string;
  /** Where it is written: `press/new-dome.html`. */
  readonly file: string;
  readonly title: string;
  readonly summary: string;
  readonly section?: string;
  readonly layout?: 'home' | 'news' | 'gallery' | 'search';
  readonly date?: string;
  /** `false`: in no index; `members`: in the members' own. */
  readonly search?: false | 'members';
  readonly sitemap?: false;
  readonly html: string;
  readonly text: string;
}

export function readPage(name: string, source: string): Page {
  const [, head = '', body = ''] = /^---\n(.*?)\n---\n(.*)$/s.exec(source) ?? [];
  const path = name.replace(/\.md$/, '');
  const html = marked.parse(body);
  return {
    ...(parse(head) as Pick<Page, 'title' | 'summary'>),
    address: `/${path}`.replace(/\/index$/, '/'),
    file: `${path}.html`,
    html,
    // The index is for everybody, so what is in a locked section must not be in it.
    text: html
      .replace(/<section id="night-walk">.*?<\/section>/gs, ' ')
      .replace(/<[^>]+>/g, ' ')
      .replace(/\s+/g, ' ')
      .trim(),
  };
}

const navigation = [
  ['/visits/', 'Visits'],
  ['/public-nights', 'Public nights'],
  ['/events', 'Events'],
  ['/news/', 'News'],
  ['/about/', 'About us'],
  ['/members/', 'Members'],
] as const;

const escape = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('"', '&quot;');

const longDate = (date: string) =>
  new Date(`${date}T12:00Z`).toLocaleDateString('en-GB', {
    day: 'numeric',
    month: 'long',
    year: 'numeric',
  });

const mark = `<svg viewBox="0 0 40 40" width="34" height="34" aria-hidden="true"><path d="M5 26a15 15 0 0 1 30 0z" fill="currentColor"/><path d="M21 26V11.2a15 15 0 0 1 7 2.6V26z" fill="var(--lamp)"/><path d="M3 28h34v3H3zM7 33h26v4H7z" fill="currentColor"/></svg>`;

function shell(page: Page, main: string): string {
  const links = navigation.map(([href, name]) => {
    const isHere = page.address === href || (href.endsWith('/') && page.address.startsWith(href));
    // For strangers the menu invites to join; who has the password is led to the log.
    const here = isHere ? ' aria-current="page"' : '';
    return href === '/members/'
      ? `<a href="/members/join" data-dorlin-unless="members">Join us</a><a href="${href}"${here} data-dorlin-if="members">Members</a>`
      : `<a href="${href}"${here}>${name}</a>`;
  });
  const title = page.layout === 'home' ? page.title : `${page.title} · Kestrelmoor Observatory`;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escape(title)}</title>
<meta name="description" content="${escape(page.summary)}">
<link rel="icon" href="/pictures/mark.svg" type="image/svg+xml">
<link rel="alternate" type="application/rss+xml" title="News from Kestrelmoor" href="/feed.xml">
<link rel="stylesheet" href="/src/style.css">
<script vite-ignore src="/_dorlin/page.js"></script>
<script type="module" src="/src/site.ts"></script>
</head>
<body class="is-${page.layout ?? 'plain'}">
<a class="skip" href="#main">To the text</a>
<header class="top">
<a class="name" href="/">${mark}<span>Kestrelmoor<br>Observatory</span></a>
<nav aria-label="Main">${links.join('')}</nav>
<form class="find" role="search" action="/search"><label for="find" class="unseen">Search</label><input id="find" name="q" type="search" placeholder="Search" autocomplete="off"><div class="found" hidden></div></form>
</header>
<main id="main">
${main}
</main>
<footer><p>Kestrelmoor Observatory, The Old Peat Road, Upper Kestrel. An invented place, on a moor that is not there.</p>
<p><a href="/contact">Contact</a> <a href="/press/">Press</a> <span data-dorlin-lock="trustees"><a href="/trustees/">Trustees</a> </span><a href="/how-this-demo-is-locked">How this demo is locked</a> <button type="button" data-dorlin-leave data-dorlin-if="opening members press schools night-walk">Lock all again</button></p></footer>
</body>
</html>
`;
}

/** The page as a whole document. `all` is for what lists other pages. */
export function renderPage(page: Page, all: readonly Page[]): string {
  if (page.layout === 'home') return shell(page, home(page, all));
  const isShown = (other: Page) => other.section === page.section && (other.search !== false || page.search === false);
  // The section's own front page first.
  const rank = (other: Page) => (other.address.endsWith('/') ? 0 : 1);
  const siblings = page.section === undefined ? [] : all.filter(isShown).sort((one, other) => rank(one) - rank(other));
  const beside =
    siblings.length < 2 || page.section === 'news'
      ? ''
      : `<aside><nav aria-label="In this section"><ul>${siblings.map((other) => `<li><a href="${other.address}"${other === page ? ' aria-current="page"' : ''}>${escape(other.title)}</a></li>`).join('')}</ul></nav></aside>`;
  const date = page.date === undefined ? '' : `<p class="date">${longDate(page.date)}</p>`;
  const extra =
    page.layout === 'news'
      ? newsList(all)
      : page.layout === 'gallery'
        ? gallery()
        : page.layout === 'search'
          ? '<div id="results" role="status"></div>'
          : '';
  return shell(
    page,
    `<div class="page${beside === '' ? ' alone' : ''}"><article>${date}<h1>${escape(page.title)}</h1>
<p class="lead">${escape(page.summary)}</p>
${page.html}${extra}</article>${beside}</div>`,
  );
}

export function newsPages(all: readonly Page[]): Page[] {
  return all
    .filter((page) => page.section === 'news' && page.date !== undefined)
    .sort((one, other) => (other.date ?? '').localeCompare(one.date ?? ''));
}

function newsList(all: readonly Page[]): string {
  const items = newsPages(all).map(
    (page) =>
      `<li><a href="${page.address}"><span class="date">${longDate(page.date ?? '')}</span><strong>${escape(page.title)}</strong><span>${escape(page.summary)}</span></a></li>`,
  );
  return `<ul class="news">${items.join('')}</ul>`;
}

function gallery(): string {
  const drawings = [
    ['first-quarter', 'The Moon at first quarter', 'Oona, five-inch, 22 October'],
    ['striped-planet', 'Jupiter with three moons', 'Bran, twelve-inch, 3 November'],
    ['round-cluster', 'The cluster in Hercules', 'Imke, twelve-inch, 14 September'],
    ['ringed-planet', 'Saturn, from the lawn', 'Oona, three-inch, 14 November'],
  ];
  const figures = drawings.map(
    ([name = '', title = '', by = '']) =>
      `<figure><img src="/members/pictures/${name}.png" width="720" height="720" alt="Drawing: ${escape(title)}" loading="lazy"><figcaption><strong>${escape(title)}</strong> ${escape(by)}</figcaption></figure>`,
  );
  return `<div class="gallery">${figures.join('')}</div>`;
}

function home(page: Page, all: readonly Page[]): string {
  const ways = [
    ['/members/', 'Members', 'The rota, the log and the handbook. With this season’s password.', 'chart-plough'],
    ['/visits/teacher-pack', 'Teachers', 'The day hour by hour, worksheets and the star wheel.', 'chart-hunter'],
    ['/press/embargoed/', 'Press', 'Announcements under embargo, for named journalists.', 'chart-chair'],
  ];
  const cards = ways.map(
    ([href = '', name = '', text = '', picture = '']) =>
      `<li><a href="${href}"><img src="/pictures/${picture}.svg" alt="" width="780" height="600"><strong>${name}</strong><span>${text}</span></a></li>`,
  );
  const [first] = newsPages(all);
  return `<section class="hero"><img src="/pictures/moor-by-night.svg" alt="The dome on the moor at night, its slit lit red" width="1600" height="720"><div><p class="date">Closed for the new dome until 20 March 2027</p><h1>Come up the moor. Let your eyes get used to it.</h1></div></section>
<div class="page alone"><article><p class="lead">${escape(page.summary)}</p>${page.html}</article></div>
<section class="ways" aria-labelledby="ways"><h2 id="ways">Ways in, meanwhile</h2><ul>${cards.join('')}</ul></section>
<section class="latest"><p class="date">${longDate(first?.date ?? '')}</p><h2><a href="${first?.address ?? '/news/'}">${escape(first?.title ?? '')}</a></h2></section>`;
}
