import type { Command } from 'commander';
import sparkly from 'sparkly';
import { DorlinError } from '../core/errors.js';
import { journalTypes, type JournalEntry } from '../core/journal/entry.js';
import type { LockSummary } from '../core/journal/summary.js';
import { followEvents, readEvents, type JournalOrder, type JournalResult } from '../owner/journal.js';
import { journalCsv } from '../owner/journal-csv.js';
import { describeSite } from '../owner/site.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { entryWords } from './event-words.js';
import { streams } from './streams.js';
import { columns, counted, paint, print, printJson } from './output.js';
import { untilTold } from './told.js';

interface JournalOptions extends CommonOptions {
  readonly lock?: readonly string[];
  readonly event?: readonly string[];
  readonly since?: string;
  readonly lines?: string;
  readonly csv?: boolean;
  readonly follow?: boolean;
  readonly patrols?: boolean;
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
    .option('--patrols', 'count the visits of patrols as well')
    .action(journal);
}

async function journal(options: JournalOptions): Promise<void> {
  const told = options.follow === true ? untilTold() : undefined;
  if (options.csv === true && options.json === true) {
    throw new DorlinError('call-wrong', '`--csv` and `--json` cannot both be printed.', {
      mend: '',
    });
  }
  const { policy, lock: locks, event: events, since, patrols } = options;
  const order: JournalOrder = { locks, events, since, patrols };
  const lines = linesOf(options.lines);
  const result = await readEvents(policy, order);
  const { timeZone } = (await describeSite(policy)).site;
  if (told !== undefined) {
    if (options.csv === true) printCsv([], true);
    printEntries(lines === 0 ? [] : result.entries.slice(-lines), options, timeZone);
    const stop = await followEvents(policy, order, (more) => {
      printEntries(more, options, timeZone);
    });
    await told;
    await stop();
  } else if (options.csv === true) printCsv(result.entries, true);
  else if (options.json === true) printJson(result);
  else printSummary(result, order, lines, timeZone);
}

function linesOf(text = '12'): number {
  if (/^\d{1,6}$/.test(text)) return Number(text);
  throw new DorlinError('call-wrong', `\`${text}\` is no number of lines.`, { mend: '' });
}

function printCsv(entries: readonly JournalEntry[], header: boolean): void {
  streams().out.write(journalCsv(entries, header));
}

/** One line for each, in the form that was asked for. */
function printEntries(entries: readonly JournalEntry[], options: JournalOptions, timeZone: string): void {
  if (options.csv === true) printCsv(entries, false);
  else if (options.json === true) for (const entry of entries) print(JSON.stringify(entry));
  else if (entries.length > 0) print(columns(entries.map((entry) => entryRow(entry, timeZone))));
}

function entryRow(entry: JournalEntry, timeZone: string): string[] {
  const [what, ...more] = entryWords(entry);
  return [paint.dim(timeOf(entry.at, timeZone)), what, more.join(' '), paint.dim(entry.from ?? '')];
}

const timeOf = (at: string | undefined, timeZone: string) =>
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
  result: JournalResult,
  { locks: wanted = [], since }: JournalOrder,
  lines: number,
  timeZone: string,
): void {
  const { entries, patrolEvents, site } = result;
  const summary = result;
  const isShown = ({ lock }: { readonly lock: string }) => wanted.length === 0 || wanted.includes(lock);
  const first = entries[0];
  print(
    first === undefined
      ? `${paint.bold(site)}: nothing has happened at the locks${since === undefined ? '' : ' since then'}.`
      : `${paint.bold(site)}: ${counted(entries.length, 'event')} at the locks since ${timeOf(first.at, timeZone)}`,
  );
  if (patrolEvents > 0)
    print(paint.dim(`${counted(patrolEvents, 'event')} of patrols left out; --patrols counts them.`));
  print();
  const dim = (cells: readonly string[]) => cells.map((cell) => paint.dim(cell));
  const locks = summary.locks.filter(isShown);
  const scale = (of: 'openedByDay' | 'wrongByDay') => Math.max(1, ...locks.flatMap((lock) => lock[of]));
  const most = { opened: scale('openedByDay'), wrong: scale('wrongByDay') };
  print(
    columns([
      dim(['lock', axis(summary.days), 'opened', 'last', 'wrong', 'met']),
      ...locks.flatMap((lock) => lockRows(lock, most, timeZone)),
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
          kind === 'password' ? label : `${label} ${paint.dim(kind === 'link' ? '(link)' : '(gone)')}`,
          used === 0 ? paint.yellow('never') : counted(used, 'time'),
          timeOf(lastUsed, timeZone),
        ]),
      ]),
    );
    print();
  }
  for (const { text, mend } of result.standsOut) {
    print(`${paint.yellow('•')} ${text}`);
    print(paint.dim(`  ${mend}`));
  }
  if (result.standsOut.length > 0) print();
  if (lines > 0 && entries.length > 0) printEntries(entries.slice(-lines), {} as JournalOptions, timeZone);
}

/** The two ends of a chart's days. */
function axis(days: readonly string[]): string {
  const short = (day = '') => new Date(`${day}T12:00Z`).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' });
  const [from, to] = [short(days[0]), short(days.at(-1))];
  return from + ' '.repeat(Math.max(1, days.length - from.length - to.length)) + to;
}

/** A row of bars for what opened, and one beneath it for wrong passwords, where there were any. */
function lockRows(
  { lock, opened, wrong, met, waiting, lastOpened, openedByDay, wrongByDay }: LockSummary,
  most: { readonly opened: number; readonly wrong: number },
  timeZone: string,
): string[][] {
  const bars = (counts: readonly number[], maximum: number) =>
    sparkly([...counts], { minimum: 0, maximum }).replace(/▁/g, (bar, at: number) => (counts[at] === 0 ? '·' : bar));
  const row = [
    paint.bold(lock),
    paint.green(bars(openedByDay, most.opened)),
    opened.toLocaleString('en'),
    timeOf(lastOpened, timeZone),
    wrong === 0 ? paint.dim('0') : paint.yellow(wrong.toLocaleString('en')),
    met.toLocaleString('en'),
  ];
  if (wrong === 0) return [row];
  const stopped = waiting === 0 ? '' : paint.dim(`${waiting.toLocaleString('en')} not tried`);
  return [row, [paint.dim('  wrong'), paint.yellow(bars(wrongByDay, most.wrong)), '', '', stopped, '']];
}
