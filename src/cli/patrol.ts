import { readFile, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { createHash } from 'node:crypto';
import type { Command } from 'commander';
import { closest } from 'fastest-levenshtein';
import mime from 'mime';
import writeFileAtomic from 'write-file-atomic';
import { isAddressRange } from '../core/bypass/address.js';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { readPolicyOrThrow } from '../core/policy/read.js';
import { patrolTable } from '../patrol/finding-table.js';
import { patrol, type KnownFile, type PatrolResult } from '../patrol/patrol.js';
import { junitReport } from '../patrol/reports/junit.js';
import { pageReport } from '../patrol/reports/page.js';
import { sarifReport } from '../patrol/reports/sarif.js';
import { noRecord, openRecord } from '../patrol/record.js';
import { siteFiles, targetOf } from '../server/site-files.js';
import { isOwnFile } from '../stores/own-files.js';
import { readPolicyText } from '../stores/policy-file.js';
import { makeCommand, siteFolder } from './command.js';
import { noteFound, printJson } from './output.js';
import { patrolKeys } from './patrol-keys.js';
import { offerProposal } from './patrol-proposal.js';
import { patrolProgress } from './patrol-progress.js';
import { printPatrol } from './patrol-words.js';
import { version } from './version.js';

interface PatrolCallOptions {
  readonly policy?: string;
  readonly folder?: string;
  readonly passwordStdin?: boolean;
  readonly ask: boolean;
  readonly from?: string;
  readonly pages: string;
  readonly minutes: string;
  readonly atOnce: string;
  readonly pause?: string;
  readonly resume?: string;
  readonly skip?: readonly string[];
  readonly propose?: boolean;
  readonly yes?: boolean;
  readonly html?: string;
  readonly junit?: string;
  readonly sarif?: string;
  readonly json?: boolean;
}

export function command(summary: string): Command {
  return makeCommand(
    'patrol',
    summary,
    'dorlin patrol https://kestrelmoor.example --policy dorlin.yaml --html patrol.html',
  )
    .usage('URL [options]')
    .argument('<url>', 'the site, or a page of it to begin at')
    .option('--policy <file>', 'what should be; without it, what is open and closed is told')
    .option('--folder <dir>', 'the folder of the site’s files; else the policy’s `site.folder`')
    .option('--password-stdin', 'passwords from standard input, one a line')
    .option('--no-ask', 'do not ask for passwords that cannot be looked up')
    .option('--from <address>', 'play this address, from a proxy that the site believes')
    .option('--pages <count>', 'most addresses that are asked for', '5000')
    .option('--minutes <count>', 'longest time for the walk', '15')
    .option('--at-once <count>', 'most requests at a time', '6')
    .option('--pause <milliseconds>', 'between two requests; else what robots.txt asks for')
    .option('--resume <file>', 'keep there what was seen, and go on from it')
    .option('--html <file>', 'also a page for people')
    .option('--junit <file>', 'also JUnit XML, for build servers')
    .option('--sarif <file>', 'also SARIF, for code hosts and editors')
    .option('--propose', 'show the change of the policy that would close what was found')
    .option('--yes', 'with --propose: write it without asking')
    .option('--skip <code...>', 'findings that are meant to be as they are')
    .action(patrolSite);
}

async function patrolSite(url: string, options: PatrolCallOptions): Promise<void> {
  const now = Date.now() / 1000;
  const limits = {
    pages: wholeNumber('--pages', options.pages, 1_000_000),
    until: Date.now() + wholeNumber('--minutes', options.minutes, 24 * 60) * 60_000,
    atOnce: wholeNumber('--at-once', options.atOnce, 64),
  };
  const pause = options.pause === undefined ? undefined : wholeNumber('--pause', options.pause, 60_000, 0); // prettier-ignore
  const skip = knownCodes(options.skip ?? []);
  if (options.from !== undefined && (options.from.includes('/') || !isAddressRange(options.from))) {
    throw new DorlinError('call-wrong', `\`${options.from}\` is no address.`);
  }
  if (options.propose === true && options.policy === undefined) {
    throw new DorlinError('call-wrong', '--propose changes a policy: name it with --policy.');
  }
  if (options.yes === true && options.propose !== true) {
    throw new DorlinError('call-wrong', '--yes goes with --propose.');
  }
  const text = options.policy === undefined ? '' : await readPolicyText(options.policy);
  const policy = options.policy === undefined ? undefined : readPolicyOrThrow(text, options.policy);
  const keys = await patrolKeys(options.policy, policy, options, now);
  const files = await filesAtHand(options, policy);
  const record = options.resume === undefined ? noRecord : await openRecord(options.resume, JSON.stringify([url, createHash('sha256').update(text).digest('hex')])); // prettier-ignore
  const progress = patrolProgress(options.json === true);
  // The cursor is given back, and what was seen is kept.
  const interrupted = () => {
    progress.end();
    void record.flush().finally(() => process.exit(130));
  };
  process.once('SIGINT', interrupted);
  let result: PatrolResult;
  try {
    result = await patrol({ url, policy, keys, files, from: options.from, limits, pause, skip, record, now, onProgress: progress.show }); // prettier-ignore
  } finally {
    process.off('SIGINT', interrupted);
    progress.end();
  }
  if (result.findings.some(({ severity }) => severity !== 'warning')) noteFound();
  await writeReports(result, options);
  if (options.json !== true) printPatrol(result);
  const offered =
    options.propose === true && policy !== undefined && options.policy !== undefined
      ? await offerProposal(options.policy, policy, text, result, options)
      : undefined;
  if (options.json !== true) return;
  const proposal = offered && { changes: offered.proposal.changes, end: offered.end };
  printJson({ ...jsonOf(result), ...(proposal === undefined ? {} : { proposal }) });
}

async function writeReports(
  result: PatrolResult,
  { html, junit, sarif }: PatrolCallOptions,
): Promise<void> {
  const write = async (file: string | undefined, text: () => string) => {
    if (file === undefined) return;
    await writeFileAtomic(file, text()).catch((cause: unknown) => {
      throw new DorlinError('call-wrong', `${file} cannot be written.`, { cause });
    });
  };
  await write(html, () => pageReport(result));
  await write(junit, () => junitReport(result));
  await write(sarif, () => sarifReport(result, version()));
}

function wholeNumber(option: string, text: string, most: number, least = 1): number {
  const number = Number(text);
  if (Number.isInteger(number) && number >= least && number <= most) return number;
  throw new DorlinError('call-wrong', `\`${option}\` takes a whole number from ${least} to ${most.toLocaleString('en')}.`); // prettier-ignore
}

function knownCodes(codes: readonly string[]): readonly string[] {
  const known = Object.keys(patrolTable);
  const wrong = codes.find((code) => !known.includes(code));
  if (wrong === undefined) return codes;
  throw new DorlinError('call-wrong', `There is no finding \`${wrong}\`.`, {
    mend: `Did you mean \`${closest(wrong, known)}\`?`,
  });
}

async function filesAtHand(
  { policy: policyFile, folder }: PatrolCallOptions,
  policy: Policy | undefined,
): Promise<KnownFile[]> {
  if (folder === undefined && policy?.site.folder === undefined) return [];
  const root = policy === undefined || policyFile === undefined ? (folder ?? '') : siteFolder(policyFile, policy, folder); // prettier-ignore
  // One that is only named in the policy need not be at hand.
  const isThere = await stat(root).then((found) => found.isDirectory(), () => false); // prettier-ignore
  if (!isThere && folder === undefined) return [];
  const isOwn = policy === undefined || policyFile === undefined ? undefined : isOwnFile(policyFile, policy); // prettier-ignore
  const paths = await siteFiles(root, isOwn);
  return paths.map((path) => ({
    target: targetOf(path),
    type: mime.getType(path) ?? 'application/octet-stream',
    read: () => readFile(join(root, path)),
  }));
}

function jsonOf(result: PatrolResult) {
  return {
    ...result,
    findings: result.findings.map((finding) => ({ ...finding, ...patrolTable[finding.code] })),
  };
}
