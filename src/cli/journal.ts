import { stringify } from 'csv-stringify/sync';
import type { Command } from 'commander';
import { closest } from 'fastest-levenshtein';
import sparkly from 'sparkly';
import { DorlinError } from '../core/errors.js';
import { journalTypes, type JournalEntry } from '../core/journal/entry.js';
import {
  isWanted,
  summarize,
  type JournalFilter,
  type LockSummary,
} from '../core/journal/summary.js';
import type { Policy } from '../core/policy/types.js';
import { parseSpan } from '../core/policy/span.js';
import { parseMoment } from '../core/windows/moment.js';
import { followJournal, journalFile, readJournal } from '../stores/journal-file.js';
import { loadPolicy } from '../stores/policy-file.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { entryWords } from './event-words.js';
import { columns, counted, paint, print, printJson } from './output.js';
import { lockNamed } from './password-writing.js';
import { untilTold } from './told.js';

interface JournalOptions extends CommonOptions {
  readonly lock?: readonly string[];
  readonly event?: readonly string[];
  readonly since?: string;
  readonly lines?: string;
  readonly csv?: boolean;
  readonly follow?: boolean;
}

export function command(summary: string): Command {
  return makePolicyCommand(
    'journal',
    summary,
    "dorlin journal --since '7 days' --lock members\ndorlin journal --event wrong --csv > tries.csv",
  )
    .option('--lock <lock...>', 'of these locks only')
    .option('--event <type...>', `of these events only: ${journalTypes.join(', ')}`)
    .option('--since <time>', 'from this moment on, or so far back: 2026-11-01, or `7 days`')
    .option('--lines <count>', 'how many of the last events to print', '12')
    .option('--csv', 'print the events as CSV (RFC 4180)')
    .option('--follow', 'go on printing events as they happen')
    .action(journal);
}

async function journal(options: JournalOptions): Promise<void> {
  const told = options.follow === true ? untilTold() : undefined;
  const policy = await loadPolicy(options.policy);
  const file = journalFile(options.policy, policy);
  if (file === undefined || policy.journal === undefined) {
    throw new DorlinError('journal-off', `${options.policy} keeps no journal.`);
  }
  if (options.csv === true && options.json === true) {
    throw new DorlinError('call-wrong', '`--csv` and `--json` cannot both be printed.', {
      mend: '',
    });
  }
  const filter = filterOf(options, policy);
  const lines = linesOf(options.lines);
  const entries = await readJournal(file, policy.journal.keepSeconds);
  const wanted = entries.filter((entry) => isWanted(entry, filter));
  if (told !== undefined) {
    if (options.csv === true) printCsv([], true);
    const show = (more: readonly JournalEntry[]) => {
      printEntries(
        more.filter((entry) => isWanted(entry, filter)),
        options,
        policy,
      );
    };
    printEntries(lines === 0 ? [] : wanted.slice(-lines), options, policy);
    const stop = await followJournal(file, show);
    await told;
    await stop();
  } else if (options.csv === true) printCsv(wanted, true);
  else if (options.json === true) {
    printJson({ ...summarize(wanted, policy, Date.now() / 1000), entries: wanted });
  } else printSummary(wanted, policy, filter, lines);
}

function filterOf({ lock = [], event = [], since }: JournalOptions, policy: Policy): JournalFilter {
  for (const name of lock) lockNamed(policy, name);
  for (const type of event) {
    if ((journalTypes as readonly string[]).includes(type)) continue;
    throw new DorlinError('call-wrong', `There is no event \`${type}\`.`, {
      mend: `Did you mean \`${closest(type, journalTypes)}\`? There are: ${journalTypes.join(', ')}.`,
    });
  }
  if (since === undefined) return { locks: lock, types: event };
  const span = parseSpan(since);
  const moment =
    span === undefined
      ? parseMoment(since, policy.site.timeZone, 'earlier')
      : Date.now() / 1000 - span;
  if (moment === undefined) {
    throw new DorlinError('call-wrong', `\`${since}\` is neither a moment nor a span of time.`, {
      mend: 'Write for example `2026-11-01`, `2026-11-01T09:00` or `7 days`.',
    });
  }
  return { locks: lock, types: event, since: moment };
}

function linesOf(text = '12'): number {
  if (/^\d{1,6}$/.test(text)) return Number(text);
  throw new DorlinError('call-wrong', `\`${text}\` is no number of lines.`, { mend: '' });
}

const csvColumns = ['at', 'type', 'lock', 'opener', 'label', 'path', 'section', 'refusal', 'from', 'count'] as const; // prettier-ignore

function printCsv(entries: readonly JournalEntry[], header: boolean): void {
  // Spreadsheets take what begins with `=` for a formula, and paths come from visitors.
  const text = stringify([...entries], { header, columns: [...csvColumns], escape_formulas: true });
  process.stdout.write(text);
}

/** One line for each, in the form that was asked for. */
function printEntries(
  entries: readonly JournalEntry[],
  options: JournalOptions,
  policy: Policy,
): void {
  if (options.csv === true) printCsv(entries, false);
  else if (options.json === true) for (const entry of entries) print(JSON.stringify(entry));
  else if (entries.length > 0) print(columns(entries.map((entry) => entryRow(entry, policy))));
}

function entryRow(entry: JournalEntry, policy: Policy): string[] {
  const [what, ...more] = entryWords(entry);
  return [paint.dim(timeOf(entry.at, policy)), what, more.join(' '), paint.dim(entry.from ?? '')];
}

const timeOf = (at: string | undefined, { site: { timeZone } }: Policy) =>
  at === undefined
    ? ''
    : new Date(at).toLocaleString('en-GB', {
        timeZone,
        day: 'numeric',
        month: 'short',
        hour: '2-digit',
        minute: '2-digit',
      });

function printSummary(
  entries: readonly JournalEntry[],
  policy: Policy,
  filter: JournalFilter,
  lines: number,
): void {
  const summary = summarize(entries, policy, Date.now() / 1000);
  const isShown = ({ lock }: { readonly lock: string }) =>
    filter.locks.length === 0 || filter.locks.includes(lock);
  const first = entries[0];
  print(
    first === undefined
      ? `${paint.bold(policy.site.name)}: nothing has happened at the locks${filter.since === undefined ? '' : ' since then'}.`
      : `${paint.bold(policy.site.name)}: ${counted(entries.length, 'event')} at the locks since ${timeOf(first.at, policy)}`,
  );
  print();
  const dim = (cells: readonly string[]) => cells.map((cell) => paint.dim(cell));
  const locks = summary.locks.filter(isShown);
  const scale = (of: 'openedByDay' | 'wrongByDay') =>
    Math.max(1, ...locks.flatMap((lock) => lock[of]));
  const most = { opened: scale('openedByDay'), wrong: scale('wrongByDay') };
  print(
    columns([
      dim(['lock', axis(summary.days), 'opened', 'last', 'wrong', 'met']),
      ...locks.flatMap((lock) => lockRows(lock, most, policy)),
    ]),
  );
  print();
  const openers = summary.openers.filter(isShown);
  if (openers.length > 0) {
    print(
      columns([
        dim(['lock', 'password or link', 'used', 'last']),
        ...openers.map(({ lock, label, kind, used, lastUsed }) => [
          lock,
          kind === 'password'
            ? label
            : `${label} ${paint.dim(kind === 'link' ? '(link)' : '(gone)')}`,
          used === 0 ? paint.yellow('never') : counted(used, 'time'),
          timeOf(lastUsed, policy),
        ]),
      ]),
    );
    print();
  }
  if (lines > 0 && entries.length > 0)
    printEntries(entries.slice(-lines), {} as JournalOptions, policy);
}

/** The two ends of a chart's days. */
function axis(days: readonly string[]): string {
  const short = (day = '') =>
    new Date(`${day}T12:00Z`).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' });
  const [from, to] = [short(days[0]), short(days.at(-1))];
  return from + ' '.repeat(Math.max(1, days.length - from.length - to.length)) + to;
}

/** A row of bars for what opened, and one beneath it for wrong passwords, where there were any. */
function lockRows(
  { lock, opened, wrong, met, waiting, lastOpened, openedByDay, wrongByDay }: LockSummary,
  most: { readonly opened: number; readonly wrong: number },
  policy: Policy,
): string[][] {
  const bars = (counts: readonly number[], maximum: number) =>
    sparkly([...counts], { minimum: 0, maximum }).replace(/▁/g, (bar, at: number) =>
      counts[at] === 0 ? '·' : bar,
    );
  const row = [
    paint.bold(lock),
    paint.green(bars(openedByDay, most.opened)),
    opened.toLocaleString('en'),
    timeOf(lastOpened, policy),
    wrong === 0 ? paint.dim('0') : paint.yellow(wrong.toLocaleString('en')),
    met.toLocaleString('en'),
  ];
  if (wrong === 0) return [row];
  const stopped = waiting === 0 ? '' : paint.dim(`${waiting.toLocaleString('en')} not tried`);
  return [
    row,
    [paint.dim('  wrong'), paint.yellow(bars(wrongByDay, most.wrong)), '', '', stopped, ''],
  ];
}
