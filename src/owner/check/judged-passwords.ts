import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { JudgedPasswords } from '../../core/check/policy-checks.js';
import { judgeStrength, type Strength } from '../../core/passwords/strength.js';
import type { Policy } from '../../core/policy/types.js';
import { keepingFolder, openKeys } from '../../stores/keeping.js';
import { recallPassword } from '../../stores/recall-file.js';
import { siteWordsOf } from '../passwords/new-password.js';

/** The strength of the passwords that can be looked up here. */
export async function judgedPasswords(policyFile: string, policy: Policy): Promise<JudgedPasswords> {
  const judged = new Map<string, Map<string, Strength>>();
  const isThere = await stat(join(keepingFolder(policyFile), 'recall.json')).then(
    () => true,
    () => false,
  );
  if (!isThere) return judged;
  const keys = await openKeys(policyFile);
  // Loaded here, as its word lists take half a second.
  const { estimateGuesses } = await import('../passwords/estimate.js');
  for (const { name, passwords } of policy.locks.values()) {
    const ofLock = new Map<string, Strength>();
    for (const { id, label } of passwords) {
      const password = await recallPassword(policyFile, name, id, keys).catch(() => undefined);
      if (password === undefined) continue;
      const siteWords = siteWordsOf(policy, name, label);
      ofLock.set(id, judgeStrength(password, siteWords, estimateGuesses));
    }
    judged.set(name, ofLock);
  }
  return judged;
}
