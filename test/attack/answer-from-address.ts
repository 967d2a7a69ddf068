import { canaryOf, names } from './names.js';

/** The file that a path leads to; as sloppy about slashes as some programs. */
export function nameIn(encoded: () => string): string | undefined {
  let path = '/';
  try {
    path = decodeURIComponent(encoded());
  } catch {
    return undefined;
  }
  return [path, `${path}.html`, `${path.replace(/\/+$/, '')}/index.html`]
    .map((candidate) => candidate.replace(/\/{2,}/g, '/').slice(1))
    .find((candidate) => names.includes(candidate));
}

export const whatwgPath = (url: string): string => new URL(url, 'http://site.example').pathname;

/** Answers in fetch style, by what the address says. */
export function answerFromAddress(request: Request): Response {
  const name = nameIn(() => whatwgPath(request.url));
  return name === undefined
    ? new Response('none', { status: 404 })
    : new Response(canaryOf(name), { headers: { 'content-type': 'text/html' } });
}
