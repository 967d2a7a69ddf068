import type { RequestListener } from 'node:http';
import send from 'send';

/** The app’s files: its page for every room, what the page is made of, and nothing else. */
export function appFiles(root: string, headers: () => Readonly<Record<string, string>>): RequestListener {
  return (request, response) => {
    const path = request.url?.split('?', 1)[0] ?? '/';
    for (const [name, value] of Object.entries(headers())) response.setHeader(name, value);
    const missing = (status = 404) => {
      if (response.headersSent) {
        response.destroy();
        return;
      }
      for (const name of ['cache-control', 'etag', 'last-modified', 'content-length', 'accept-ranges'])
        response.removeHeader(name);
      response.writeHead(status, { 'content-type': 'text/plain; charset=utf-8' }).end('There is nothing here.\n');
    };
    const isRoom = /^\/[a-z-]*$/.test(path);
    const isFile = /^\/(?:assets\/[\w.-]+|door\.svg)$/.test(path);
    if ((request.method !== 'GET' && request.method !== 'HEAD') || !(isRoom || isFile)) {
      missing();
      return;
    }
    // Named by what is in them.
    const isForEver = path.startsWith('/assets/');
    response.setHeader('cache-control', isForEver ? 'public, max-age=31536000, immutable' : 'no-cache');
    send(request, isRoom ? '/index.html' : path, { root, index: false, dotfiles: 'deny', cacheControl: false })
      .on('directory', () => {
        missing();
      })
      .on('error', ({ status }: { readonly status?: number }) => {
        missing(status === 416 || status === 412 ? status : 404);
      })
      .pipe(response);
  };
}
