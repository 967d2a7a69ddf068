import { join } from 'node:path';
import { seal } from '../owner/seal.js';
import type { Listening } from '../server/listen.js';
import { startPlainHost, type PlainHost } from '../server/plain-host.js';

/**
 * The demo’s site once more: sealed, and served from nothing but files. It is sealed at the first visit, which
 * takes a second or two.
 *
 * @param folder - where the policy lies, and the sealed site is to
 * @throws DorlinError `port-taken`
 */
export function startSealedCopy(folder: string, where: Listening): Promise<PlainHost> {
  const out = join(folder, 'sealed');
  let sealing: Promise<void> | undefined;
  return startPlainHost(out, where, () => {
    sealing ??= seal(join(folder, 'dorlin.yaml'), { out }).then(() => undefined);
    return sealing;
  });
}
