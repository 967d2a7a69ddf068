/** The two servers that bench/serving.ts compares, in a process of their own; prints where they are. */
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { guardFromFile, guardListener } from 'dorlin/node';
import { serveFolder } from '../src/server/static-folder.js';
import { policyText } from '../test/support/policies.js';
import { temporaryFolder, writeFiles } from '../test/support/sites.js';
import { pageWithSection } from './page-with-section.js';

const { folder } = await temporaryFolder();
const text = 'A page of ordinary length. '.repeat(300);
await writeFiles(folder, {
  'site/about.html': text,
  'site/members/log.html': text,
  'site/events.html': pageWithSection,
  'dorlin.yaml': await policyText({
    members: { covers: ['/members/'], passwords: { aa: 'one' }, remember: '1 day' },
    walk: { covers: ['/events#walk'] },
    press: { covers: ['/press/', '/news/draft', '/a/', '/b/', '/c/', '/d/', '/e/', '/f/'] },
  }),
});
const guard = await guardFromFile(join(folder, 'dorlin.yaml'));
const { listener } = await serveFolder(join(folder, 'site'), guard.policy, guard.file);
const listen = (server: ReturnType<typeof createServer>) =>
  new Promise<string>((resolve) =>
    server.listen(0, '127.0.0.1', () => {
      resolve(`http://127.0.0.1:${(server.address() as AddressInfo).port}`);
    }),
  );
const bare = await listen(createServer(listener));
const guarded = await listen(createServer(guardListener(guard, listener)));
const answer = await fetch(`${guarded}/_dorlin/unlock`, {
  method: 'POST',
  redirect: 'manual',
  body: new URLSearchParams({ lock: 'members', password: 'one', to: '/members/log' }),
});
const cookie = answer.headers
  .getSetCookie()
  .map((line) => line.split(';')[0])
  .join('; ');
const spent = await listen(
  createServer((_, response) => {
    const { user, system } = process.cpuUsage();
    response.end(String((user + system) / 1e6));
  }),
);
process.stdout.write(`${JSON.stringify({ bare, guarded, spent, cookie })}\n`);
