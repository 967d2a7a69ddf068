import { randomBytes } from 'node:crypto';
import { setTimeout as wait } from 'node:timers/promises';
import { DorlinError } from '../core/errors.js';
import { deriveKeys } from '../core/passes/keys.js';
import { givenSecret, openKeys, readSecret, whileAlone, writeSecret } from '../stores/keeping.js';
import { recallOf, resealRecall } from '../stores/recall-file.js';
import { storeAddress, tieOf } from '../stores/tie.js';
import { loadPolicy } from '../stores/policy-file.js';

/** What became of the secret that signs passes. */
export interface SecretChanged {
  /** How many secrets verify now; the first of them signs. */
  readonly verify: number;
  /** How many verify no more: what they signed has ended. */
  readonly retired: number;
  /** The site in the shared store whose guards know it by now; else what follows this policy does. */
  readonly shared?: string | undefined;
}

/** How long guards may take to learn of a new secret before anything is signed with it, in milliseconds. */
const spread = 3000;
/** The same for those on this machine, which follow the file. */
const spreadHere = 1000;

const partsOf = (secret: string) =>
  secret
    .split(',')
    .map((part) => part.trim())
    .filter((part) => part !== '');

/**
 * Makes a new secret that signs from now on. The ones before it go on verifying, so that nobody is put
 * out; passwords that can be looked up are sealed anew.
 *
 * All guards first learn to verify by it, those of the shared store too, and only then is anything signed with it.
 *
 * @throws DorlinError `secret-given`, `source-changed`, `store-away`
 */
export const rotateSecret = (policyFile: string): Promise<SecretChanged> =>
  changeSecret(policyFile, (parts) => [randomBytes(32).toString('base64url'), ...parts]);

/**
 * Forgets all secrets but the one that signs: passes, entry links and letters that older ones signed end.
 * @throws DorlinError as {@link rotateSecret}
 */
export const retireSecrets = (policyFile: string): Promise<SecretChanged> =>
  changeSecret(policyFile, (parts) => parts.slice(0, 1));

async function changeSecret(
  policyFile: string,
  change: (parts: readonly string[]) => string[],
): Promise<SecretChanged> {
  await loadPolicy(policyFile);
  if ((await givenSecret()) !== undefined) {
    throw new DorlinError(
      'secret-given',
      'The secret is said by `DORLIN_SECRET` or `DORLIN_SECRET_FILE`, not by a file of Dorlin’s.',
    );
  }
  await openKeys(policyFile);
  return whileAlone(policyFile, async () => {
    const tie = await tieOf(policyFile);
    const isShared = tie !== undefined && storeAddress() !== undefined;
    const before = (await readSecret(policyFile)) ?? '';
    const resealed = async (secret: string) => {
      await resealRecall(policyFile, await deriveKeys(secret));
      return JSON.stringify(await recallOf(policyFile));
    };
    if (!isShared) {
      const parts = partsOf(before);
      const after = change(parts);
      const added = after.filter((part) => !parts.includes(part));
      if (added.length > 0) {
        // What runs here learns to verify by it first.
        await writeSecret(policyFile, [...parts, ...added].join(','));
        await wait(spreadHere);
      }
      await resealed([...new Set([...after, ...parts])].join(','));
      await writeSecret(policyFile, after.join(','));
      return { verify: after.length, retired: parts.filter((part) => !after.includes(part)).length };
    }
    const { withStore } = await import('../stores/redis/working-copy.js');
    return withStore(undefined, async ({ sites }) => {
      const stored = await sites.read(tie.site);
      const parts = partsOf(stored?.secret ?? '');
      const after = change(parts);
      const added = after.filter((part) => !parts.includes(part));
      const both = [...parts, ...added].join(',');
      const put = async (from: string, to: string) => {
        if (from === to || (await sites.putSecret(tie.site, from, to))) return;
        throw new DorlinError('source-changed', `The secret of ${tie.site} was changed meanwhile; nothing was done.`);
      };
      await put(stored?.secret ?? '', both);
      if (added.length > 0) await wait(spread);
      await sites.putRecall(tie.site, await resealed([...new Set([...after, ...parts])].join(',')));
      await put(both, after.join(','));
      await writeSecret(policyFile, after.join(','));
      return { verify: after.length, retired: parts.filter((part) => !after.includes(part)).length, shared: tie.site };
    });
  });
}
