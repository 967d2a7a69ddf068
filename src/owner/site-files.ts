import { dirname, resolve } from 'node:path';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { readFolder, targetOf, type FolderRead } from '../server/site-files.js';
import { isOwnFile } from '../stores/own-files.js';

/**
 * The folder of a site's files: the one that is named, else `site.folder`.
 * @throws DorlinError `folder-missing` where neither names one
 */
export function siteFolder(policyFile: string, policy: Policy, named?: string): string {
  if (named !== undefined) return resolve(named);
  const { folder } = policy.site;
  if (folder !== undefined) return resolve(dirname(policyFile), folder);
  throw new DorlinError('folder-missing', `${policyFile} does not say where the site’s files are.`, {
    mend: 'Name the folder with `--folder`, or once and for all with `dorlin site --folder DIR`.',
  });
}

/**
 * The folder of a policy's site as it is read, without Dorlin's own files.
 * @throws DorlinError `folder-missing`
 */
export function folderOfSite(policyFile: string, policy: Policy, folder?: string): Promise<FolderRead> {
  return readFolder(siteFolder(policyFile, policy, folder), isOwnFile(policyFile, policy));
}

/**
 * The files of a policy's site, without Dorlin's own.
 * @throws DorlinError `folder-missing`
 */
export async function filesOfSite(policyFile: string, policy: Policy, folder?: string): Promise<string[]> {
  return (await folderOfSite(policyFile, policy, folder)).files;
}

/** The addresses of a site's files, where they are at hand. */
export async function targetsAtHand(policyFile: string, policy: Policy): Promise<string[] | undefined> {
  if (policy.site.folder === undefined) return undefined;
  const files = await filesOfSite(policyFile, policy).catch(() => undefined);
  return files?.map(targetOf);
}
