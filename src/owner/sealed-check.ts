import { once } from 'node:events';
import { readFile } from 'node:fs/promises';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join, normalize } from 'node:path';
import mime from 'mime';
import { patrol } from '../patrol/patrol.js';
import type { PatrolCode } from '../patrol/finding-table.js';
import { noRecord } from '../patrol/record.js';
import { isOwnFile } from '../stores/own-files.js';
import { loadPolicy } from '../stores/policy-file.js';
import { baseOf } from '../sealer/base.js';
import { siteFolder } from './site-files.js';
import { knownFiles, reportOf, type PatrolReport } from './patrol/patrol.js';

/** What tells of content in the clear: all else that a patrol finds is about servers. */
const leaks: ReadonlySet<PatrolCode> = new Set<PatrolCode>([
  'open-to-strangers',
  'child-open',
  'file-beside-open',
  'page-beside-open',
  'section-open',
  'screen-holds-page',
  'copy-open',
  'companion-opens',
  'words-in-search-index',
  'words-in-feed',
  'feed-names-locked',
  'sitemap-names-locked',
  'robots-names-locked',
  'hidden-is-named',
  'words-in-description',
  'words-in-preview-card',
  'words-in-json-ld',
  'words-in-page-data',
  'words-in-data-file',
  'words-in-script',
  'words-in-source-map',
  'words-in-style',
  'words-in-comment',
  'words-in-hidden-part',
  'words-in-attribute',
  'words-on-open-page',
  'file-copy-open',
  'picture-copy-open',
]);

/**
 * Looks in the folder of a sealed site for what is locked and stands there in the clear: words, files and
 * pictures, as a patrol knows them, in pages, data, search indexes, sitemaps and feeds.
 *
 * @throws DorlinError `folder-missing`
 */
export async function checkSealed(
  policyFile: string,
  {
    folder,
    out,
    base: written,
    progress,
  }: {
    readonly folder?: string | undefined;
    readonly out: string;
    /** Where it will lie on its host. @default '/' */
    readonly base?: string | undefined;
    readonly progress?: ((phase: string, done: number, all: number) => void) | undefined;
  },
): Promise<PatrolReport> {
  const policy = await loadPolicy(policyFile);
  const root = siteFolder(policyFile, policy, folder);
  const files = await knownFiles(root, isOwnFile(policyFile, policy));
  const host = await hostOf(out, baseOf(written));
  try {
    const result = await patrol({
      url: `${host.origin}/`,
      policy,
      keys: { passwords: new Map(), endedPasswords: [], links: [], deadLinks: [], credentials: [] },
      files,
      readsSections: true,
      from: undefined,
      limits: { pages: 1_000_000, until: Date.now() + 3600_000, atOnce: 8 },
      pause: 0,
      skip: [],
      record: noRecord,
      now: Date.now() / 1000,
      onProgress: progress ?? (() => undefined),
    });
    return reportOf({ ...result, findings: result.findings.filter(({ code }) => leaks.has(code)) });
  } finally {
    host.close();
  }
}

/** Serves a sealed site on this machine as a guard would answer: with 403 where a password screen stands. */
async function hostOf(out: string, base: string) {
  const server = createServer((request, response) => {
    // Addresses in its pages begin with the folder that it will lie in; the policy's do not.
    const target = request.url ?? '/';
    const within = target.startsWith(base) ? target.slice(base.length - 1) : target;
    void answerOf(out, within).then(({ status, type, body }) => {
      response.writeHead(status, { 'content-type': type, 'cache-control': 'no-store' }).end(body);
    });
  }).listen(0, '127.0.0.1');
  await once(server, 'listening');
  return {
    origin: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    close: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}

async function answerOf(out: string, target: string) {
  const none = { status: 404, type: 'text/plain', body: Buffer.from('nothing here') };
  let path: string;
  try {
    path = normalize(decodeURIComponent(target.split('?', 1)[0] ?? '/'));
  } catch {
    return none;
  }
  if (path.includes('\0') || path.includes('..')) return none;
  const file = path.endsWith('/') ? `${path}index.html` : path;
  for (const one of [file, `${file}.html`]) {
    const body = await readFile(join(out, one)).catch(() => undefined);
    if (body === undefined) continue;
    const isShell = one.endsWith('.html') && body.subarray(0, 2000).includes('<meta name="dorlin-area"');
    return { status: isShell ? 403 : 200, type: mime.getType(one) ?? 'application/octet-stream', body };
  }
  return none;
}
