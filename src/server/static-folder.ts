import type { ReadStream } from 'node:fs';
import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http';
import { watch } from 'chokidar';
import send from 'send';
import type { PlaceRules } from '../core/places/fold.js';
import type { Policy } from '../core/policy/types.js';
import { accessOfStranger } from '../core/access.js';
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
 * @param former - the policy before it, while both count
 *
 * @throws DorlinError `folder-missing`
 */
export async function serveFolder(
  folder: string,
  policy: () => Policy,
  policyFile: string,
  former: () => Policy | undefined = () => undefined,
): Promise<StaticFolder> {
  const scan = async () => new Set(await siteFiles(folder, isOwnFile(policyFile, policy())));
  let files = await scan();
  const rescan = async () => {
    files = await scan();
  };

  const isOpenToAll = (path: string) =>
    [policy(), former()].every((one) => one === undefined || accessOfStranger(one, path, Date.now() / 1000).open);

  const listener: RequestListener = (request, response) => {
    const rules = policy().site;
    const [rawPath, query] = splitQuery(request.url ?? '/');
    const path = decoded(rawPath);
    const file = path === undefined ? undefined : fileFor(path, files, rules);
    if (path !== undefined && file !== undefined) {
      const wanted = addressOf(path, file, rules);
      if (wanted !== path) response.writeHead(301, { location: targetOf(wanted) + query }).end();
      else sendFile(request, response, folder, file);
      return;
    }
    // The answer to what is missing may go to anybody, so a locked page must not be it.
    if (!files.has('/404.html') || !isOpenToAll('/404.html')) answerMissing(response);
    else {
      // A page that is not there must not be answered by 206 or 304.
      for (const name of ['range', 'if-none-match', 'if-modified-since']) {
        Reflect.deleteProperty(request.headers, name);
      }
      response.statusCode = 404;
      sendFile(request, response, folder, '/404.html');
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

/**
 * Sends a file of the list as it is at this moment, or says that it is gone, or that it cannot be
 * opened now: nothing that happens to a file may end the process, or leave half an answer that looks
 * whole.
 */
function sendFile(request: IncomingMessage, response: ServerResponse, folder: string, file: string): void {
  const options = { root: folder, index: false, dotfiles: 'allow', cacheControl: false } as const;
  send(request, targetOf(file), options)
    .on('directory', () => {
      answerMissing(response);
    })
    .on('stream', (stream: ReadStream) => {
      stream.on('end', () => {
        // It has become shorter since its length was told.
        if (stream.bytesRead < Number(response.getHeader('content-length'))) response.destroy();
      });
    })
    .on('error', ({ status }: HttpError) => {
      if (response.headersSent) response.destroy();
      else if (status === 416) {
        response.writeHead(416).end();
      } else if (status === 412) {
        response.writeHead(412).end();
      } else {
        for (const name of ofFile) response.removeHeader(name);
        if (status === 404) answerMissing(response);
        else answerBusy(response);
      }
    })
    .pipe(response);
}

/** As much of an error of `send` as is asked. */
interface HttpError {
  readonly status?: number | undefined;
}

const ofFile = ['accept-ranges', 'content-length', 'content-range', 'etag', 'last-modified'];

/** Which file answers a decoded path. */
const fileFor = (path: string, files: ReadonlySet<string>, rules: PlaceRules) =>
  filesThatMayAnswer(path, rules).find((candidate) => files.has(candidate));

/** The files that a decoded path may lead to; the first that is there is the one. */
export function filesThatMayAnswer(path: string, rules: PlaceRules): string[] {
  const bare = path.replace(/\/+$/, '');
  return [
    ...(path.endsWith('/') ? [] : [path, ...rules.extensions.map((end) => path + end)]),
    ...rules.indexFiles.map((name) => `${bare}/${name}`),
    ...(path.endsWith('/') && bare !== '' ? rules.extensions.map((end) => bare + end) : []),
  ];
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

function answerMissing(response: ServerResponse): void {
  response.writeHead(404, { 'content-type': 'text/plain; charset=utf-8' }).end('Not found\n');
}

/** To a file that cannot be opened at this moment. */
function answerBusy(response: ServerResponse): void {
  const headers = { 'content-type': 'text/plain; charset=utf-8', 'retry-after': '1' };
  response.writeHead(503, headers).end('This cannot be read just now. Try again.\n');
}
