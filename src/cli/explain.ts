import type { Command } from 'commander';
import { decide, type Decision, type Reason } from '../core/decide.js';
import type { Policy } from '../core/policy/compile.js';
import { matchPassword } from '../core/passwords/shared-salt.js';
import { newPass, type Pass } from '../core/passes/pass.js';
import { reasonText, refusalWords } from '../core/reasons.js';
import { nativeHasher } from '../stores/hasher.js';
import { loadPolicy } from '../stores/policy-file.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { columns, listed, paint, print, printJson } from './output.js';
import { readStandardInput } from './password-input.js';

interface ExplainOptions extends CommonOptions {
  readonly passwordStdin?: boolean;
}

export function command(summary: string): Command {
  return makePolicyCommand('explain', summary, 'dorlin explain /members/handbook.pdf')
    .usage('URL [options]')
    .argument('<url>', 'an address of the site, as a path or whole')
    .option('--password-stdin', 'for a visitor who typed the password on standard input')
    .action(explain);
}

async function explain(url: string, options: ExplainOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const now = Date.now() / 1000;
  const target = url.replace(/#.*$/s, '') || '/';
  const tries = options.passwordStdin === true ? await tryPassword(policy, now) : undefined;
  const because: Reason[] = [];
  const passes = tries?.passes ?? [];
  const decision = decide(policy, { target, passes, visit: thisVisit, now }, because);
  if (options.json === true) {
    printJson({
      url,
      target,
      decision: decision.kind,
      locks: locksOf(decision),
      opensWithPassword: passes.map(({ l }) => l),
      reasons: because.map((reason) => ({ ...reason, text: reasonText(reason) })),
      answer: answerOf(decision),
    });
    return;
  }
  const visitor = tries === undefined ? 'a stranger' : 'a visitor with that password';
  print(`${paint.bold(target)} ${headline(decision, visitor)}`);
  print();
  print(columns(because.map(rowOf)));
  if (tries !== undefined) {
    print();
    print(
      passes.length === 0
        ? 'That password opens no lock of this policy.'
        : `That password opens ${listed(passes.map(({ l }) => l))}.`,
    );
  }
  print();
  print(`Answer: ${answerOf(decision)}`);
}

/** The mark of the visit that is played here. */
const thisVisit = 'explain';

/** A pass for every lock that the password opens. */
async function tryPassword(policy: Policy, now: number): Promise<{ passes: Pass[] }> {
  const typed = await readStandardInput();
  const passes: Pass[] = [];
  for (const lock of policy.locks.values()) {
    const password = await matchPassword(typed, lock.passwords, nativeHasher);
    if (password === undefined) continue;
    // As a lasting pass where the lock gives one, else bound to a visit that is this call.
    passes.push(
      newPass(lock, password, now, lock.remember.kind === 'visit' ? thisVisit : undefined),
    );
  }
  return { passes };
}

function headline(decision: Decision, visitor: string): string {
  switch (decision.kind) {
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

function rowOf(reason: Reason): [string, string] {
  const mark =
    (reason.code === 'covered' && reason.nearest) ||
    (reason.code === 'pass' && reason.standing === 'counts')
      ? paint.bold('→')
      : ' ';
  return [mark, reasonText(reason)];
}

function answerOf(decision: Decision): string {
  switch (decision.kind) {
    case 'open':
      return 'the page, untouched';
    case 'let-in':
      return 'the page, with Cache-Control: private, no-store';
    case 'refused':
      return `400, because ${refusalWords[decision.refusal]}`;
    case 'shut':
      return decision.locks.some(({ passwords }) => passwords.length > 0)
        ? `403, the screen of ${locksOf(decision).join(' or ')} asking for its password`
        : `403, the screen of ${locksOf(decision).join(' or ')}, closed`;
  }
}

const locksOf = (decision: Decision) =>
  'locks' in decision ? decision.locks.map(({ name }) => name) : [];
