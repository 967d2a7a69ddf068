import { readFile, stat } from 'node:fs/promises';
import { join, resolve, sep } from 'node:path';
import type { Command } from 'commander';
import { closest } from 'fastest-levenshtein';
import { checkPolicy, type JudgedPasswords } from '../core/check/policy-checks.js';
import { checkScreens } from '../core/check/screen-checks.js';
import { checkSite, type SiteFile } from '../core/check/site-checks.js';
import { findingTable, type Finding, type FindingCode } from '../core/check/table.js';
import { decodeHtml } from '../core/sections/charset.js';
import { DorlinError } from '../core/errors.js';
import { judgeStrength, type Strength } from '../core/passwords/strength.js';
import type { Policy } from '../core/policy/types.js';
import { targetOf } from '../server/site-files.js';
import { draftFile } from '../stores/draft.js';
import { keepingFolder, openKeys } from '../stores/keeping.js';
import { loadPolicy } from '../stores/policy-file.js';
import { recallPassword } from '../stores/recall-file.js';
import { momentOf } from './moment-option.js';
import { makePolicyCommand, siteFolder, type CommonOptions } from './command.js';
import { counted, noteFound, paint, print, printJson } from './output.js';
import { filesOfSite } from './site-pages.js';
import { wrapped } from './wrapped.js';

interface CheckOptions extends CommonOptions {
  readonly folder?: string;
  readonly skip?: readonly string[];
  readonly at?: string;
}

export function command(summary: string): Command {
  return makePolicyCommand(
    'check',
    summary,
    'dorlin check\ndorlin check --skip robots-names-locked',
  )
    .option('--folder <dir>', 'the folder of the site’s files; else the policy’s `site.folder`')
    .option('--at <time>', 'as it will be at another moment, such as 2027-03-20T09:00')
    .option('--skip <code...>', 'findings that are meant to be as they are')
    .action(check);
}

async function check(options: CheckOptions): Promise<void> {
  const codes = Object.keys(findingTable);
  const wrong = options.skip?.find((code) => !codes.includes(code));
  if (wrong !== undefined) {
    throw new DorlinError('call-wrong', `There is no finding \`${wrong}\`.`, {
      mend: `Did you mean \`${closest(wrong, codes)}\`?`,
    });
  }
  const policy = await loadPolicy(options.policy);
  const now = momentOf(options.at, policy.site.timeZone);
  const files = await siteFilesOf(options, policy);
  const all = [
    ...checkPolicy(policy, await judgedPasswords(options.policy, policy), now),
    ...(await screenFindings(policy, now, files)),
    ...(files === undefined ? [] : checkSite(policy, files, now)),
    ...(await checkMachine(options, policy)),
  ];
  const findings = all.filter(({ code }) => options.skip?.includes(code) !== true);
  if (findings.length > 0) noteFound();
  if (options.json === true) {
    printJson({
      site: policy.site.name,
      files: files?.length ?? null,
      findings: findings.map((finding) => ({
        ...finding,
        ...findingTable[finding.code],
        page: pageOf(finding.code),
      })),
    });
    return;
  }
  printFindings(policy, findings, files?.length);
}

/** What can be seen of the screens. What knows of colors is slow to load, so here. */
async function screenFindings(
  policy: Policy,
  now: number,
  files: readonly SiteFile[] | undefined,
): Promise<Finding[]> {
  const { nearestPassing } = await import('../core/screen/design/nearest.js');
  const targets = files && new Set(files.map(({ target }) => target));
  return checkScreens(policy, nearestPassing, now, targets);
}

/** Where the reference tells of a finding. */
const pageOf = (code: FindingCode) => `docs/reference/findings.md#${code}`;

function printFindings(
  policy: Policy,
  findings: readonly Finding[],
  files: number | undefined,
): void {
  const looked =
    files === undefined
      ? 'the policy alone, as it names no folder of files'
      : `the policy and ${counted(files, 'file')}`;
  const count = findings.length === 0 ? paint.green('nothing found') : paint.yellow(counted(findings.length, 'finding')); // prettier-ignore
  print(`${paint.bold(policy.site.name)}: ${count} in ${looked}`);
  for (const code of new Set(findings.map((finding) => finding.code))) {
    const { title, why, mend } = findingTable[code];
    print();
    print(`  ${paint.bold(title)} ${paint.dim(`[${code}]`)}`);
    for (const { text } of findings.filter((finding) => finding.code === code)) {
      print(`    ${paint.yellow('•')} ${wrapped(text, 6)}`);
    }
    print(`    ${paint.dim(wrapped(why, 4))}`);
    print(`    ${paint.cyan('→')} ${wrapped(mend, 6)}`);
  }
}

/** Files that can hold words; longer ones are not read. */
const worded = /\.(?:x?html?|json|jsonl|geojson|js|mjs|xml|rss|atom|txt|csv|tsv|md|ics|svg)$/i;
const longest = 8 * 1024 * 1024;

async function siteFilesOf(
  { policy: policyFile, folder }: CheckOptions,
  policy: Policy,
): Promise<SiteFile[] | undefined> {
  if (folder === undefined && policy.site.folder === undefined) return undefined;
  const root = siteFolder(policyFile, policy, folder);
  const paths = await filesOfSite(policyFile, policy, folder);
  const files: SiteFile[] = [];
  // A few at once: some sites have more files than a process may open.
  for (let at = 0; at < paths.length; at += 32) {
    const read = paths.slice(at, at + 32).map(async (path): Promise<SiteFile> => {
      const target = targetOf(path);
      const file = join(root, path);
      if (!worded.test(path) || (await stat(file)).size > longest) return { path, target };
      return { path, target, text: decodeHtml(await readFile(file), '') };
    });
    files.push(...(await Promise.all(read)));
  }
  return files;
}

/** The strength of the passwords that can be looked up here. */
async function judgedPasswords(policyFile: string, policy: Policy): Promise<JudgedPasswords> {
  const judged = new Map<string, Map<string, Strength>>();
  const isThere = await stat(join(keepingFolder(policyFile), 'recall.json')).then(
    () => true,
    () => false,
  );
  if (!isThere) return judged;
  const keys = await openKeys(policyFile);
  // Loaded here, as its word lists take half a second.
  const { estimateGuesses } = await import('./estimate.js');
  for (const { name, passwords } of policy.locks.values()) {
    const ofLock = new Map<string, Strength>();
    for (const { id, label } of passwords) {
      const password = await recallPassword(policyFile, name, id, keys).catch(() => undefined);
      if (password === undefined) continue;
      const siteWords = [policy.site.name, name, label].flatMap((words) => words.split(/\W+/));
      ofLock.set(id, judgeStrength(password, siteWords, estimateGuesses));
    }
    judged.set(name, ofLock);
  }
  return judged;
}

/** What can be seen of the files around the policy. */
async function checkMachine(
  { policy: policyFile, folder }: CheckOptions,
  policy: Policy,
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
  const draft = draftFile(policyFile);
  if (
    await stat(draft).then(
      () => true,
      () => false,
    )
  ) {
    // prettier-ignore
    findings.push({ code: 'draft-waiting', about: draft, text: `${draft} is not live.` });
  }
  return findings;
}
