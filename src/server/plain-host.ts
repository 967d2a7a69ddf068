import { readFile } from 'node:fs/promises';
import { createServer } from 'node:http';
import { join } from 'node:path';
import sirv from 'sirv';
import { listening, type Listening } from './listen.js';

/** A running server. */
export interface PlainHost {
  readonly port: number;
  readonly close: () => Promise<void>;
}

/**
 * Serves a folder as any host for files does: its files, as they are, to everybody.
 *
 * @param base - where it lies on the host; what is not below it leads there
 * @param whenReady - waited for before each answer: of a folder that is still to be written
 * @throws DorlinError `port-taken`
 */
export async function startPlainHost(
  folder: string,
  where: Listening,
  whenReady: () => Promise<void> = () => Promise.resolve(),
  base = '/',
): Promise<PlainHost> {
  const files = sirv(folder, { dev: true, etag: true, extensions: ['html'] });
  const server = createServer((request, response) => {
    const { url = '/' } = request;
    if (base !== '/') {
      if (!url.startsWith(base)) {
        response.writeHead(302, { location: base }).end();
        return;
      }
      request.url = url.slice(base.length - 1);
    }
    whenReady().then(
      () => {
        files(request, response, () => {
          void readFile(join(folder, '404.html')).then(
            (page) => response.writeHead(404, { 'content-type': 'text/html' }).end(page),
            () => response.writeHead(404, { 'content-type': 'text/plain' }).end('Not found.\n'),
          );
        });
      },
      (error: unknown) => {
        response.writeHead(503, { 'content-type': 'text/plain' }).end(String(error));
      },
    );
  });
  return listening(server, where);
}
