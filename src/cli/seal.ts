import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import { seal, type SealResult } from '../owner/seal.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { columns, counted, paint, print, printJson } from './output.js';
import { patrolProgress } from './patrol-progress.js';

interface SealOptions extends CommonOptions {
  readonly out: string;
  readonly rekey?: string[] | true;
  readonly acceptWeak?: boolean;
  readonly rounds?: string;
}

export function command(summary: string): Command {
  return makePolicyCommand(
    'seal',
    summary,
    'dorlin seal dist --out sealed\ndorlin seal dist --out sealed --rekey members',
  )
    .usage('[FOLDER] --out FOLDER [options]')
    .argument('[folder]', 'the folder of the finished site; the policy’s own, if left out')
    .requiredOption('--out <dir>', 'where the sealed site is written: what a host is to serve')
    .option('--rekey [lock...]', 'give these locks, or all, a new key, so that whoever kept the old one opens nothing')
    .option('--accept-weak', 'seal for passwords that would not stand, too')
    .option('--rounds <number>', 'rounds of PBKDF2 for each try (600000)')
    .action(sealFolder);
}

async function sealFolder(folder: string | undefined, options: SealOptions): Promise<void> {
  const { policy, out, rekey, acceptWeak, json } = options;
  const bar = patrolProgress(json === true);
  let result: SealResult;
  try {
    result = await seal(policy, {
      folder,
      out,
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
  if (json === true) printJson(result);
  else printSealed(result);
}

/** @throws DorlinError `call-wrong` */
function roundsOf(text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const rounds = Number(text);
  if (Number.isInteger(rounds) && rounds >= 210_000 && rounds <= 10_000_000) return rounds;
  throw new DorlinError('call-wrong', '`--rounds` is a whole number from 210000 to 10000000.');
}

function printSealed(result: SealResult): void {
  const { files, pages, sealed, anew, parts, kept, changed, notes, passwords, links, cannot, out, removed } = result;
  print(`${paint.bold(out)}: ${counted(files, 'file')}, ${counted(pages, 'page')}`);
  const lines: [string, string][] = [
    [
      'sealed',
      `${counted(sealed, 'file')}${parts > 0 ? ` and ${counted(parts, 'part')} of public pages` : ''}, ${anew} anew`,
    ],
    ...(kept.length > 0
      ? [['left at home', `${counted(kept.length, 'file')} that nothing opens`] as [string, string]]
      : []),
    ...(changed.length > 0 ? [['changed', changed.join(', ')] as [string, string]] : []),
    ...(removed > 0 ? [['removed', `${counted(removed, 'file')} of before`] as [string, string]] : []),
  ];
  print(columns(lines));
  if (passwords.length > 0) {
    print('\nWhat opens it, and how long it stands against somebody who takes the files home:');
    print(
      columns(
        passwords.map(({ lock, label, stands, isWeak }) => [lock, label, isWeak ? paint.yellow(stands) : stands]),
      ),
    );
  }
  if (links.length > 0) {
    print('\nEntry links of the sealed site; what is behind the # is sent to nobody:');
    for (const { lock, label, address } of links) print(`  ${lock}, ${label}: ${address}`);
  }
  if (cannot.length > 0) {
    print('\nWhat files alone cannot do:');
    for (const { lock, text } of cannot) print(`  ${lock === '' ? '' : `${lock}: `}${text}`);
  }
  for (const note of notes) print(paint.yellow(note));
}
