import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import type { Outcome } from '../core/explain/outcome.js';
import { explain, explainMatrix, type ExplainedReason, type ExplainResult } from '../owner/explain.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { columns, listed, paint, print, printJson } from './output.js';
import { readStandardInput } from './password-input.js';

interface ExplainOptions extends CommonOptions {
  readonly passwordStdin?: boolean;
  readonly from?: string;
  readonly person?: string;
  readonly role?: readonly string[];
  readonly signedIn?: boolean;
  readonly at?: string;
  readonly matrix?: boolean;
}

export function command(summary: string): Command {
  return makePolicyCommand('explain', summary, 'dorlin explain /members/handbook.pdf')
    .usage('URL… [options]')
    .argument('[url...]', 'an address of the site, as a path or whole; with --matrix several')
    .option('--matrix', 'what every kind of visitor gets, at these addresses or at all that the policy names')
    .option('--password-stdin', 'for a visitor who typed the password on standard input')
    .option('--from <address>', 'for a visitor from this address')
    .option('--person <name>', 'for this person, signed in')
    .option('--role <role...>', 'for somebody with these roles')
    .option('--signed-in', 'for somebody signed in')
    .option('--at <time>', 'at another moment: 2027-03-20T09:00, or a span from now: `7 days`')
    .action(explainThem);
}

async function explainThem(urls: readonly string[], options: ExplainOptions): Promise<void> {
  const { policy, json, at, from, person, role: roles, signedIn } = options;
  if (options.matrix === true) {
    const matrix = await explainMatrix(policy, urls, at);
    if (json === true) printJson(matrix);
    else printMatrix(matrix);
    return;
  }
  const [url] = urls;
  if (url === undefined || urls.length > 1) {
    throw new DorlinError('call-wrong', 'One address is explained at a time.', {
      mend: 'Name one, such as `dorlin explain /members/`; or several with `--matrix`.',
    });
  }
  const password = options.passwordStdin === true ? await readStandardInput() : undefined;
  const result = await explain(policy, url, { from, person, roles, signedIn, password, at });
  if (json === true) printJson(result);
  else printExplained(result);
}

function printExplained(result: ExplainResult): void {
  const { section, opensWithPassword, wouldChange } = result;
  const visitor = result.isStranger ? 'a stranger' : 'that visitor';
  print(`${paint.bold(result.target)} ${headline(result.decision, visitor)}`);
  print();
  print(columns(result.reasons.map(rowOf)));
  if (section !== undefined) {
    print();
    print(
      section.isOpen
        ? `Its section #${section.id} is ${paint.green('open')}.`
        : section.instead === undefined
          ? `Its section #${section.id} is ${paint.red('shut')} with the page.`
          : `Its section #${section.id} is ${paint.red('shut')} by ${section.locks.join(' or ')}: ${section.instead} stands in its place.`,
    );
  }
  if (opensWithPassword !== undefined) {
    print();
    print(
      opensWithPassword.length === 0
        ? 'That password opens no lock of this policy.'
        : `That password opens ${listed(opensWithPassword)}.`,
    );
  }
  print();
  print(paint.bold('What would change it'));
  for (const text of wouldChange) print(`  ${text}`);
  print();
  print(`Answer: ${result.answer}`);
  const headers = Object.entries(result.headers).flatMap(([name, value]) =>
    [value].flat().map((one) => [name, shortened(one)]),
  );
  if (headers.length > 0) print(paint.dim(columns(headers)));
}

/** Headers are for reading here; what is long in them is seldom what one looks for. */
const shortened = (text: string) => (text.length > 96 ? `${text.slice(0, 95)}…` : text);

function printMatrix({ kinds, rows }: Awaited<ReturnType<typeof explainMatrix>>): void {
  // One kind a column, its name in two lines: the table stays narrow.
  const heads = kinds.map((name) => paint.bold(name.replace(' ', '\n')));
  const cells = rows.map(({ target, gets }) => [
    paint.bold(target),
    ...kinds.map((kind) => outcomeCell(gets[kind] ?? 'open')),
  ]);
  print(columns([['', ...heads], ...cells]));
}

function outcomeCell(outcome: Outcome): string {
  switch (outcome) {
    case 'open':
      return paint.dim('open');
    case 'let-in':
      return paint.green('let in');
    case 'sent-away':
      return paint.yellow('sent away');
    default:
      return paint.yellow(outcome);
  }
}

function headline(decision: ExplainResult['decision'], visitor: string): string {
  switch (decision) {
    case 'open':
      return `is ${paint.green('open')} to everybody`;
    case 'let-in':
      return `is ${paint.green('open')} to ${visitor}`;
    case 'shut':
      return `is ${paint.red('shut')} to ${visitor}`;
    case 'refused':
      return `is ${paint.red('refused')} for anybody`;
  }
}

function rowOf(reason: ExplainedReason): [string, string] {
  const mark =
    (reason.code === 'covered' && reason.nearest) ||
    (reason.code === 'pass' && reason.standing === 'counts') ||
    (reason.code === 'bypass' && reason.unmet.length === 0)
      ? paint.bold('→')
      : ' ';
  return [mark, reason.text];
}
