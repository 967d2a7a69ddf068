import { randomBytes } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { createServer, type IncomingMessage, type RequestListener, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { guardListener } from '../adapters/node.js';
import { WrittenHead } from '../adapters/written-head.js';
import { DorlinError } from '../core/errors.js';
import { deriveKeys } from '../core/passes/keys.js';
import { readPolicyOrThrow } from '../core/policy/read.js';
import type { Policy } from '../core/policy/types.js';
import type { Visit } from '../guard/visit/visit.js';
import { cookiesPlaying, guardPlaying } from '../owner/play-visit.js';
import { questionOf } from '../owner/seen-by.js';
import { isInRanges } from '../core/bypass/address.js';
import { stranger } from '../core/bypass/bypass.js';
import { proxyTo } from '../server/proxy.js';
import type { SiteSource } from '../server/site-server.js';
import { serveFolder } from '../server/static-folder.js';
import { draftFile } from '../stores/draft-files.js';
import { readKept } from '../stores/kept-files.js';
import type { ConsoleSite, PlayedView } from './context.js';
import { pickerScript } from './picker.generated.js';

/** The site as somebody else gets it, on an origin of its own beside the console. */
export interface SiteFrame extends Pick<ConsoleSite, 'frameOrigin' | 'playAs'> {
  readonly port: number;
  readonly close: () => Promise<void>;
}

/** Where the picker lies, beneath no address that a site has. */
const pickerPath = '/_dorlin-picker.js';
/** The longest page that is held until it is whole, in bytes; a longer one is broken off. */
const longestPage = 16_000_000;
/** Most visitors that are played at once; the oldest goes. */
const mostViews = 100;

/**
 * Starts the origin on which the site is played. Each visitor that is played has a host name of its own,
 * which nobody else can guess: `TOKEN.localhost`. Cookies of the console do not reach it, and it sets none.
 *
 * @param consoleOrigins - who may put it into a frame
 */
export async function startFrame(
  policyFile: string,
  source: SiteSource,
  consoleOrigins: () => readonly string[],
): Promise<SiteFrame> {
  const keys = await deriveKeys(randomBytes(32).toString('base64url'));
  const views = new Map<string, PlayedView>();
  const policies = policyReader(policyFile);
  let live = await policies(false);
  let latest = live;
  const behind =
    'folder' in source
      ? await serveFolder(
          source.folder,
          () => latest,
          policyFile,
          () => live,
        )
      : proxyTo(source.to, { isTrusted: ({ socket }) => isInRanges(socket.remoteAddress, latest.site.trustedProxies) });

  const play = async (request: IncomingMessage, response: ServerResponse, view: PlayedView): Promise<void> => {
    const policy = await policies(view.isDraft);
    // What is missing is answered by a page that is open by both, whoever of several looks.
    live = view.isDraft ? await policies(false).catch(() => policy) : policy;
    latest = policy;
    const { passes, session, visitor = stranger, now } = questionOf(policy, view.seenBy).question;
    const guard = guardPlaying(policy, { visitor, now }, keys, (_, name) => readKept(policyFile, name));
    const cookie = await cookiesPlaying(policy, { passes, session }, keys);
    const headers = Object.fromEntries(
      Object.entries(request.headers).filter(([name]) => !/^(?:cookie|authorization|forwarded|x-)/.test(name)),
    );
    const played = (visit: Visit): Visit => ({
      method: visit.method,
      target: visit.target,
      headers: { ...headers, host: 'played.localhost', ...(cookie !== undefined && { cookie }) },
      encrypted: true,
      address: visitor.address,
    });
    // What stands behind is not told who is at the console, nor by which name it is shown there.
    for (const name of ['cookie', 'authorization', 'referer', 'origin']) Reflect.deleteProperty(request.headers, name);
    request.headers.host = 'to' in source ? new URL(source.to).host : 'played.localhost';
    guardListener(
      {
        answer: (visit) => guard.answer(played(visit)),
        opened: (visit, lock) => guard.opened(played(visit), lock),
        away: (visit, status) => guard.away(played(visit), status),
      },
      behind.listener,
    )(request, response);
  };

  const listener: RequestListener = (request, response) => {
    const host = /^([a-z0-9]{26})\.localhost:\d+$/.exec(request.headers.host ?? '')?.[1];
    const view = host === undefined ? undefined : views.get(host);
    if (view === undefined) {
      response.writeHead(404, { 'content-type': 'text/plain; charset=utf-8' }).end('There is nothing here.\n');
      return;
    }
    // It is for looking: what is sent could try passwords, or reach the site itself as from a visitor.
    if (request.method !== 'GET' && request.method !== 'HEAD') {
      request.resume();
      response.writeHead(405, { allow: 'GET, HEAD', 'content-type': 'text/plain; charset=utf-8' });
      response.end('Nothing is sent from here. Look through the eyes of a guest to see what a password opens.\n');
      return;
    }
    if (request.url === pickerPath) {
      response.writeHead(200, {
        'content-type': 'text/javascript; charset=utf-8',
        'cache-control': 'no-store',
        'access-control-allow-origin': '*',
      });
      response.end(pickerScript);
      return;
    }
    alter(request, response, consoleOrigins());
    play(request, response, view).catch((error: unknown) => {
      const why = error instanceof DorlinError ? error.message : 'Something went wrong here.';
      if (response.headersSent) {
        response.destroy();
        return;
      }
      response.writeHead(500, { 'content-type': 'text/plain; charset=utf-8' });
      response.end(`${why}\n`);
    });
  };

  const server = createServer(listener);
  server.on('upgrade', (_, socket) => {
    // Unheard, a reset would end the process.
    socket.on('error', () => undefined);
    socket.destroy();
  });
  await new Promise<void>((listening, failed) => {
    server.once('error', failed);
    server.listen(0, '127.0.0.1', listening);
  });
  const { port } = server.address() as AddressInfo;
  return {
    port,
    frameOrigin: `http://localhost:${port}`,
    playAs(view) {
      const token = [...randomBytes(26)].map((byte) => letters[byte % letters.length]).join('');
      views.set(token, view);
      const [oldest] = views.keys();
      if (views.size > mostViews && oldest !== undefined) views.delete(oldest);
      return `http://${token}.localhost:${port}`;
    },
    close: async () => {
      server.closeAllConnections();
      await new Promise((closed) => server.close(closed));
      await behind.close();
    },
  };
}

const letters = 'abcdefghijklmnopqrstuvwxyz012345';

/** Reads the policy or its draft, anew only when its text is another one. */
function policyReader(policyFile: string): (isDraft: boolean) => Promise<Policy> {
  const known = new Map<string, { readonly text: string; readonly policy: Policy }>();
  const read = async (file: string) => {
    const text = await readFile(file, 'utf8');
    const found = known.get(file);
    if (found?.text === text) return found.policy;
    const policy = readPolicyOrThrow(text, file);
    known.set(file, { text, policy });
    return policy;
  };
  return (isDraft) => (isDraft ? read(draftFile(policyFile)).catch(() => read(policyFile)) : read(policyFile));
}

/**
 * Makes what is sent fit for the frame: pages are whole and have the picker in them, no cookie is set, and
 * only the console may frame it. The page has no origin there, so that it reaches nothing of the console.
 */
function alter(request: IncomingMessage, response: ServerResponse, consoleOrigins: readonly string[]): void {
  for (const name of ['accept-encoding', 'range', 'if-none-match', 'if-modified-since']) {
    Reflect.deleteProperty(request.headers, name);
  }
  const own = {
    writeHead: response.writeHead.bind(response) as (...all: unknown[]) => ServerResponse,
    write: response.write.bind(response) as (...all: unknown[]) => boolean,
    end: response.end.bind(response) as (...all: unknown[]) => ServerResponse,
  };
  const head = new WrittenHead(response);
  const pieces: Buffer[] = [];
  let length = 0;
  let isPage: boolean | undefined;
  const begin = () => {
    if (isPage !== undefined) return;
    const type = head.header('content-type');
    isPage = /^text\/html\b/i.test(type);
    const gone = [
      'set-cookie',
      'access-control-allow-origin',
      'access-control-allow-credentials',
      'content-security-policy',
      'content-security-policy-report-only',
      'x-frame-options',
    ];
    head.set(isPage ? [...gone, 'content-length', 'etag', 'last-modified', 'accept-ranges'] : gone);
    response.setHeader(
      'content-security-policy',
      `sandbox allow-scripts allow-forms; frame-ancestors ${consoleOrigins.join(' ')}`,
    );
    response.setHeader('cache-control', 'no-store');
    response.setHeader('x-robots-tag', 'noindex');
    // The host name is what lets one see this: no other site is to be told it.
    response.setHeader('referrer-policy', 'no-referrer');
    // The page has no origin of its own there, and so needs leave to load its own fonts and modules. Nothing that
    // could be read is left to pages elsewhere, should they learn the name.
    if (/^(?:font\/|text\/css|(?:text|application)\/javascript|application\/(?:x-)?font)/i.test(type)) {
      response.setHeader('access-control-allow-origin', '*');
    }
  };
  const keep = (chunk: unknown, encoding: unknown) => {
    if (chunk === undefined || chunk === null || typeof chunk === 'function') return;
    const piece =
      typeof chunk === 'string'
        ? Buffer.from(chunk, typeof encoding === 'string' ? (encoding as BufferEncoding) : 'utf8')
        : Buffer.from(chunk as Uint8Array);
    length += piece.length;
    if (length > longestPage) response.destroy();
    else pieces.push(piece);
  };
  response.writeHead = (...all: unknown[]) => {
    // By Node itself, before the first byte: all that was given is set by then.
    if (isPage !== undefined) return own.writeHead(response.statusCode);
    head.keep(all);
    return response;
  };
  response.flushHeaders = () => undefined;
  response.write = ((chunk: unknown, encoding: unknown, done: unknown) => {
    begin();
    if (isPage !== true) return own.write(chunk, encoding, done);
    keep(chunk, encoding);
    const told = typeof encoding === 'function' ? encoding : done;
    if (typeof told === 'function') process.nextTick(told);
    return true;
  }) as ServerResponse['write'];
  response.end = ((chunk: unknown, encoding: unknown, done: unknown) => {
    begin();
    if (isPage !== true) return own.end(chunk, encoding, done);
    keep(chunk, encoding);
    if (request.method !== 'HEAD') pieces.push(Buffer.from(`<script src="${pickerPath}"></script>`));
    return own.end(
      Buffer.concat(pieces),
      [chunk, encoding, done].find((one) => typeof one === 'function'),
    );
  }) as ServerResponse['end'];
}
