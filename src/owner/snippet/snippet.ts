import { existsSync, realpathSync } from 'node:fs';
import { join, resolve, sep } from 'node:path';
import { DorlinError } from '../../core/errors.js';
import { isInRanges } from '../../core/bypass/address.js';
import type { Policy } from '../../core/policy/types.js';
import { upstreamOf } from '../../server/upstream.js';
import { journalFile } from '../../stores/journal-file.js';
import { requestsFile } from '../../stores/own-files.js';
import { loadPolicy } from '../../stores/policy-file.js';
import { siteFolder } from '../site-files.js';
import { caddySnippet } from './caddy.js';
import { distrusted } from '../../core/distrusted-headers.js';
import { type Front, type FrontOrder } from './front.js';
import { nginxSnippet } from './nginx.js';

/** The web servers that a configuration can be printed for. */
export type WebServer = 'nginx' | 'caddy';

const makers: Readonly<Record<WebServer, (front: Front) => string>> = { nginx: nginxSnippet, caddy: caddySnippet };

export const webServers = Object.keys(makers) as readonly WebServer[];

/** What is asked for; what is left out follows from the policy. */
export interface SnippetOrder {
  readonly folder?: string | undefined;
  readonly to?: string | undefined;
  readonly names?: readonly string[] | undefined;
  /** @default 443 with a certificate, else 80 */
  readonly port?: number | undefined;
  /** The files of a certificate and its key, by which the web server speaks TLS and HTTP/2. */
  readonly certificate?: string | undefined;
  readonly key?: string | undefined;
  /** Where `dorlin authorize` listens: host and port. */
  readonly authorizer: string;
}

/** A configuration of a web server, and what must be so for it to hold. */
export interface Snippet {
  readonly server: WebServer;
  readonly text: string;
  /** How Dorlin is started beside it. */
  readonly start: string;
  /** What has to be done first, or cannot be had in this way. */
  readonly warnings: readonly string[];
}

/**
 * The configuration with which a web server asks Dorlin before it serves anything.
 * @throws DorlinError `folder-missing`, `call-wrong`
 */
export async function makeSnippet(policyFile: string, server: string, order: SnippetOrder): Promise<Snippet> {
  if (!isWebServer(server)) {
    throw new DorlinError('call-wrong', `There is no configuration for \`${server}\`.`, {
      mend: `Name one of these: ${webServers.join(', ')}.`,
    });
  }
  const policy = await loadPolicy(policyFile);
  const { site } = policy;
  const of: FrontOrder['site'] =
    order.to === undefined ? { folder: siteFolder(policyFile, policy, order.folder) } : { to: upstreamOf(order.to) };
  // They are written into the configuration as they are.
  for (const name of order.names ?? []) refuseUnless(/^[\w*][\w.*-]*$/, name, 'host name');
  refuseUnless(/^[\w.[\]:-]+:\d{1,5}$/, order.authorizer, 'host and port');
  const tls = tlsOf(order);
  if ('folder' in of) refuseOwnFiles(policyFile, policy, of.folder, tls?.key);
  const origin = site.origin === undefined ? undefined : new URL(site.origin);
  const port = order.port ?? (tls === undefined ? 80 : 443);
  const header = policy.identity?.header;
  const start = [
    'dorlin authorize',
    `--policy ${resolve(policyFile)}`,
    'folder' in of ? `--folder ${of.folder}` : `--to ${of.to}`,
    `--port ${order.authorizer.split(':').at(-1) ?? ''}`,
  ].join(' ');
  const front: Front = {
    authorizer: order.authorizer,
    port,
    tls,
    names: order.names ?? (origin === undefined ? [] : [origin.hostname]),
    site: of,
    siteName: site.name.replace(/\s+/g, ' '),
    siteId: site.id !== undefined && /^[\w.-]{1,64}$/.test(site.id) ? site.id : undefined,
    prefix: site.prefix,
    extensions: site.extensions,
    indexFiles: site.indexFiles,
    distrusted: [
      ...distrusted.filter((name) => !setBySnippet.has(name)),
      ...[header?.person, header?.roles].filter((name) => name !== undefined),
    ],
    start,
  };
  return { server, text: makers[server](front), start, warnings: warningsFor(policy, of) };
}

/** What the configurations set themselves, or Caddy does. */
const setBySnippet: ReadonlySet<string> = new Set(['X-Forwarded-For', 'X-Forwarded-Proto', 'Dorlin-Site']);

/** @throws DorlinError `call-wrong` */
function tlsOf({ certificate, key }: SnippetOrder): Front['tls'] {
  if (certificate === undefined && key === undefined) return undefined;
  if (certificate === undefined || key === undefined) {
    throw new DorlinError('call-wrong', 'A certificate and its key belong together.', {
      mend: 'Name both files: `--certificate FILE --key FILE`.',
    });
  }
  for (const file of [certificate, key]) refuseUnless(/^[^\p{Cc}]+$/u, file, 'file');
  return { certificate: resolve(certificate), key: resolve(key) };
}

function refuseUnless(shape: RegExp, text: string, what: string): void {
  if (!shape.test(text)) throw new DorlinError('call-wrong', `\`${text}\` is no ${what}.`);
}

const isWebServer = (name: string): name is WebServer => Object.hasOwn(makers, name);

/** What web servers find in their folder, they hand out: the policy, its secret, its journal. */
function refuseOwnFiles(policyFile: string, policy: Policy, folder: string, key: string | undefined): void {
  const own = [policyFile, requestsFile(policyFile, policy), journalFile(policyFile, policy), key];
  const root = join(realpathOf(folder), sep);
  const inside = own.find((file) => file !== undefined && realpathOf(file).startsWith(root));
  if (inside === undefined) return;
  throw new DorlinError('folder-unsafe', `${inside} lies in ${folder}, so the web server would hand it out.`);
}

/** Where a file really lies, or would if it were there. */
function realpathOf(file: string): string {
  const path = resolve(file);
  return existsSync(path) ? realpathSync(path) : path;
}

/**
 * What a web server that asks beforehand cannot do, or needs, under a policy.
 * @param of - what is served; undefined where Dorlin beside it does not know
 */
export function warningsFor({ site, identity }: Policy, of: FrontOrder['site'] | undefined): string[] {
  const warnings: string[] = [];
  if (!isInRanges('127.0.0.1', site.trustedProxies)) {
    warnings.push('Nobody on this machine is believed yet, so nothing opens: dorlin site trustedProxies=127.0.0.1/32');
  }
  if (site.marks && of === undefined) {
    warnings.push(
      'Dorlin sees no pages here: `data-dorlin-lock` in them locks nothing, and sitemaps and feeds are as they are. Name what is served, by `--folder` or `--to`. If no page has marks, say so: dorlin site marks=no',
    );
  } else if (site.marks && of !== undefined && 'to' in of) {
    warnings.push(
      'Pages of an application may be marked by `data-dorlin-lock`, so Dorlin itself fetches all that is let through. If no page has marks, the web server need not go that way round: dorlin site marks=no',
    );
  } else if (site.sitemaps.length + site.feeds.length === 0) {
    warnings.push(
      'Sitemaps and feeds may speak of locked pages: name them, and Dorlin cuts that out: dorlin site sitemaps=/sitemap.xml feeds=/feed.xml',
    );
  }
  if (identity?.header !== undefined) {
    warnings.push(
      'Headers that say who a visitor is are taken away. Set them where your web server knows it, or nobody is let in by them.',
    );
  }
  return warnings;
}
