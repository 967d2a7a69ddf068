// A worker with the policy and the site bundled into it. Run here by `npm start -w examples/worker`.
import { guardFetch, guardFromText } from 'dorlin/fetch';
import policy from '../small-site/dorlin.yaml';
import { files } from 'site-files';

const types = { css: 'text/css', html: 'text/html; charset=utf-8' };

/** The site itself; yours may be an application, or assets that the platform keeps. */
async function site(request) {
  const { pathname } = new URL(request.url);
  // What a template asks, to show the right menu.
  if (pathname === '/hello') {
    const isMember = await guarded?.opened(request, 'members');
    return new Response(isMember === true ? 'Hello, member.' : 'Hello, stranger.');
  }
  const names = [pathname, `${pathname}.html`, `${pathname.replace(/\/$/, '')}/index.html`];
  const name = names.find((one) => Object.hasOwn(files, one));
  const headers = { 'content-type': types[(name ?? '.html').split('.').at(-1)] };
  return new Response(files[name ?? '/404.html'], { status: name === undefined ? 404 : 200, headers });
}

let guarded;

export default {
  async fetch(request, env) {
    if (guarded === undefined) {
      // Made at the first request: before one, workers may draw no random numbers.
      const guard = await guardFromText(policy, { secret: env.DORLIN_SECRET });
      // The platform's own header says who is there; visitors cannot set it.
      guarded = guardFetch(guard, site, { address: (one) => one.headers.get('cf-connecting-ip') });
    }
    return guarded(request);
  },
};
