import { stat } from 'node:fs/promises';
import { join, resolve, sep } from 'node:path';
import { unsealable } from '../../core/check/unsealable.js';
import type { Finding } from '../../core/check/table.js';
import type { Policy } from '../../core/policy/types.js';
import { waitingDraft } from '../../stores/draft.js';
import { keepingFolder } from '../../stores/keeping.js';
import { siteFolder } from '../site-files.js';

const isThere = (file: string) =>
  stat(file).then(
    () => true,
    () => false,
  );

/** What can be seen of the files around the policy: of a site that has been sealed, what that cannot do. */
export async function checkMachine(
  policyFile: string,
  policy: Policy,
  folder: string | undefined,
  now: number,
): Promise<Finding[]> {
  const findings: Finding[] = [];
  const keeping = resolve(keepingFolder(policyFile));
  for (const name of ['secret', 'recall.json']) {
    const file = join(keeping, name);
    const mode = await stat(file).then(
      (found) => found.mode,
      () => 0,
    );
    if ((mode & 0o077) !== 0 && process.platform !== 'win32') {
      const text = `Others may read ${file}: its mode is ${(mode & 0o777).toString(8)}.`;
      findings.push({ code: 'secret-readable', about: file, text });
    }
  }
  if (folder !== undefined || policy.site.folder !== undefined) {
    const root = resolve(siteFolder(policyFile, policy, folder));
    if (`${keeping}${sep}`.startsWith(`${root}${sep}`)) {
      const text = `${keeping} lies in ${root}.`;
      findings.push({ code: 'secret-in-site', about: keeping, text });
    }
  }
  if (await isThere(join(keeping, 'sealing.json'))) {
    for (const { lock, text } of unsealable(policy, now)) {
      // What holds of every sealed site is no mistake of this one.
      if (lock !== '') findings.push({ code: 'sealed-cannot', about: lock, text: `${lock}: ${text}.` });
    }
  }
  const draft = await waitingDraft(policyFile);
  if (draft !== undefined) {
    findings.push({ code: 'draft-waiting', about: draft, text: `${draft} is not live.` });
  }
  return findings;
}
