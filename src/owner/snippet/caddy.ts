import { scratchEndings } from '../../server/site-files.js';
import { distrusted as distrustedEverywhere } from '../../core/distrusted-headers.js';
import { carried, pathUnfit, type Front } from './front.js';

/**
 * A path in double quotes as Caddy reads it.
 * @throws DorlinError `call-wrong` for a brace: what stands between two is a placeholder to Caddy; and for a backslash,
 * which it takes for itself in one place and for a mark of the quote behind it in another
 */
function quoted(path: string): string {
  if (/[{}\\]/.test(path)) throw pathUnfit('Caddy', path, '`{`, `}` or `\\`');
  return /^[\w./:@-]+$/.test(path) ? path : `"${path.replaceAll('"', '\\"')}"`;
}

/** A whole configuration of Caddy 2.6 or newer: a Caddyfile. */
export function caddySnippet(front: Front): string {
  const { authorizer, port, names, prefix, site, siteName, siteId, distrusted, indexFiles, extensions, tls } = front;
  const hosts =
    names.length === 0
      ? [`:${port}`]
      : names.map((name) => (port === 443 ? name : `${tls === undefined ? 'http' : 'https'}://${name}:${port}`));
  const without = (tabs: string, all: readonly string[]) =>
    [...all, '*_*'].map((name) => `${tabs}header_up -${name}`).join('\n');
  // Whatever the visitor names, the files are this site's.
  const ofSite = (tabs: string) =>
    `${tabs}header_up ${siteId === undefined ? '-Dorlin-Site' : `Dorlin-Site ${siteId}`}`;
  const proxied = (tabs: string) => `${tabs}reverse_proxy ${authorizer} {
${without(`${tabs}\t`, distrusted)}
${ofSite(`${tabs}\t`)}
${tabs}}`;
  const tries = ['{path}', ...extensions.map((end) => `{path}${end}`), ...indexFiles.map((name) => `{path}/${name}`)];
  const own =
    'folder' in site
      ? `\t\ttry_files ${tries.join(' ')}
\t\tfile_server {
\t\t\tindex ${indexFiles.join(' ')}
\t\t}`
      : `\t\t# Nothing but a WebSocket: within another protocol, nobody would be asked any more.
\t\t@other {
\t\t\theader Upgrade *
\t\t\tnot header_regexp Upgrade (?i)^websocket$
\t\t}
\t\trequest_header @other -Upgrade
\t\trequest_header @other -Connection
\t\treverse_proxy ${site.to} {
${without(
  '\t\t\t',
  distrustedEverywhere.filter((name) => !/^X-Forwarded-(?:For|Proto)$/.test(name)),
)}
\t\t}`;
  return `# ${siteName}, in Caddy, with Dorlin asked before anything is served.
# Printed by \`dorlin snippet caddy\`: a whole Caddyfile.
# Beside it runs: ${front.start}

${hosts.join(', ')} {
${tls === undefined ? '' : `\ttls ${quoted(tls.certificate)} ${quoted(tls.key)}\n`}${'folder' in site ? `\troot * ${quoted(site.folder)}\n` : ''}
\t# Screens are shown, and passwords sent, here. That one is for Caddy itself alone.
\t@subrequest path ${prefix}/authorize
\thandle @subrequest {
\t\trespond 404
\t}
\thandle ${prefix}/* {
${proxied('\t\t')}
\t}

\t# In the order in which it is written: asked first, served then.
\troute {
${
  'folder' in site
    ? `\t\t# Hidden files, and what editors leave behind, are nobody's.
\t\t@hidden {
\t\t\tpath */.* *~ ${scratchEndings.map((end) => `*.${end}`).join(' ')}
\t\t\tnot path /.well-known/*
\t\t}
\t\terror @hidden 404
\t\t# What is not there and what is hidden are answered by one program, so that nobody can tell them apart.
\t\t@absent not file {
\t\t\ttry_files ${tries.join(' ')}
\t\t}
\t\thandle @absent {
${proxied('\t\t\t')}
\t\t}
`
    : ''
}\t\treverse_proxy ${authorizer} {
\t\t\tmethod GET
\t\t\trewrite ${prefix}/authorize
${without(
  '\t\t\t',
  distrusted.filter((name) => !/^X-Original-(?:URI|Method)$/.test(name)),
)}
${ofSite('\t\t\t')}
\t\t\theader_up X-Original-URI {http.request.orig_uri}
\t\t\theader_up X-Original-Method {http.request.orig_method}
\t\t\theader_up Dorlin-Hide 403

${verdicts()}
\t\t\t# Whoever is not let in gets Dorlin's answer to the same request.
\t\t\thandle_response {
${proxied('\t\t\t\t')}
\t\t\t}
\t\t}
${own}
\t}
${
  'folder' in site
    ? `
\thandle_errors {
\t\t@missing expression {http.error.status_code} == 404
\t\thandle @missing {
${proxied('\t\t\t')}
\t\t}
\t}
`
    : ''
}}
`;
}

/** Does nothing: without any directive here, Caddy would answer by itself instead of going on to the site. */
const passOn = '\t\t\t\trequest_header -Dorlin-Front';

/** What is set on a page by what the verdict says of it; the first that fits counts. */
function verdicts(): string {
  const names = carried.map(([name]) => name);
  const locked = names.filter((name) => name !== 'Set-Cookie' && name !== 'Dorlin-Let-In');
  const blocks: [string, readonly string[], readonly string[]][] = [
    ['bypassed_anew', ['Dorlin-Let-In', 'Set-Cookie'], names],
    ['bypassed', ['Dorlin-Let-In'], names.filter((name) => name !== 'Set-Cookie')],
    ['locked', ['Cache-Control'], locked],
    ['open', [], []],
  ];
  return blocks
    .map(
      ([matcher, has, sets]) => `\t\t\t@${matcher} {
\t\t\t\tstatus 2xx
${has.map((name) => `\t\t\t\theader ${name} *\n`).join('')}\t\t\t}
\t\t\thandle_response @${matcher} {
${sets.map((name) => `\t\t\t\theader ${name} {http.reverse_proxy.header.${name}}`).join('\n') || passOn}
\t\t\t}`,
    )
    .join('\n');
}
