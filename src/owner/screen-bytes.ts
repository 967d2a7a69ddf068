import { readFile, realpath } from 'node:fs/promises';
import { extname, isAbsolute, join, relative } from 'node:path';
import mime from 'mime';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { filesOf } from '../core/screen/design/files.js';
import { keptName, type KeptFile } from '../core/screen/kept-file.js';
import type { Screen } from '../core/screen/screen.js';
import { readKept } from '../stores/kept-files.js';
import { loadPolicy } from '../stores/policy-file.js';
import { siteFolder } from './site-files.js';

/**
 * A picture or font that a screen shows: kept beside the policy, or one of the site's files.
 *
 * @param folder - the site's files, where they are at hand
 * @param path - as it stands in the design: a path of the site
 * @throws what reading it throws, where it is not there
 */
export async function screenFile(
  policyFile: string,
  policy: Policy,
  folder: string | undefined,
  path: string,
): Promise<KeptFile | undefined> {
  const own = keptName(policy.site.prefix, path);
  if (own !== undefined) return readKept(policyFile, own);
  if (folder === undefined) return undefined;
  // Where it really lies: neither a path with dots nor a link leads out of the folder of the site.
  const [root, file] = await Promise.all([realpath(folder), realpath(join(folder, decodeURI(path)))]);
  if (/^\.\.(?:[\\/]|$)|(?:^|[\\/])\.(?!\.)/.test(relative(root, file)) || isAbsolute(relative(root, file))) {
    throw new DorlinError('file-unusable', `${path} is no file of the site.`);
  }
  return { type: mime.getType(extname(path)) ?? 'application/octet-stream', body: await readFile(file) };
}

/**
 * The HTML of a screen with the pictures and fonts that it shows in itself.
 * @throws DorlinError `file-unusable`, `folder-missing`
 */
export async function withScreenFiles(
  policyFile: string,
  policy: Policy,
  { design }: Screen,
  html: string,
  folder: string | undefined,
): Promise<string> {
  let whole = html;
  for (const path of filesOf(design)) {
    const file = await screenFile(policyFile, policy, folder, path).catch((cause: unknown) => {
      throw new DorlinError('file-unusable', `${path}, which the screen shows, cannot be read in ${folder ?? ''}.`, {
        cause,
        mend: 'Name the folder of the site’s files with `--folder`.',
      });
    });
    if (file === undefined)
      throw new DorlinError('folder-missing', `The screen shows ${path}, and no folder is named.`);
    const data = `data:${file.type};base64,${Buffer.from(file.body).toString('base64')}`;
    whole = whole.split(`"${path}"`).join(`"${data}"`);
  }
  return whole;
}

const ofScreens = /^\/(?![/\\])[^\s"'()\\<>?#&\0]+\.(?:avif|gif|jpe?g|png|svg|webp|woff2?|ttf|otf)$/i;

/**
 * A picture or font of the site or kept beside the policy, by its path; undefined where there is none, or the path
 * is none that a design may have.
 */
export async function shownFile(policyFile: string, path: string): Promise<KeptFile | undefined> {
  if (!ofScreens.test(path)) return undefined;
  const policy = await loadPolicy(policyFile);
  const folder = policy.site.folder === undefined ? undefined : siteFolder(policyFile, policy);
  try {
    return await screenFile(policyFile, policy, folder, path);
  } catch {
    return undefined;
  }
}
