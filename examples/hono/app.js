// The same application wherever it runs: what each runtime is asked for is how to read a file.
import { Hono } from 'hono';
import { guardFetch, guardFromText } from 'dorlin/fetch';

const types = { css: 'text/css', html: 'text/html; charset=utf-8' };

/**
 * @param {string} policy the text of dorlin.yaml
 * @param {(name: string) => Promise<Uint8Array | undefined>} file a file of the site
 * @param {string | undefined} secret of 32 characters or more; without one, passes end with the process
 */
export async function makeApp(policy, file, secret = crypto.randomUUID() + crypto.randomUUID()) {
  const app = new Hono();
  app.get('/hello', async (context) => {
    // What a template asks, to show the right menu.
    return context.text((await guarded.opened(context.req.raw, 'members')) ? 'Hello, member.' : 'Hello, stranger.');
  });
  app.get('*', async (context) => {
    const path = context.req.path;
    for (const name of [path, `${path}.html`, `${path.replace(/\/$/, '')}/index.html`]) {
      const body = await file(name);
      if (body !== undefined) return context.body(body, 200, { 'content-type': types[name.split('.').at(-1)] ?? '' });
    }
    return context.notFound();
  });
  app.notFound(async (context) => context.body((await file('/404.html')) ?? '', 404, { 'content-type': types.html }));

  const guard = await guardFromText(policy, { secret });
  const guarded = guardFetch(guard, app.fetch);
  return guarded;
}
