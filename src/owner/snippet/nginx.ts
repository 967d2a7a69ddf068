import { scratchEndings } from '../../server/site-files.js';
import { distrusted as distrustedEverywhere } from '../../core/distrusted-headers.js';
import { carried, pathUnfit, type Front } from './front.js';

/**
 * A path in double quotes as nginx reads it.
 * @throws DorlinError `call-wrong` for a `$`: what follows is a variable to nginx, which visitors may set
 */
function quoted(path: string): string {
  if (path.includes('$')) throw pathUnfit('nginx', path, '`$`');
  return /^[\w./:@-]+$/.test(path) ? path : `"${path.replace(/["\\]/g, '\\$&')}"`;
}

/** Whoever comes without TLS is sent to where it is. */
const toTls = (serverName: string): string => `server {
    listen 80;
    server_name ${serverName};
    return 301 https://$host$request_uri;
}

`;

/** A whole configuration of nginx 1.18 or newer, with its module `auth_request`: a file for `conf.d`. */
export function nginxSnippet(front: Front): string {
  const { authorizer, port, names, prefix, site, siteName, siteId, distrusted, indexFiles, extensions, tls } = front;
  const isApplication = 'to' in site;
  const setHeaders = (more: readonly (readonly [string, string])[]) =>
    [...more, ...distrusted.map((name) => [name, '""'] as const)]
      .map(([name, value]) => `        proxy_set_header ${name} ${value};`)
      .join('\n');
  const ofVisitor = [
    ['Host', '$http_host'],
    ['X-Forwarded-For', '$remote_addr'],
    ['X-Forwarded-Proto', '$scheme'],
    // Whatever the visitor names, the files are this site's.
    ['Dorlin-Site', siteId ?? '""'],
  ] as const;
  const toDorlin = (
    handshake: readonly (readonly [string, string])[] = [['Connection', '""']],
  ) => `        auth_request off;
        # What the verdict said beforehand is not for this answer.
        add_header Dorlin-Front "";
        proxy_pass http://dorlin;
        proxy_http_version 1.1;
        proxy_buffer_size 16k;
        proxy_buffers 8 16k;
${setHeaders([...ofVisitor, ...handshake])}`;
  /** A WebSocket, and nothing else. */
  const webSocket = [
    ['Connection', '$dorlin_connection'],
    ['Upgrade', '$dorlin_upgrade'],
  ] as const;
  const own =
    'folder' in site
      ? `        try_files $uri ${extensions.map((end) => `$uri${end} `).join('')}$uri/ =404;`
      : `        proxy_pass ${site.to};
        proxy_http_version 1.1;
${[
  ['Host', '$http_host'],
  ...webSocket,
  ['X-Forwarded-For', '$remote_addr'],
  ['X-Forwarded-Proto', '$scheme'],
  ...distrustedEverywhere
    .filter((name) => !/^X-Forwarded-(?:For|Proto)$/.test(name))
    .map((name) => [name, '""'] as const),
]
  .map(([name, value]) => `        proxy_set_header ${name} ${value};`)
  .join('\n')}`;
  const upgrades =
    'folder' in site
      ? ''
      : `
# Nothing but a WebSocket: within another protocol, nobody would be asked any more.
map $http_upgrade $dorlin_upgrade {
    default         '';
    ~*^websocket$   websocket;
}
map $dorlin_upgrade $dorlin_connection {
    default   '';
    websocket upgrade;
}
`;
  const serverName = names.length === 0 ? '_' : names.join(' ');
  return `# ${siteName}, in nginx, with Dorlin asked before anything is served.
# Printed by \`dorlin snippet nginx\`. It belongs inside \`http\`: as a file in conf.d, for example.
# Beside it runs: ${front.start}

upstream dorlin {
    server ${authorizer};
    keepalive 16;
}
${upgrades}
${tls !== undefined && port === 443 ? toTls(serverName) : ''}server {
    listen ${port}${tls === undefined ? '' : ' ssl http2'};
    server_name ${serverName};
${tls === undefined ? '' : `    ssl_certificate ${quoted(tls.certificate)};\n    ssl_certificate_key ${quoted(tls.key)};\n    ssl_protocols TLSv1.2 TLSv1.3;\n`}    absolute_redirect off;
${
  'folder' in site
    ? `    root ${quoted(site.folder)};
    index ${indexFiles.join(' ')};
    disable_symlinks on from=$document_root;
`
    : ''
}
    # It stands here so that it holds at every address below, and at those that you add.
    auth_request ${prefix}/authorize;
${carried
  .map(([name, variable]) => {
    const upstream = `$upstream_http_${name.toLowerCase().replaceAll('-', '_')}`;
    return `    auth_request_set $dorlin_${variable} ${upstream};`;
  })
  .join('\n')}
    # A \`location\` with an \`add_header\` of its own needs these as well: nginx forgets them there.
${carried.map(([name, variable]) => `    add_header ${name} $dorlin_${variable} always;`).join('\n')}
    # Whoever is not let in gets Dorlin's answer to the same request.
    error_page 403 = @dorlin;
${isApplication ? '' : `    # What is not there and what is hidden are answered by one program, so that nobody can tell them apart.\n    error_page 404 = @dorlin;\n`}
    location / {
${own}
    }
${
  'folder' in site
    ? `    # Hidden files, and what editors leave behind, are nobody's.
    location ~ /\\.(?!well-known/) {
        return 404;
    }
    location ~* (?:~|\\.(?:${scratchEndings.join('|')}))$ {
        return 404;
    }
`
    : ''
}
    # Screens are shown, and passwords sent, here.
    location ${prefix}/ {
${toDorlin()}
    }
    location @dorlin {
${isApplication ? toDorlin(webSocket) : toDorlin()}
    }
    # Nobody but nginx itself may ask this.
    location = ${prefix}/authorize {
        internal;
        auth_request off;
        proxy_pass http://dorlin${prefix}/authorize;
        proxy_http_version 1.1;
        proxy_pass_request_body off;
${setHeaders([...ofVisitor, ['Connection', '""'], ['Upgrade', '""'], ['Content-Length', '""']])
  .replace(/^ *proxy_set_header X-Original-(?:URI|Method) .*\n?/gm, '')
  .trimEnd()}
        proxy_set_header X-Original-URI $request_uri;
        proxy_set_header X-Original-Method $request_method;
        # nginx takes any other refusal for an error of ours.
        proxy_set_header Dorlin-Hide 403;
    }
}
`;
}
