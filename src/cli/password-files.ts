import type { Command } from 'commander';
import { readFile } from 'node:fs/promises';
import { writeFileWhole } from '../stores/whole-file.js';
import { DorlinError } from '../core/errors.js';
import { mustBeFree } from '../owner/hand-out.js';
import { exportUsers, importUsers } from '../owner/passwords/htpasswd.js';
import { makeEditCommand, makePolicyCommand, type CommonOptions } from './command.js';
import { counted, listed, paint, print, printError, printJson } from './output.js';
import { readStandardInput } from './password-input.js';
import { streams } from './streams.js';
import { printForgotten } from './told.js';

interface ImportOptions extends CommonOptions {
  readonly replace?: boolean;
  readonly always?: boolean;
}

export const importCommand = (): Command =>
  makeEditCommand(
    'import',
    'take the users of an htpasswd file, for HTTP Basic',
    'dorlin password import trustees .htpasswd',
  )
    .usage('LOCK FILE [options]')
    .argument('<lock>')
    .argument('<file>', 'the file, or - for standard input; bcrypt and apr1 hashes')
    .option('--replace', 'put them in the place of those with the same name')
    .option('--always', 'ask everybody in the browser’s own prompt (`basic: always`)')
    .action(importThem);

async function importThem(name: string, file: string, options: ImportOptions): Promise<void> {
  const text = file === '-' ? await readStandardInput() : await readHtpasswd(file);
  const where = file === '-' ? 'line ' : `${file}:`;
  const imported = await importUsers(options.policy, name, text, where, options);
  if (options.json === true) {
    printJson(imported);
    return;
  }
  const { users, basicIsNew } = imported;
  print(`${counted(users.length, 'user')} may enter ${name} by HTTP Basic: ${listed(users)}.`);
  if (basicIsNew) print('The lock now takes HTTP Basic.');
  print(`To end one: dorlin password retire ${name} ${users[0] ?? 'USER'}`);
  printForgotten(imported);
}

async function readHtpasswd(file: string): Promise<string> {
  try {
    return await readFile(file, 'utf8');
  } catch (cause) {
    throw new DorlinError('htpasswd-invalid', `${file} cannot be read.`, { cause, mend: '' });
  }
}

interface ExportOptions extends CommonOptions {
  readonly out?: string;
  readonly skip?: boolean;
}

export const exportCommand = (): Command =>
  makePolicyCommand(
    'export',
    'the passwords as an htpasswd file, with bcrypt',
    'dorlin password export press --out press.htpasswd',
  )
    .usage('LOCK [options]')
    .argument('<lock>')
    .option('--out <file>', 'where to write it; else to standard output')
    .option('--skip', 'leave out what cannot be exported')
    .action(exportThem);

async function exportThem(name: string, { policy, out, skip, json }: ExportOptions): Promise<void> {
  if (out !== undefined) await mustBeFree(out);
  const exported = await exportUsers(policy, name, skip);
  const { users, left, text } = exported;
  if (out !== undefined) await writeFileWhole(out, text, { mode: 0o600 });
  if (json === true) {
    printJson(exported);
    return;
  }
  // To standard output goes the file alone, so that it can be sent on.
  if (out === undefined) streams().out.write(text);
  else print(`Wrote ${counted(users.length, 'user')} of ${paint.bold(name)} to ${out}.`);
  for (const { user, why } of left) printError(`left out ${user}: ${why}`);
}
