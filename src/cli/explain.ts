import type { Command } from 'commander';
import { decideSection, sectionsAt, splitFragment } from '../core/decide-section.js';
import { decide, lockToAsk, type Decision, type Question, type Reason } from '../core/decide.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { matchPassword } from '../core/passwords/shared-salt.js';
import { isAddressRange } from '../core/bypass/address.js';
import type { Visitor } from '../core/bypass/bypass.js';
import { DorlinError } from '../core/errors.js';
import { newPass, type Pass } from '../core/passes/pass.js';
import { matrixOf, namedTargets } from '../core/explain/matrix.js';
import { asksByScreen } from '../core/policy/lock-state.js';
import { outsiderOutcome, type Outcome } from '../core/explain/outcome.js';
import { isWithin } from '../core/windows/window.js';
import { playVisit } from './play-visit.js';
import { reasonText, refusalWords } from '../core/reasons.js';
import { nativeHasher } from '../stores/hasher.js';
import { loadPolicy } from '../stores/policy-file.js';
import { momentOf } from './moment-option.js';
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
    .option(
      '--matrix',
      'what every kind of visitor gets, at these addresses or at all that the policy names',
    )
    .option('--password-stdin', 'for a visitor who typed the password on standard input')
    .option('--from <address>', 'for a visitor from this address')
    .option('--person <name>', 'for this person, signed in')
    .option('--role <role...>', 'for somebody with these roles')
    .option('--signed-in', 'for somebody signed in')
    .option('--at <time>', 'at another moment, such as 2027-03-20T09:00')
    .action(explain);
}

async function explain(urls: readonly string[], options: ExplainOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const now = momentOf(options.at, policy.site.timeZone);
  if (options.matrix === true) {
    explainMatrix(policy, urls, now, options.json === true);
    return;
  }
  const [url] = urls;
  if (url === undefined || urls.length > 1) {
    throw new DorlinError('call-wrong', 'One address is explained at a time.', {
      mend: 'Name one, such as `dorlin explain /members/`; or several with `--matrix`.',
    });
  }
  const { target } = splitFragment(url);
  const tries = options.passwordStdin === true ? await tryPassword(policy, now) : undefined;
  const because: Reason[] = [];
  const passes = tries?.passes ?? [];
  const visitor = visitorOf(options);
  const question = { target, passes, session: thisSession, visitor, now };
  const decision = decide(policy, question, because);
  const section = sectionOf(
    policy,
    url,
    decision,
    { passes, session: thisSession, visitor, now },
    because,
  );
  const verdict = await playVisit(policy, { target, visitor, passes, session: thisSession, now });
  if (options.json === true) {
    printJson({
      url,
      target,
      decision: decision.kind,
      locks: locksOf(decision),
      opensWithPassword: passes.map(({ l }) => l),
      reasons: because.map((reason) => ({ ...reason, text: reasonText(reason) })),
      section: section && { id: section.id, locks: section.locks, isOpen: section.isOpen },
      openers: openersOf(decision, now),
      answer: answerOf(decision),
      status: verdict.status ?? null,
      headers: verdict.headers,
    });
    return;
  }
  const isStranger =
    tries === undefined &&
    !('from' in options || 'person' in options || 'role' in options || 'signedIn' in options);
  print(`${paint.bold(target)} ${headline(decision, isStranger ? 'a stranger' : 'that visitor')}`);
  print();
  print(columns(because.map(rowOf)));
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
  if (tries !== undefined) {
    print();
    print(
      passes.length === 0
        ? 'That password opens no lock of this policy.'
        : `That password opens ${listed(passes.map(({ l }) => l))}.`,
    );
  }
  print();
  const openers = openersOf(decision, now);
  if (openers.length > 0) {
    print(paint.bold('What would open it'));
    print(
      columns(
        openers.map(({ lock, kind, label, standing }) => [
          lock,
          `${kind} “${label}”`,
          standing === 'counts' ? paint.green('counts') : paint.yellow(standing),
        ]),
      ),
    );
    print();
  }
  const isCut = section?.isOpen === false && decision.kind !== 'shut';
  print(`Answer: ${isCut ? 'the page, without that section' : answerOf(decision)}`);
  const headers = Object.entries(verdict.headers).flatMap(([name, value]) =>
    [value].flat().map((one) => [name, shortened(one)]),
  );
  if (headers.length > 0) print(paint.dim(columns(headers)));
}

/** Headers are for reading here; what is long in them is seldom what one looks for. */
const shortened = (text: string) => (text.length > 96 ? `${text.slice(0, 95)}…` : text);

/** What opens the locks that shut an address, and whether it counts at that moment. */
function openersOf(decision: Decision, now: number) {
  if (decision.kind !== 'shut') return [];
  return decision.locks.flatMap((lock) => {
    const links = new Set(lock.links.map(({ id }) => id));
    const imported = new Set(lock.importedUsers.map(({ id }) => id));
    return [...lock.openers.values()].map(({ id, label, window }) => ({
      lock: lock.name,
      kind: links.has(id) ? 'link' : imported.has(id) ? 'imported user' : 'password',
      id,
      label,
      standing: isWithin(window, now)
        ? ('counts' as const)
        : window.from !== undefined && now < window.from
          ? ('not yet' as const)
          : ('ended' as const),
    }));
  });
}

/** `--matrix`: places × kinds of visitor. */
function explainMatrix(
  policy: Policy,
  urls: readonly string[],
  now: number,
  asJson: boolean,
): void {
  const targets = urls.map((url) => splitFragment(url).target);
  const { kinds, rows } = matrixOf(
    policy,
    targets.length > 0 ? targets : namedTargets(policy),
    now,
  );
  const names = kinds.map(({ name }) => name);
  if (asJson) {
    printJson({
      kinds: names,
      rows: rows.map(({ target, outcomes }) => ({
        target,
        gets: Object.fromEntries(names.map((name, at) => [name, outcomes[at]])),
      })),
    });
    return;
  }
  // One kind a column, its name in two lines: the table stays narrow.
  const heads = names.map((name) => name.replace(' ', '\n'));
  print(
    columns([
      ['', ...heads.map((head) => paint.bold(head))],
      ...rows.map(({ target, outcomes }) => [paint.bold(target), ...outcomes.map(outcomeCell)]),
    ]),
  );
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

/** How the section stands that an address names behind `#`, where the policy locks one. */
function sectionOf(
  policy: Policy,
  url: string,
  decision: Decision,
  question: Omit<Question, 'target'>,
  because: Reason[],
): { id: string; locks: string[]; isOpen: boolean; instead: string | undefined } | undefined {
  const { target, id } = splitFragment(url);
  const locks = id === undefined ? undefined : sectionsAt(policy, target).get(id);
  if (id === undefined || locks === undefined) return undefined;
  const section = decideSection(locks, question, because);
  const shutting = section.kind === 'shut' ? section.locks : locks.flat();
  const isPageOpen = decision.kind === 'open' || decision.kind === 'let-in';
  return {
    id,
    locks: [...new Set(shutting.map(({ name }) => name))],
    isOpen: isPageOpen && section.kind !== 'shut',
    instead:
      isPageOpen && section.kind === 'shut' ? insteadOf(lockToAsk(section.locks)) : undefined,
  };
}

/** What stands in the place of a section. */
const insteadOf = (lock: Lock) =>
  lock.outsiders === 'not-found'
    ? 'nothing'
    : asksByScreen(lock)
      ? 'a small form'
      : 'a sentence that it is closed';

/** The visitor that the options describe. */
function visitorOf({ from, person, role = [], signedIn }: ExplainOptions): Visitor {
  if (from !== undefined && (from.includes('/') || !isAddressRange(from))) {
    throw new DorlinError('call-wrong', `\`${from}\` is no address.`, {
      mend: 'Write one IPv4 or IPv6 address, such as `203.0.113.7`.',
    });
  }
  return { address: from, person, roles: role, signedIn: signedIn ?? person !== undefined };
}

/** The mark of the visit that is played here. */
const thisSession = 'explained-by-the-owner';

/** A pass for every lock that the password opens. */
async function tryPassword(policy: Policy, now: number): Promise<{ passes: Pass[] }> {
  const typed = await readStandardInput();
  const passes: Pass[] = [];
  for (const lock of policy.locks.values()) {
    const password = await matchPassword(typed, lock.passwords, nativeHasher);
    if (password === undefined) continue;
    // As a lasting pass where the lock gives one, else bound to a visit that is this call.
    passes.push(
      newPass(lock, password, now, lock.remember.kind === 'visit' ? thisSession : undefined),
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
    (reason.code === 'pass' && reason.standing === 'counts') ||
    (reason.code === 'bypass' && reason.unmet.length === 0)
      ? paint.bold('→')
      : ' ';
  return [mark, reasonText(reason)];
}

function answerOf(decision: Decision): string {
  switch (decision.kind) {
    case 'open':
      return 'the page, untouched';
    case 'let-in': {
      const by =
        decision.bypass === undefined ? '' : ` and Dorlin-Let-In: bypass ${decision.bypass}`;
      return `the page, with Cache-Control: private, no-store${by}`;
    }
    case 'refused':
      return `400, because ${refusalWords[decision.refusal]}`;
    case 'shut':
      return outsiderWords(lockToAsk(decision.locks), locksOf(decision).join(' or '));
  }
}

/** What an outsider gets, in words. */
function outsiderWords(lock: Lock, names: string): string {
  const { outsiders, basic } = lock;
  const tools = basic === true ? '; 401 with a challenge for what is no browser' : '';
  switch (outsiderOutcome(lock)) {
    case 'prompted':
      return `401, and the browser’s own prompt for ${names}`;
    case 'sent-away':
      return `302, sent to ${typeof outsiders === 'string' ? '' : outsiders.redirect}`;
    case 'hidden':
      return 'the site’s own answer to what is not there';
    case 'asked':
      return `403, the screen of ${names} asking for its password${tools}`;
    default:
      return `${outsiders === 'closed' ? 503 : 403}, the screen of ${names}, closed${tools}`;
  }
}

const locksOf = (decision: Decision) =>
  'locks' in decision ? decision.locks.map(({ name }) => name) : [];
