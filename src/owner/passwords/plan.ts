import { DorlinError } from '../../core/errors.js';
import { parseSpan, spanExample } from '../../core/policy/span.js';
import type { Policy } from '../../core/policy/types.js';
import { localTime, momentText, parseMoment } from '../../core/windows/moment.js';
import { readSpan, readWhen } from '../../core/windows/when.js';
import { loadPolicy } from '../../stores/policy-file.js';
import { lockNamed, passwordsOf } from '../named.js';
import { choosePassword, siteWordsOf, usualWords } from './new-password.js';
import { writePasswords } from './write-password.js';

/** Passwords made ahead, each with its window. */
export interface PlanOrder {
  /** How long each is for: `month`, `week`, or a span such as `14 days`. */
  readonly every: string;
  readonly count: number;
  /** How long each goes on beside the next, such as `7 days`. */
  readonly overlap?: string | undefined;
  /** When the first begins: a moment, or a span from now; else with the next month or week, or now. */
  readonly from?: string | undefined;
  /** What all labels begin with. */
  readonly label?: string | undefined;
  readonly words?: number | undefined;
}

/** One password of a plan. */
export interface PlannedPassword {
  readonly id: string;
  readonly label: string;
  readonly from: string;
  readonly until: string;
  readonly password: string;
}

export interface PasswordPlan {
  readonly lock: string;
  readonly passwords: readonly PlannedPassword[];
  /** Labels of those that the lock had and that have no end: they go on beside the plan. */
  readonly goOn: readonly string[];
}

/** Most passwords that are planned at once; each costs a hash at every try. */
const mostAtOnce = 60;

/**
 * Makes passwords ahead: one for each month, week or span, each with its window.
 * @throws DorlinError `plan-invalid`, `time-invalid`, `label-taken`, `lock-unknown`, and those of an edit
 */
export async function planPasswords(policyFile: string, name: string, order: PlanOrder): Promise<PasswordPlan> {
  const policy = await loadPolicy(policyFile);
  const lock = lockNamed(policy, name);
  if (!Number.isInteger(order.count) || order.count < 1 || order.count > mostAtOnce) {
    throw new DorlinError('plan-invalid', `A plan has 1 to ${mostAtOnce} passwords.`);
  }
  const drafts = [];
  for (const { label, from, until } of periods(policy, order)) {
    const wanted = { words: order.words ?? usualWords };
    const { password } = await choosePassword(wanted, siteWordsOf(policy, name, label));
    drafts.push({ label, from, until, password });
  }
  const goOn = passwordsOf(lock)
    .filter(({ window }) => window.until === undefined)
    .map(({ label }) => label);
  const { ids } = await writePasswords(policyFile, name, drafts);
  return {
    lock: name,
    passwords: drafts.map((draft, at) => ({ id: ids[at] ?? '', ...draft })),
    goOn,
  };
}

interface Period {
  readonly label: string;
  readonly from: string;
  readonly until: string;
}

const day = 86_400;

/** The windows of a plan, one behind the other. */
function periods({ site }: Policy, order: PlanOrder): Period[] {
  const { timeZone } = site;
  const now = Date.now() / 1000;
  const given =
    order.from === undefined ? undefined : readWhen(order.from, { name: '--from', zone: timeZone, now }).seconds;
  const next = stepsOf(order.every, given, now, timeZone);
  const overlap = order.overlap === undefined ? 0 : readSpan(order.overlap, '--overlap');
  return Array.from({ length: order.count }, (_, at) => {
    const [from, end] = [next(at), next(at + 1)];
    const until = laterBy(end, overlap, timeZone);
    if (until <= now)
      throw new DorlinError(
        'plan-invalid',
        `The plan would be past already: it begins at ${momentText(from, timeZone)}.`,
      );
    const label = labelOf(order.every, from, end, site);
    return {
      label: order.label === undefined ? label : `${order.label}, ${label}`,
      from: momentText(from, timeZone),
      until: momentText(until, timeZone),
    };
  });
}

/** The beginnings of the periods, in seconds since 1970. */
function stepsOf(every: string, given: number | undefined, now: number, zone: string): (at: number) => number {
  const local = new Date(localTime(given ?? now, zone));
  const clock = given === undefined ? '' : local.toISOString().slice(10, 16);
  const at = (date: Date) => {
    const moment = parseMoment(date.toISOString().slice(0, 10) + clock, zone, 'earlier');
    if (moment === undefined) throw new DorlinError('plan-invalid', 'The plan leads too far.');
    return moment;
  };
  const [year, month, date] = [local.getUTCFullYear(), local.getUTCMonth(), local.getUTCDate()];
  const word = every.trim().toLowerCase().replace(/^1 /, '');
  if (word === 'month' || word === 'monthly') {
    const first = given === undefined ? 1 : 0;
    const onDay = given === undefined ? 1 : date;
    // A month without that day: its last one, as the 31st is followed by the 30th or the 28th.
    return (step) => {
      const last = new Date(Date.UTC(year, month + first + step + 1, 0)).getUTCDate();
      return at(new Date(Date.UTC(year, month + first + step, Math.min(onDay, last))));
    };
  }
  if (word === 'week' || word === 'weekly') {
    // The week begins on Monday (ISO 8601).
    const ahead = given === undefined ? (8 - local.getUTCDay()) % 7 || 7 : 0;
    return (step) => at(new Date(Date.UTC(year, month, date + ahead + 7 * step)));
  }
  const span = parseSpan(every);
  if (span === undefined || span < 3600) {
    throw new DorlinError('plan-invalid', `\`${every}\` is no time for a password to last.`, {
      mend: `Write \`month\`, \`week\`, or a span of an hour or more, such as ${spanExample}.`,
    });
  }
  if (span % day !== 0) {
    const start = given ?? Math.ceil(now / 60) * 60;
    return (step) => start + step * span;
  }
  const days = span / day;
  return (step) => at(new Date(Date.UTC(year, month, date + days * step)));
}

/** A moment so much later; whole days by the calendar, whatever clocks do between. */
function laterBy(moment: number, seconds: number, zone: string): number {
  if (seconds === 0 || seconds % day !== 0) return moment + seconds;
  const local = localTime(moment, zone);
  const date = new Date(Date.parse(`${local.slice(0, 10)}T00:00Z`) + seconds * 1000);
  return parseMoment(date.toISOString().slice(0, 10) + local.slice(10, 16), zone, 'earlier') ?? moment + seconds;
}

/** What a period is called, in the site's language: `December 2026`, `30 November – 6 December 2026`. */
function labelOf(every: string, from: number, end: number, { languages, timeZone }: Policy['site']): string {
  const tag = languages[0] ?? 'en';
  const format = (options: Intl.DateTimeFormatOptions) => new Intl.DateTimeFormat(tag, { timeZone, ...options });
  if (/^(?:1 )?month/i.test(every.trim()) && localTime(from, timeZone).slice(8, 10) === '01') {
    return format({ month: 'long', year: 'numeric' }).format(from * 1000);
  }
  return end - from < day
    ? format({ dateStyle: 'long', timeStyle: 'short' }).formatRange(from * 1000, end * 1000)
    : format({ dateStyle: 'long' }).formatRange(from * 1000, (end - 60) * 1000);
}
