/** What a page, a file or a letter of the site holds that nobody else may see; looked for in every answer. */
export const canaries = {
  home: 'heron-front-page',
  about: 'heron-about',
  log: 'heron-members-log',
  plan: 'heron-members-plan',
  papers: 'heron-trustees-papers',
  pack: 'heron-teacher-pack',
  shop: 'heron-shop-shelves',
  archive: 'heron-archive-box',
  meeting: 'heron-meeting-point',
  events: 'heron-events-public',
  marked: 'heron-marked-words',
  notes: 'heron-notes-public',
  missing: 'heron-nothing-here',
} as const;

const page = (title: string, body: string) =>
  `<!doctype html><html lang="en"><head><title>${title}</title></head><body><main><h1>${title}</h1>${body}</main></body></html>\n`;

/** The site's files, by path: small, so that each front can carry them in itself. */
export const siteFiles: Readonly<Record<string, string>> = {
  '/index.html': page('Home', canaries.home),
  '/about.html': page('About', canaries.about),
  '/members/index.html': page('Members', canaries.log),
  '/members/log.html': page('Log', canaries.log),
  '/members/plan.txt': `${canaries.plan}\n`.repeat(40),
  '/members/join.html': page('Join', canaries.about),
  '/trustees/index.html': page('Trustees', canaries.papers),
  '/visits/teacher-pack.html': page('Teachers', canaries.pack),
  '/shop/index.html': page('Shop', canaries.shop),
  '/archive/index.html': page('Archive', canaries.archive),
  '/events.html': page('Events', `<p>${canaries.events}</p><section id="night-walk">${canaries.meeting}</section>`),
  '/notes.html': page('Notes', `<p>${canaries.notes}</p><div data-dorlin-lock="members">${canaries.marked}</div>`),
  '/sitemap.xml':
    '<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">' +
    '<url><loc>https://heron.example/about</loc></url><url><loc>https://heron.example/members/log</loc></url></urlset>\n',
  '/404.html': page('Nothing', canaries.missing),
};

const types: Readonly<Record<string, string>> = {
  html: 'text/html; charset=utf-8',
  txt: 'text/plain; charset=utf-8',
  xml: 'application/xml',
};

/** What the site answers at a path, wherever it runs: a status, and a file of its own. */
export function answerOf(path: string): { readonly status: number; readonly type: string; readonly body: string } {
  const bare = path.replace(/\/+$/, '');
  const file = [path, `${path}.html`, `${bare}/index.html`].find((name) => name in siteFiles) ?? '/404.html';
  const ending = file.slice(file.lastIndexOf('.') + 1);
  return { status: file === '/404.html' ? 404 : 200, type: types[ending] ?? '', body: siteFiles[file] ?? '' };
}

/** The path of a target or an address, decoded; what cannot be is nothing. */
export function pathOf(target: string): string {
  try {
    return decodeURIComponent(target.replace(/^https?:\/\/[^/]*/, '').split('?', 1)[0] ?? '/');
  } catch {
    return '/404';
  }
}
