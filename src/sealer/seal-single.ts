import { promisify } from 'node:util';
import { gzip } from 'node:zlib';
import type { Lock, Policy } from '../core/policy/types.js';
import { screenLanguages } from '../core/screen/languages.js';
import { renderScreen } from '../core/screen/render.js';
import { keyId, namingKeys } from '../core/sealing/areas.js';
import { toBase64Url, type Bytes } from '../core/sealing/bytes.js';
import { makeKeyring, usualRounds } from '../core/sealing/keyring.js';
import { sealBytes } from '../core/sealing/sealed-bytes.js';
import { createHmac } from 'node:crypto';
import { singleScript } from './browser-scripts.generated.js';
import { wordsScript } from './screens.js';
import type { SealedFor } from './order.js';

const packed = promisify(gzip);

/** In a script element nothing may look like its end. */
const inScript = (text: string) => text.replaceAll('<', '\\u003c');

/**
 * One page as one HTML file that opens itself: its password screen, and the page sealed in it.
 *
 * @param page - the page, with all that it needs in itself
 */
export async function sealSingle(
  policy: Policy,
  lock: Lock,
  lockKey: Bytes,
  openers: readonly SealedFor[],
  page: Buffer,
  rounds = usualRounds,
): Promise<string> {
  const [language] = screenLanguages(policy.site.languages);
  const inside = await packed(page, { level: 9 });
  const { salt: naming } = await namingKeys(lockKey);
  const salt = new Uint8Array(createHmac('sha256', naming).update('single\0').update(inside).digest().subarray(0, 16));
  const key = await crypto.subtle.importKey('raw', lockKey, 'HKDF', false, ['deriveKey', 'deriveBits']);
  const sealed = await sealBytes(inside, key, salt);
  const { remember } = lock;
  const about = {
    ring: await makeKeyring(lockKey, openers, rounds),
    id: await keyId(lockKey),
    lock: lock.name,
    remember: remember.kind === 'visit' ? 0 : remember.seconds,
    isChoice: remember.kind === 'choice',
    packed: true,
  };
  const html = renderScreen({
    state: 'ask',
    screen: lock.screen,
    siteName: policy.site.name,
    language,
    lock: lock.name,
    title: lock.title,
    to: '/',
    action: '#',
    script: '',
    needsScript: true,
    timeZone: policy.site.timeZone,
    staySeconds: remember.kind === 'choice' ? remember.seconds : undefined,
  });
  const own = [
    `<script type="application/json" id="dorlin-single">${inScript(JSON.stringify(about))}</script>`,
    `<script type="text/plain" id="dorlin-sealed">${toBase64Url(sealed)}</script>`,
    `<script>${(wordsScript(policy) + singleScript).replace(/<\/(script)/gi, '<\\/$1').replaceAll('<!--', '<\\!--')}</script>`,
  ].join('\n');
  return html.replace(/\n?<script src=""><\/script>/, '').replace('</body>', () => `${own}\n</body>`);
}
