import type { Policy } from '../core/policy/types.js';
import { siteFiles } from '../server/site-files.js';
import { isOwnFile } from '../stores/own-files.js';
import { siteFolder } from './command.js';

/**
 * The files of a policy's site, without Dorlin's own.
 * @throws DorlinError `folder-missing`
 */
export function filesOfSite(
  policyFile: string,
  policy: Policy,
  folder?: string,
): Promise<string[]> {
  return siteFiles(siteFolder(policyFile, policy, folder), isOwnFile(policyFile, policy));
}
