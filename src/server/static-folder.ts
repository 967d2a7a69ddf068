import { statSync } from 'node:fs';
import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http';
import { join } from 'node:path';
import { watch } from 'chokidar';
import sirv from 'sirv';
import type { PlaceRules } from '../core/places/fold.js';
import type { Policy } from '../core/policy/compile.js';
import { standingOf } from '../core/policy/review.js';
import { isOwnFile } from '../stores/own-files.js';
import { siteFiles, targetOf } from './site-files.js';

/** A folder of files as a request listener. The guard stands before it and decides. */
export interface StaticFolder {
  readonly listener: RequestListener;
  readonly close: () => Promise<void>;
}

/**
 * Serves a folder: `/about` is about.html, `/press/` is press/index.html by the site's own rules,
 * anything else is the site's 404.html, unless that is locked. New and changed files are noticed.
 *
 * @param policy - the policy of the moment, of which this uses the site's rules
 * @param policyFile - where it lies, so that it is never served itself
 *
 * @throws DorlinError `folder-missing`
 */
export async function serveFolder(
  folder: string,
  policy: () => Policy,
  policyFile: string,
): Promise<StaticFolder> {
  const scan = async () => {
    const paths = await siteFiles(folder, isOwnFile(policyFile, policy()));
    const pages = paths.filter(isReadByGuard);
    return {
      files: new Set(paths),
      // What a page was like when its `ETag` was made: the guard goes by that.
      pages: new Map(pages.map((path) => [path, versionOf(join(folder, path))])),
      // Outside of its development mode sirv looks up paths in a list, and never on the disk.
      serve: sirv(folder, { etag: true, extensions: [], dotfiles: false }),
    };
  };
  let site = await scan();
  let scanning: Promise<void> | undefined;
  /** Looks at the folder anew, once for all who wait for it. */
  const rescan = () =>
    (scanning ??= scan()
      .then((found) => {
        site = found;
      })
      .finally(() => {
        scanning = undefined;
      }));

  const listener: RequestListener = (request, response) => {
    answer(request, response, 3);
  };
  const answer = (request: IncomingMessage, response: ServerResponse, scansLeft: number) => {
    const { files, pages, serve } = site;
    const rules = policy().site;
    const [rawPath, query] = splitQuery(request.url ?? '/');
    const path = decoded(rawPath);
    const file = path === undefined ? undefined : fileFor(path, files, rules);
    if (path !== undefined && file !== undefined) {
      const wanted = addressOf(path, file, rules);
      if (wanted !== path) {
        response.writeHead(301, { location: targetOf(wanted) + query }).end();
        return;
      }
      if (pages.has(file) && pages.get(file) !== versionOf(join(folder, file))) {
        // Under its old `ETag` the new page would be taken for the old one, whatever is in it.
        if (scansLeft === 0) answerBusy(response);
        else {
          rescan().then(
            () => {
              answer(request, response, scansLeft - 1);
            },
            () => {
              answerBusy(response);
            },
          );
        }
        return;
      }
      request.url = targetOf(file);
      serve(request, response, () => {
        answerMissing(response);
      });
      return;
    }
    // The answer to what is missing may go to anybody, so a locked page must not be it.
    if (!files.has('/404.html') || !standingOf(policy(), '/404.html', Date.now() / 1000).open)
      answerMissing(response);
    else {
      request.url = '/404.html';
      // A page that is not there must not be answered by 206 or 304.
      for (const name of ['range', 'if-none-match', 'if-modified-since']) {
        Reflect.deleteProperty(request.headers, name);
      }
      asNotFound(response);
      serve(request, response, () => {
        answerMissing(response);
      });
    }
  };

  let timer: NodeJS.Timeout | undefined;
  const watcher = watch(folder, {
    ignoreInitial: true,
    ignored: /[\\/](\.dorlin|node_modules)([\\/]|$)/,
  });
  watcher.on('all', () => {
    clearTimeout(timer);
    // A build writes many files at once; while its folder is gone, the last list stays.
    timer = setTimeout(() => void rescan().catch(() => undefined), 80);
  });
  return {
    listener,
    close: async () => {
      clearTimeout(timer);
      await watcher.close();
    },
  };
}

/** What the guard reads, and knows again by its `ETag`: pages, sitemaps, feeds. */
const isReadByGuard = (path: string) => /\.(x?html?|xml|rss|atom|rdf|json|txt|gz)$/i.test(path);

/** What tells a file from what it was before; undefined where it is gone. */
function versionOf(file: string): string | undefined {
  const found = statSync(file, { throwIfNoEntry: false });
  return found && `${found.size} ${found.mtimeMs} ${found.ino}`;
}

/** Which file answers a decoded path. */
function fileFor(path: string, files: ReadonlySet<string>, rules: PlaceRules): string | undefined {
  const bare = path.replace(/\/+$/, '');
  const candidates = [
    ...(path.endsWith('/') ? [] : [path, ...rules.extensions.map((end) => path + end)]),
    ...rules.indexFiles.map((name) => `${bare}/${name}`),
    ...(path.endsWith('/') && bare !== '' ? rules.extensions.map((end) => bare + end) : []),
  ];
  return candidates.find((candidate) => files.has(candidate));
}

/** The address at which a file's relative links lead where they should. */
function addressOf(path: string, file: string, rules: PlaceRules): string {
  const name = file.slice(file.lastIndexOf('/') + 1);
  const isIndex = rules.indexFiles.includes(name) && file !== path;
  if (isIndex) return file.slice(0, -name.length);
  return path.endsWith('/') ? path.replace(/\/+$/, '') : path;
}

function splitQuery(url: string): [string, string] {
  const at = url.indexOf('?');
  return at < 0 ? [url, ''] : [url.slice(0, at), url.slice(at)];
}

function decoded(path: string): string | undefined {
  try {
    return decodeURIComponent(path);
  } catch {
    return undefined;
  }
}

function asNotFound(response: ServerResponse): void {
  const writeHead = response.writeHead.bind(response) as (...all: unknown[]) => ServerResponse;
  response.writeHead = (_status: number, ...rest: unknown[]) => writeHead(404, ...rest);
}

function answerMissing(response: ServerResponse): void {
  response.writeHead(404, { 'content-type': 'text/plain; charset=utf-8' }).end('Not found\n');
}

/** To a page that is being written, or whose folder is. */
function answerBusy(response: ServerResponse): void {
  const headers = { 'content-type': 'text/plain; charset=utf-8', 'retry-after': '1' };
  response.writeHead(503, headers).end('This page is just being changed. Try again.\n');
}
