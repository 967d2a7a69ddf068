import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** A user and a password per person before an admin area, in the browser's own prompt; undone. */
export default walk('the second door', ['index.html', 'admin/index.html'], async ({ dorlin, browser }) => {
  const as = (user: string, password: string) => ({
    authorization: `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}`,
  });
  await dorlin('init', ['init', 'dist']);
  await dorlin('lock', ['lock', 'admin', '/admin/', '--basic', 'always']);
  const imke = await dorlin('password add', ['password', 'add', 'admin', '--label', 'imke', '--generate']);
  const tam = await dorlin('password add', ['password', 'add', 'admin', '--label', 'tam', '--generate']);
  const asked = await browser().visit('/admin/');
  assert.equal(asked.status, 401);
  assert.match(asked.headers.get('www-authenticate') ?? '', /^Basic realm=/);
  const status = async (user: string, password: string) =>
    (await browser().visit('/admin/', as(user, password))).status;
  assert.deepEqual([await status('imke', imke.password), await status('tam', imke.password)], [200, 401]);
  await dorlin('password retire', ['password', 'retire', 'admin', 'tam']);
  assert.equal(await status('tam', tam.password), 401);
  await dorlin('release', ['release', 'admin']);
  assert.equal((await browser().visit('/admin/')).status, 200);
});
