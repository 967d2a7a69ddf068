import { symlink } from 'node:fs/promises';
import { join } from 'node:path';
import { keep } from '../../src/stores/kept-files.js';
import { policyText } from '../support/policies.js';
import { seededRandom } from '../support/random.js';
import { rawClient } from '../support/raw-http.js';
import { runSite, writeFiles } from '../support/sites.js';
import { isOver, type Attacked, type Limits } from './on-targets.js';

const canary = 'CANARY beside the pictures';

/**
 * The addresses of kept pictures, which everybody may have, as a way to what lies around them: the secret, the
 * passwords, the policy, locked pages.
 */
export async function attackKept(limits: Limits): Promise<Attacked> {
  const random = seededRandom(limits.seed);
  const pick = <T>(all: readonly T[]): T => all[random.below(all.length)] as T;
  const site = await runSite({ 'members/log.html': canary }, await policyText({ members: { covers: ['/members/'] } }));
  const own = await keep(site.policyFile, 'night', 'png', Buffer.from('a picture'));
  await writeFiles(site.folder, {
    '.dorlin/secret.png': canary,
    '.dorlin/pictures/notes.txt': canary,
    '.dorlin/pictures/.hidden.png': canary,
    '.dorlin/pictures/inner/deep.png': canary,
    '.dorlin/recall.png': canary,
  });
  // Somebody who can write there could lead out by it; nobody else can, and it is not followed by name alone.
  await symlink(site.policyFile, join(site.folder, '.dorlin/pictures/inner/policy.png'));
  const client = rawClient(site.port);
  const parts = ['..', '%2e%2e', '.', '%2f', '/', '\\', '%5c', '%00', 'inner', 'pictures', '.hidden.png', 'notes.txt'];
  const ends = [
    own,
    'secret',
    'secret.png',
    'recall.json',
    'recall.png',
    'deep.png',
    'policy.png',
    '../dorlin.yaml',
    'CON.png',
  ];
  const found: string[] = [];
  let tried = 0;
  let open = 0;
  try {
    for (; !isOver(limits, tried); tried++) {
      const way = Array.from({ length: random.below(4) }, () => pick(parts)).join(pick(['/', '', '%2f', '//']));
      const prefix = pick([
        '/_dorlin/assets/kept/',
        '/_dorlin/assets/',
        '/%5fdorlin/assets/kept/',
        '/_dorlin//assets/kept/',
      ]);
      const target = `${prefix}${way}${pick(['/', '', '%2f'])}${pick(ends)}${pick(['', '?x', ';.png', '%00.png', '.', '/'])}`;
      const { status, body, head } = await client.request(
        target,
        pick(['GET', 'GET', 'POST']),
        random.chance() ? { range: 'bytes=0-99' } : {},
      );
      if (status === 200) open++;
      if (body.includes(canary) || body.includes('argon2id') || /"[\w-]{20,}\.[\w-]{20,}/.test(body))
        found.push(`${target}: ${status}`);
      if (status === 200 && !/content-security-policy: /i.test(head) && body.includes('a picture'))
        found.push(`${target}: without its policy`);
    }
  } finally {
    client.close();
    await site.close();
  }
  return { name: 'kept pictures', tried, found, about: `what lies around them, by their addresses; ${open} × 200` };
}
