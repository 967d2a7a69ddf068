import { randomBytes } from 'node:crypto';
import { stat, writeFile } from 'node:fs/promises';
import { basename, dirname, join, relative, resolve } from 'node:path';
import { stringify } from 'yaml';
import { DorlinError } from '../core/errors.js';
import { generateId } from '../core/passwords/generate.js';
import { readPolicyOrThrow } from '../core/policy/read.js';
import { readFolder, siteFiles, type LeftOut } from '../server/site-files.js';
import { openKeys } from '../stores/keeping.js';

/** What a new policy begins with. */
export interface InitOrder {
  /** The folder of the finished site; `null` where its files are not at hand. @default `.` */
  readonly folder?: string | null | undefined;
  /** The name that visitors know the site by; else the folder's. */
  readonly name?: string | undefined;
  /** Scheme and host of the live site. */
  readonly origin?: string | undefined;
  readonly languages?: readonly string[] | undefined;
  /** IANA name. @default that of the machine */
  readonly timeZone?: string | undefined;
}

/** A policy that was started. */
export interface InitResult {
  readonly policy: string;
  readonly site: {
    readonly name: string;
    readonly id: string;
    readonly origin?: string | undefined;
    readonly folder?: string | undefined;
    readonly timeZone: string;
    readonly languages?: readonly string[] | undefined;
    readonly sitemaps?: readonly string[] | undefined;
    readonly feeds?: readonly string[] | undefined;
  };
  readonly files: number;
  readonly pages: number;
  /** What is in the folder and will not be served. */
  readonly leftOut: readonly LeftOut[];
}

/**
 * Starts a policy for a folder, and a secret beside it.
 * @throws DorlinError `policy-exists`, `folder-missing`, `policy-invalid` for a name or origin that
 * cannot be
 */
export async function startPolicy(
  file: string,
  { folder = '.', name, origin, languages, timeZone }: InitOrder = {},
): Promise<InitResult> {
  const isThere = await stat(file).then(
    () => true,
    () => false,
  );
  if (isThere) throw new DorlinError('policy-exists', `${file} is there already.`);
  const { files, leftOut } = folder === null ? { files: [], leftOut: [] } : await readFolder(folder);
  const site = {
    name: name ?? basename(resolve(folder === '.' || folder === null ? '.' : dirname(resolve(folder)))),
    // What passes are bound to: whatever the site is called later, whoever is in stays in.
    id: generateId(randomBytes, new Set(), 12),
    ...(origin === undefined ? {} : { origin: origin.replace(/\/$/, '') }),
    ...(folder === null ? {} : { folder: relative(dirname(resolve(file)), resolve(folder)) || '.' }),
    timeZone: timeZone ?? Intl.DateTimeFormat().resolvedOptions().timeZone,
    ...(languages === undefined ? {} : { languages }),
    ...(files.includes('/sitemap.xml') ? { sitemaps: ['/sitemap.xml'] } : {}),
    ...(files.includes('/feed.xml') ? { feeds: ['/feed.xml'] } : {}),
  };
  const text = `# Who may see what on this site. \`dorlin places\` shows it page by page.
dorlin: 1
${stringify({ site })}
# What happens at the locks; \`dorlin journal\` shows it.
journal: { keep: 90 days }
# A lock names the places it covers: /about is a page, /press/ a folder, / the whole site.
# Make one with: dorlin lock members /members/
locks: {}
`;
  readPolicyOrThrow(text, file);
  // `wx` once more: two of these at the same moment must not both believe they were first.
  await writeFile(file, text, { flag: 'wx' });
  await openKeys(file);
  const pages = files.filter((path) => path.endsWith('.html')).length;
  return { policy: file, site, files: files.length, pages, leftOut };
}

/** A folder that may be a finished site. */
export interface SiteCandidate {
  /** As seen from the policy. */
  readonly folder: string;
  readonly pages: number;
}

/** Where builds put what they make. */
const usualFolders = ['dist', 'build', 'public', '_site', 'out', 'www', 'site', 'html'];

/** The folders beside a policy that may be its site: those with a start page, the ones that builds make first. */
export async function siteCandidates(policyFile: string): Promise<readonly SiteCandidate[]> {
  const beside = dirname(resolve(policyFile));
  const found: SiteCandidate[] = [];
  for (const folder of [...usualFolders, '.']) {
    const isSite = await stat(join(beside, folder, 'index.html')).then(
      (start) => start.isFile(),
      () => false,
    );
    if (!isSite) continue;
    const files = await siteFiles(join(beside, folder)).catch(() => []);
    found.push({ folder, pages: files.filter((path) => path.endsWith('.html')).length });
  }
  return found;
}
