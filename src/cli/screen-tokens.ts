import { readFile, stat } from 'node:fs/promises';
import { Command } from 'commander';
import { closest } from 'fastest-levenshtein';
import writeFileAtomic from 'write-file-atomic';
import { failingPairs, pairWords } from '../core/check/screen-checks.js';
import { DorlinError } from '../core/errors.js';
import { isDesignKey, readDesignTokens, tokensOf } from '../core/screen/design/tokens.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { makeEditCommand, makePolicyCommand, type CommonOptions } from './command.js';
import { columns, counted, paint, print, printJson } from './output.js';
import { screenNamed } from './screen-named.js';

interface ImportOptions extends CommonOptions {
  readonly map?: readonly string[];
  readonly dryRun?: boolean;
}

/** `dorlin screen tokens`: colors, type, radius and shadow from and for other programs. */
export function addTokenCommands(group: Command): void {
  const tokens = new Command('tokens')
    .description('colors, type, radius and shadow as Design Tokens, in and out')
    .exitOverride()
    .addHelpText('after', '\nExample:\n  dorlin screen tokens import evening brand.tokens.json');
  tokens.addCommand(
    makePolicyCommand(
      'export',
      'a screen’s tokens as JSON',
      'dorlin screen tokens export evening --out evening.tokens.json',
    )
      .usage('NAME [options]')
      .argument('<name>')
      .option('--out <file>', 'where to write them; else they are printed')
      .action(exportTokens),
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
      .action(importTokens),
  );
  group.addCommand(tokens);
}

async function exportTokens(
  name: string,
  options: CommonOptions & { readonly out?: string },
): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const text = `${JSON.stringify(tokensOf(screenNamed(policy, name).design), null, 2)}\n`;
  if (options.out === undefined) {
    process.stdout.write(text);
    return;
  }
  await writeFileAtomic(options.out, text);
  if (options.json === true) printJson({ screen: name, file: options.out });
  else print(`Wrote the tokens of ${name} to ${options.out}.`);
}

async function importTokens(name: string, file: string, options: ImportOptions): Promise<void> {
  const { values, unused } = readDesignTokens(await tokensFile(file), mapOf(options.map ?? []));
  if (values.length === 0) {
    throw new DorlinError(
      'tokens-invalid',
      `Nothing in ${file} has a name that tells what it is for.`,
      {
        mend: `Say so: \`--map colors.light.button=${unused[0] ?? 'path.of.token'}\`.`,
      },
    );
  }
  const isMade = !(await loadPolicy(options.policy)).screens.has(name);
  if (options.dryRun !== true) {
    await editPolicyFile(options.policy, (editor) => {
      for (const { key, value } of values) editor.setInScreen(name, key.split('.'), value);
    });
  }
  const after = await loadPolicy(options.policy);
  const screen = after.screens.get(name);
  const failing = options.dryRun === true || screen === undefined ? [] : failingPairs(screen);
  if (options.json === true) {
    printJson({
      screen: name,
      made: isMade,
      written: options.dryRun !== true,
      values,
      unused,
      failing,
    });
    return;
  }
  print(columns(values.map(({ key, value, token }) => [paint.bold(key), String(value), paint.dim(`from ${token}`)]))); // prettier-ignore
  if (unused.length > 0) {
    print();
    print(
      `${counted(unused.length, 'token')} of no use here: ${unused.slice(0, 12).join(', ')}${unused.length > 12 ? ' …' : ''}`,
    );
  }
  print();
  if (options.dryRun === true) print('Nothing was written.');
  else print(`${isMade ? 'Made' : 'Changed'} the screen ${name} in ${options.policy}.`);
  for (const pair of failing) print(`${paint.yellow('•')} ${pairWords(pair)}`);
  if (failing.length > 0) print(paint.cyan(`→ dorlin screen check ${name}`));
}

async function tokensFile(file: string): Promise<string> {
  const about = await stat(file).catch((cause: unknown) => {
    throw new DorlinError('call-wrong', `${file} cannot be read.`, { cause, mend: '' });
  });
  if (about.size > 5_000_000)
    throw new DorlinError('tokens-invalid', `${file} is longer than 5 MB.`);
  return readFile(file, 'utf8');
}

function mapOf(pairs: readonly string[]): Map<string, string> {
  return new Map(
    pairs.map((pair) => {
      const [, key = '', path = ''] = /^([^=]+)=(.+)$/.exec(pair) ?? [];
      if (isDesignKey(key)) return [key, path];
      const near = closest(key, ['colors.light.button', 'colors.dark.button', 'type.family', 'card.radius', 'card.shadow']); // prettier-ignore
      throw new DorlinError(
        'call-wrong',
        `\`${pair}\` does not say which key of a screen a token is for.`,
        {
          mend: `Write for example \`${near}=path.of.token\`.`,
        },
      );
    }),
  );
}
