/** A site that finds its page by the URL of the request, in the ways in which frameworks do. */
import { serveGuarded, type Runtime } from '../support/fetch-runtime.js';

declare const policyText: string;
declare const runtimeName: Runtime;
declare const portNumber: number;

/** The path as Hono finds it: behind the host, as far as it can tell without a parser. */
function quickPath(url: string): string {
  const start = url.indexOf('/', url.indexOf(':') + 4);
  const end = url.indexOf('?', start);
  return url.slice(start, end < 0 ? undefined : end);
}

const ways: readonly ((url: string) => string)[] = [(url) => new URL(url).pathname, quickPath];

const secret = 'a secret of these tests that is long enough';
export default serveGuarded(runtimeName, { policy: policyText, secret, port: portNumber }, ({ url }) => {
  const paths = ways.flatMap((way) => {
    try {
      return [way(url)];
    } catch {
      return [];
    }
  });
  return new Response(paths.some((path) => path.startsWith('/members')) ? 'CANARY' : 'an open page');
});
