import { readFile, stat } from 'node:fs/promises';
import type { Command } from 'commander';
import { writeFileWhole } from '../stores/whole-file.js';
import { DorlinError } from '../core/errors.js';
import { exportTokens, importTokens } from '../owner/tokens.js';
import { makeEditCommand, makeGroup, makePolicyCommand, type CommonOptions } from './command.js';
import { streams } from './streams.js';
import { columns, counted, paint, print, printJson } from './output.js';

interface ImportOptions extends CommonOptions {
  readonly map?: readonly string[];
  readonly dryRun?: boolean;
}

/** `dorlin screen tokens`: colors, type, radius and shadow from and for other programs. */
export function addTokenCommands(group: Command): void {
  const tokens = makeGroup(
    'tokens',
    'colors, type, radius and shadow as Design Tokens, in and out',
    'dorlin screen tokens import evening brand.tokens.json',
  );
  tokens.addCommand(
    makePolicyCommand(
      'export',
      'a screen’s tokens as JSON',
      'dorlin screen tokens export evening --out evening.tokens.json',
    )
      .usage('NAME [options]')
      .argument('<name>')
      .option('--out <file>', 'where to write them; else they are printed')
      .action(exportThem),
  );
  tokens.addCommand(
    makeEditCommand(
      'import',
      'a brand’s tokens into a screen, which is made where there is none',
      'dorlin screen tokens import evening brand.tokens.json --map colors.light.button=brand.moss',
    )
      .usage('NAME FILE [options]')
      .argument('<name>')
      .argument('<file>', 'a file of Design Tokens')
      .option('--map <pair...>', 'what a token is for, as `key=path.of.token`')
      .option('--dry-run', 'show what would be written, and write nothing')
      .action(importThem),
  );
  group.addCommand(tokens);
}

async function exportThem(
  name: string,
  { policy, out, json }: CommonOptions & { readonly out?: string },
): Promise<void> {
  const exported = await exportTokens(policy, name);
  if (out !== undefined) await writeFileWhole(out, exported.text);
  if (json === true) printJson(exported);
  else if (out === undefined) streams().out.write(exported.text);
  else print(`Wrote the tokens of ${name} to ${out}.`);
}

async function importThem(name: string, file: string, { policy, map, dryRun, json }: ImportOptions): Promise<void> {
  const order = { text: await tokensFile(file), file, map, dryRun };
  const imported = await importTokens(policy, name, order);
  if (json === true) {
    printJson(imported);
    return;
  }
  const { values, unused, made, written, faint } = imported;
  print(columns(values.map(({ key, value, token }) => [paint.bold(key), String(value), paint.dim(`from ${token}`)])));
  if (unused.length > 0) {
    print();
    print(
      `${counted(unused.length, 'token')} of no use here: ${unused.slice(0, 12).join(', ')}${unused.length > 12 ? ' …' : ''}`,
    );
  }
  print();
  if (!written) print('Nothing was written.');
  else print(`${made ? 'Made' : 'Changed'} the screen ${name} in ${policy}.`);
  for (const pair of faint) print(`${paint.yellow('•')} ${pair}`);
  if (faint.length > 0) print(paint.cyan(`→ dorlin screen check ${name}`));
}

async function tokensFile(file: string): Promise<string> {
  const about = await stat(file).catch((cause: unknown) => {
    throw new DorlinError('call-wrong', `${file} cannot be read.`, { cause, mend: '' });
  });
  if (about.size > 5_000_000) throw new DorlinError('tokens-invalid', `${file} is longer than 5 MB.`);
  return readFile(file, 'utf8');
}
