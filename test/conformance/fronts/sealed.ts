import { join } from 'node:path';
import { seal } from '../../../src/owner/seal.js';
import { startPlainHost } from '../../../src/server/plain-host.js';
import { openKeys } from '../../../src/stores/keeping.js';
import { loadPolicy } from '../../../src/stores/policy-file.js';
import { rememberPasswords } from '../../../src/stores/recall-file.js';
import { cases } from '../cases.js';
import type { Ground } from '../front.js';
import { send } from '../play.js';
import { thePassword } from '../policy.js';
import { canaries } from '../site.js';

const canariesBy = (isThere: (name: string, canary: string) => boolean) =>
  Object.entries(canaries).flatMap(([name, canary]) => (isThere(name, canary) ? [name] : []));

/**
 * What a host for files shows of the sealed site to whoever has opened nothing, at each visit that such a
 * host can tell apart: no status is compared, only whose words are to be read in the answer.
 */
export async function playSealed({ policyFile, folder }: Ground) {
  const keys = await openKeys(policyFile);
  for (const { name, passwords } of (await loadPolicy(policyFile)).locks.values()) {
    const texts = passwords.map(({ id }) => ({ id, password: thePassword }));
    await rememberPasswords(policyFile, name, texts, keys);
  }
  const out = join(folder, 'sealed');
  await seal(policyFile, { folder: join(folder, 'site'), out, rounds: 210_000 });
  const host = await startPlainHost(out, { host: '127.0.0.1', port: 0, mayMove: false });
  try {
    const played: { name: string; expected: string[]; shown: string[] }[] = [];
    for (const { name, target, method = 'GET', guestOf, form, headers, expect } of cases) {
      if (method !== 'GET' || guestOf !== undefined || form !== undefined || headers !== undefined) continue;
      if (target.startsWith('/_dorlin/')) continue;
      const { body, status } = await send(host.port, { target });
      const words = expect.split(' ');
      const shown = canariesBy((_, canary) => body.includes(canary));
      // What is missing is said by each host in its own words, and so is what it cannot read.
      const expected = canariesBy((one) => words.includes(one) && one !== 'missing');
      played.push({ name, expected: status < 400 ? expected : [], shown: shown.filter((one) => one !== 'missing') });
    }
    return played;
  } finally {
    await host.close();
  }
}
