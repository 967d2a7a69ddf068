import { resolve } from 'node:path';
import type { Command } from 'commander';
import { writeFileWhole } from '../stores/whole-file.js';
import { DorlinError } from '../core/errors.js';
import { reportOf, walkSite, type PatrolReport } from '../owner/patrol/patrol.js';
import type { PatrolResult } from '../patrol/patrol.js';
import { junitReport } from '../patrol/reports/junit.js';
import { pageReport } from '../patrol/reports/page.js';
import { sarifReport } from '../patrol/reports/sarif.js';
import { makeCommand } from './command.js';
import { patrolTable } from '../patrol/finding-table.js';
import { keepPatrol, patrolStanding } from '../owner/patrol/kept-patrols.js';
import { scheduleOf } from '../owner/patrol/schedule.js';
import { noteFound, paint, print, printJson } from './output.js';
import { readStandardInput } from './password-input.js';
import { offerMend } from './patrol-mend.js';
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
  readonly keep?: boolean;
  readonly schedule?: string;
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
    .option('--keep', 'keep what was found beside the policy, and tell what is new since the last time')
    .option('--schedule <time>', 'print what runs it every night at this time, for cron and systemd')
    .option('--html <file>', 'also a page for people')
    .option('--junit <file>', 'also JUnit XML, for build servers')
    .option('--sarif <file>', 'also SARIF, for code hosts and editors')
    .option('--propose', 'show the change of the policy that would close what was found')
    .option('--yes', 'with --propose: write it without asking')
    .option('--skip <code...>', 'findings that are meant to be as they are')
    .action(patrolSite);
}

async function patrolSite(url: string, options: PatrolCallOptions): Promise<void> {
  const { policy: policyFile, json = false, propose = false, yes = false } = options;
  if (propose && policyFile === undefined) {
    throw new DorlinError('call-wrong', '--propose changes a policy: name it with --policy.');
  }
  if (options.schedule !== undefined) {
    printSchedule(url, policyFile, options.schedule, json);
    return;
  }
  if (options.keep === true && policyFile === undefined) {
    throw new DorlinError('call-wrong', '--keep keeps it beside a policy: name that with --policy.');
  }
  if (yes && !propose) throw new DorlinError('call-wrong', '--yes goes with --propose.');
  const order = {
    ...options,
    url,
    policyFile,
    pages: wholeNumber('--pages', options.pages, 1_000_000),
    minutes: wholeNumber('--minutes', options.minutes, 24 * 60),
    atOnce: wholeNumber('--at-once', options.atOnce, 64),
    pause: options.pause === undefined ? undefined : wholeNumber('--pause', options.pause, 60_000, 0),
    passwords: options.passwordStdin === true ? await givenPasswords() : undefined,
    ask: options.ask && !json && process.stdin.isTTY ? typedPassword : undefined,
  };
  const progress = patrolProgress(json);
  let keep: () => Promise<void> = () => Promise.resolve();
  // The cursor is given back, and what was seen is kept.
  const interrupted = () => {
    progress.end();
    void keep().finally(() => process.exit(130));
  };
  process.once('SIGINT', interrupted);
  const onStart = (kept: () => Promise<void>) => (keep = kept);
  const patrolled = await walkSite(order, { onProgress: progress.show, onStart }).finally(() => {
    process.off('SIGINT', interrupted);
    progress.end();
  });
  const { result } = patrolled;
  if (result.findings.some(({ severity }) => severity !== 'warning')) noteFound();
  await writeReports(result, options);
  if (!json) printPatrol(result);
  if (options.keep === true && policyFile !== undefined) await keepAndCompare(policyFile, url, result, json);
  const proposal =
    propose && policyFile !== undefined ? await offerMend(policyFile, patrolled, { yes, json }) : undefined;
  if (json) printJson({ ...reportOf(result), proposal } satisfies PatrolReport);
}

/** Keeps a patrol, and says what is new since the one before. */
async function keepAndCompare(policyFile: string, url: string, result: PatrolResult, json: boolean): Promise<void> {
  await keepPatrol(policyFile, result, { url, by: 'command', isStopped: false });
  const standing = await patrolStanding(policyFile);
  if (json || standing?.before === undefined) return;
  const fresh = standing.last.groups.filter(({ isNew }) => isNew);
  print();
  print(`Since the patrol of ${standing.before.slice(0, 10)}: ${fresh.length} new, ${standing.gone.length} gone.`);
  for (const { title, lock } of fresh) print(`  ${paint.red('new')}   ${title}${lock === '' ? '' : ` (${lock})`}`);
  for (const { code, lock } of standing.gone)
    print(`  ${paint.green('gone')}  ${patrolTable[code].title}${lock === '' ? '' : ` (${lock})`}`);
}

function printSchedule(url: string, policyFile: string | undefined, time: string, json: boolean): void {
  if (policyFile === undefined) {
    throw new DorlinError('call-wrong', 'A patrol every night is judged by a policy: name it with --policy.');
  }
  const schedule = scheduleOf(url, resolve(policyFile), time);
  if (json) {
    printJson(schedule);
    return;
  }
  print(paint.bold('For cron, in `crontab -e`'));
  print(schedule.cron);
  print();
  print(paint.bold('For systemd, as /etc/systemd/system/dorlin-patrol.service'));
  print(schedule.systemd.service);
  print(paint.bold('and dorlin-patrol.timer beside it; then: systemctl enable --now dorlin-patrol.timer'));
  print(schedule.systemd.timer);
}

/** Passwords from standard input, one a line. */
async function givenPasswords(): Promise<string[]> {
  const lines = (await readStandardInput()).split(/\r?\n/).filter((line) => line !== '');
  if (lines.length > 0) return lines;
  throw new DorlinError('call-wrong', 'Standard input has no password.', { mend: 'Send one a line.' });
}

async function typedPassword(lock: string | undefined): Promise<string | undefined> {
  const { default: password } = await import('@inquirer/password');
  const message =
    lock === undefined
      ? 'Password, to look inside (empty: stay a stranger):'
      : `Password of ${lock} (empty: leave it out):`;
  const typed = await password({ message, mask: '•' });
  return typed === '' ? undefined : typed;
}

async function writeReports(result: PatrolResult, { html, junit, sarif }: PatrolCallOptions): Promise<void> {
  const write = async (file: string | undefined, text: () => string) => {
    if (file === undefined) return;
    await writeFileWhole(file, text()).catch((cause: unknown) => {
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
  throw new DorlinError(
    'call-wrong',
    `\`${option}\` takes a whole number from ${least} to ${most.toLocaleString('en')}.`,
  );
}
