import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import type { PatrolReport } from '../owner/patrol/patrol.js';
import { seal, type SealResult } from '../owner/seal.js';
import { baseOf } from '../sealer/base.js';
import { sealPage } from '../owner/seal-page.js';
import { checkSealed } from '../owner/sealed-check.js';
import { startPlainHost } from '../server/plain-host.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { columns, counted, noteFound, paint, print, printJson } from './output.js';
import { patrolProgress } from './patrol-progress.js';
import { portOf, sealedPort } from './ports.js';
import { untilTold } from './told.js';

interface SealOptions extends CommonOptions {
  readonly out: string;
  readonly rekey?: string[] | true;
  readonly acceptWeak?: boolean;
  readonly rounds?: string;
  readonly check?: boolean;
  readonly show?: string | true;
  readonly base?: string;
  readonly single?: boolean;
  readonly lock?: string;
}

export function command(summary: string): Command {
  return makePolicyCommand(
    'seal',
    summary,
    'dorlin seal dist --out sealed\ndorlin seal dist --out sealed --rekey members\ndorlin seal dist/members/log.html --single --out log.html',
  )
    .usage('[FOLDER] --out FOLDER [options]')
    .argument('[folder]', 'the folder of the finished site; the policy’s own, if left out')
    .requiredOption('--out <dir>', 'where the sealed site is written: what a host is to serve')
    .option('--single', 'FOLDER is one HTML file: seal it, with all that it needs, into another that opens itself')
    .option('--lock <name>', 'with `--single`: whose passwords open it, if not the lock that covers the page')
    .option('--rekey [lock...]', 'give these locks, or all, a new key, so that whoever kept the old one opens nothing')
    .option('--accept-weak', 'seal for passwords that would not stand, too')
    .option('--check', 'then look through what was written for anything locked that stands there in the clear')
    .option('--show [port]', 'then serve it as a host for files would, until Ctrl-C')
    .option('--base <path>', 'where the site will lie on its host, if not at its root: /observatory/')
    .option('--rounds <number>', 'rounds of PBKDF2 for each try (600000)')
    .action(sealFolder);
}

async function sealFolder(folder: string | undefined, options: SealOptions): Promise<void> {
  if (options.single === true) {
    await sealOne(folder, options);
    return;
  }
  const { policy, out, rekey, acceptWeak, json, show } = options;
  const base = baseOf(options.base);
  const told = show === undefined ? undefined : untilTold();
  const port = show === undefined ? undefined : portOf(show === true ? undefined : show);
  const bar = patrolProgress(json === true);
  let result: SealResult;
  try {
    result = await seal(policy, {
      folder,
      out,
      base,
      rekey: rekey === true ? 'all' : rekey,
      acceptWeak,
      rounds: roundsOf(options.rounds),
      progress: (done, all) => {
        bar.show('sealed', done, all);
      },
    });
  } finally {
    bar.end();
  }
  const checked = options.check === true ? await checkedHere(policy, { folder, out, base }, json === true) : undefined;
  if (json === true) printJson(checked === undefined ? result : { ...result, leaks: checked.findings });
  else {
    printSealed(result);
    if (checked !== undefined) printLeaks(checked);
  }
  if ((checked?.findings.length ?? 0) > 0) noteFound();
  if (told === undefined) return;
  const where = { host: '127.0.0.1', port: port ?? sealedPort, mayMove: port === undefined };
  const host = await startPlainHost(out, where, undefined, base);
  const url = `http://localhost:${host.port}${base}`;
  if (json === true) print(JSON.stringify({ at: new Date().toISOString(), type: 'listening', url, folder: out }));
  else print(`\nServed as it is at ${paint.bold(paint.cyan(url))}\n${paint.dim('Ctrl-C ends it.')}`);
  await told;
  await host.close();
}

async function sealOne(file: string | undefined, options: SealOptions): Promise<void> {
  const { policy, out, lock, acceptWeak, json } = options;
  if (file === undefined) throw new DorlinError('call-wrong', '`--single` needs the HTML file.');
  for (const other of ['base', 'check', 'rekey', 'show'] as const)
    if (options[other] !== undefined)
      throw new DorlinError('call-wrong', `\`--${other}\` is about a folder, and \`--single\` makes one file.`);
  const result = await sealPage(policy, { file, out, lock, acceptWeak, rounds: roundsOf(options.rounds) });
  if (json === true) {
    printJson(result);
    return;
  }
  print(
    `${paint.bold(result.out)}: ${Math.ceil(result.bytes / 1000).toLocaleString('en')} kB, opened by the passwords of ${result.lock}`,
  );
  printPasswords(result.passwords);
  if (result.outside.length > 0) {
    print(paint.yellow(`\nIt still asks elsewhere for ${result.outside.join(', ')}`));
  }
}

/** `/a`, `/a and 29 more`. */
const some = ([first = '', ...more]: readonly string[]): string =>
  more.length === 0 ? first : `${first} and ${more.length.toLocaleString('en')} more`;

function printPasswords(passwords: SealResult['passwords']): void {
  if (passwords.length === 0) return;
  print('\nPasswords and links that open it, and how long guessing takes somebody who copies the files:');
  print(
    columns([
      ['', '', 'one processor', 'one graphics card', 'a hundred cards'].map((head) => paint.dim(head)),
      ...passwords.map(({ lock, label, against, isWeak }) => [
        lock,
        label,
        ...[against.processor, against.card, against.hundredCards].map((span) => (isWeak ? paint.yellow(span) : span)),
      ]),
    ]),
  );
  print(paint.dim('Each guess is tested against all passwords of a lock at once.'));
}

async function checkedHere(policy: string, of: Parameters<typeof checkSealed>[1], isQuiet: boolean) {
  const bar = patrolProgress(isQuiet);
  try {
    return await checkSealed(policy, { ...of, progress: bar.show });
  } finally {
    bar.end();
  }
}

function printLeaks({ findings, addresses }: PatrolReport): void {
  if (findings.length === 0) {
    print(`\nNothing locked stands in the clear: ${counted(addresses, 'address', 'addresses')} looked through.`);
    return;
  }
  print(paint.red(`\n${counted(findings.length, 'thing')} that should be locked can be read by everybody:`));
  for (const { title, lock, place, cases, mend } of findings) {
    print(`  ${title}: ${place} of ${lock}`);
    for (const { where, words } of cases.slice(0, 3))
      print(`    at ${where}${words === undefined ? '' : `: “${words}”`}`);
    print(`    ${mend}`);
  }
}

/** @throws DorlinError `call-wrong` */
function roundsOf(text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const rounds = Number(text);
  if (Number.isInteger(rounds) && rounds >= 210_000 && rounds <= 10_000_000) return rounds;
  throw new DorlinError('call-wrong', '`--rounds` is a whole number from 210000 to 10000000.');
}

function printSealed(result: SealResult): void {
  const {
    files,
    pages,
    sealed,
    anew,
    parts,
    kept,
    changed,
    notes,
    passwords,
    links,
    cannot,
    out,
    removed,
    keepOldKey,
  } = result;
  print(`${paint.bold(out)}: ${counted(files, 'file')}, ${counted(pages, 'page')}`);
  const lines: [string, string][] = [
    [
      'sealed',
      `${counted(sealed, 'file')}${parts > 0 ? ` and ${counted(parts, 'part')} of public pages` : ''}, ${anew} anew`,
    ],
    ...(kept.length > 0
      ? [['left at home', `${counted(kept.length, 'file')} that nothing opens`] as [string, string]]
      : []),
    ...(changed.length > 0 ? [['changed', some(changed)] as [string, string]] : []),
    ...(removed > 0 ? [['removed', `${counted(removed, 'file')} of before`] as [string, string]] : []),
  ];
  print(columns(lines));
  printPasswords(passwords);
  if (links.length > 0) {
    print('\nEntry links of the sealed site; what is behind the # is sent to nobody:');
    for (const { lock, label, address } of links) print(`  ${lock}, ${label}: ${address}`);
  }
  if (cannot.length > 0) {
    print('\nWhat files alone cannot do:');
    for (const { lock, text } of cannot) print(`  ${lock === '' ? '' : `${lock}: `}${text}`);
  }
  if (keepOldKey.length > 0) {
    const which = [...new Set(keepOldKey.map(({ lock }) => lock))].join(' ');
    print(
      paint.yellow(
        `\n${keepOldKey.map(({ lock, id }) => `${id} of ${lock}`).join(', ')} opens nothing any more for who comes anew. ` +
          `Who has been in may have kept the key: \`--rekey ${which}\` seals everything of it anew.`,
      ),
    );
  }
  for (const { what, paths } of notes) print(paint.yellow(`\n${some(paths)}: ${what}.`));
}
