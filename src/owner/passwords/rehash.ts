import { randomBytes } from 'node:crypto';
import { DorlinError } from '../../core/errors.js';
import { formatPhc, type HashAlgorithm } from '../../core/passwords/phc.js';
import { hashPassword } from '../../core/passwords/shared-salt.js';
import { nativeHasher } from '../../stores/hasher.js';
import { openKeys } from '../../stores/keeping.js';
import { editPolicyFile, loadPolicy } from '../../stores/policy-file.js';
import { recallPassword } from '../../stores/recall-file.js';
import { lockNamed } from '../named.js';

/** The passwords of a lock that were hashed anew. */
export interface PasswordsRehashed {
  readonly lock: string;
  readonly algorithm: HashAlgorithm;
  readonly labels: readonly string[];
}

/**
 * Hashes all passwords of a lock anew, by what `site.hash` says; they stay what they are. A pass dies with
 * the hash, so whoever has got in types the password once more. Users from htpasswd files stay as they are.
 *
 * @throws DorlinError `lock-unknown`, `password-not-recallable`, `policy-changed`
 */
export async function rehashPasswords(policyFile: string, name: string): Promise<PasswordsRehashed> {
  const policy = await loadPolicy(policyFile);
  const { passwords } = lockNamed(policy, name);
  const { hash: algorithm } = policy.site;
  const keys = await openKeys(policyFile);
  const made: { id: string; hash: string; former: string }[] = [];
  for (const { id, parsedHash } of passwords) {
    const password = await recallPassword(policyFile, name, id, keys);
    const others = made.map(({ hash }) => hash);
    const hash = formatPhc(await hashPassword(password, others, nativeHasher, randomBytes, algorithm));
    made.push({ id, hash, former: formatPhc(parsedHash) });
  }
  await editPolicyFile(policyFile, (editor) => {
    // Hashing took a moment.
    const now = lockNamed(editor.before, name).passwords.map(({ id, parsedHash }) => `${id} ${formatPhc(parsedHash)}`);
    if (now.join() !== made.map(({ id, former }) => `${id} ${former}`).join()) {
      throw new DorlinError('policy-changed', `The passwords of ${name} were changed meanwhile.`);
    }
    for (const { id, hash } of made) editor.replacePassword(name, id, { hash });
  });
  return { lock: name, algorithm, labels: passwords.map(({ label }) => label) };
}
