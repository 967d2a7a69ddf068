import { reviewPolicies } from '../core/policy/review.js';
import type { GuardEvent } from '../guard/events.js';
import { knownTargets } from '../owner/change.js';
import type { LockStanding } from '../owner/lock-settings.js';
import type { LockList } from '../owner/locks.js';
import type { PolicyNews } from '../stores/policy-file.js';
import { printChange } from './change-words.js';
import { printable } from '../core/journal/words.js';
import { entryWords } from './event-words.js';
import { columns, counted, paint, print } from './output.js';

/** The policy in a few lines: each lock, what it covers and how it opens. */
export function printPolicy({ site, locks }: LockList, source: string): void {
  print(`${paint.bold(site)} ${paint.dim(`by ${source}`)}`);
  print();
  const rows = locks.flatMap((lock) => {
    const how = lock.enabled ? howItOpens(lock) + whenItCounts(lock) : paint.yellow('switched off');
    const [first = '', second = '', ...more] = lock.except;
    const except = `${first} ${second}${more.length > 0 ? ` and ${more.length} more` : ''}`.trim();
    const row = [paint.bold(lock.name), lock.covers.join(' '), how];
    return except === '' ? [row] : [row, ['', paint.dim(`but not ${except}`), '']];
  });
  print(rows.length === 0 ? '  No locks yet: everything is open.' : columns(rows));
}

/** The lock's window in words; nothing where it always counts. */
export function whenItCounts({ standing, from = '', until = '' }: LockStanding): string {
  if (standing === 'ended') return paint.yellow(`, ended ${until}`);
  if (standing === 'not-yet') return paint.yellow(`, begins ${from}`);
  return until === '' ? '' : `, until ${until}`;
}

function howItOpens(lock: LockStanding): string {
  const { passwords, links, remember, bypasses, basic } = lock;
  const names = bypasses.join(', ');
  const ways = [passwords > 0 && counted(passwords, 'password'), links > 0 && counted(links, 'entry link')].filter(
    (way) => way !== false,
  );
  if (ways.length === 0) {
    return names === '' ? paint.yellow('no password: closed to all') : `by bypass only: ${names}`;
  }
  const lasting = remember === 'visit' ? 'for one visit' : `for ${remember.replace(/^choice: (.*)/, '$1 if wished')}`;
  const orBypass = names === '' ? '' : `; bypass ${names}`;
  const prompt = basic === false ? '' : basic === 'always' ? '; asks by HTTP Basic' : '; HTTP Basic';
  return `${ways.join(', ')}, ${lasting}${orBypass}${prompt}`;
}

/** What to say of a lock that has no password. */
export function withoutPassword({ name, bypasses, links }: LockStanding): string {
  const ways = [
    ...(links === 0 ? [] : [counted(links, 'entry link')]),
    ...(bypasses.length === 0 ? [] : [`bypass (${bypasses.join(', ')})`]),
  ];
  return ways.length === 0
    ? `${name} has no password, so nobody gets in.`
    : `${name} has no password: in by ${ways.join(' or ')} only.`;
}

/** What a site tells while it runs: one line, or one JSON object, per event. */
export interface SiteLog extends PolicyNews {
  readonly onJournalFailed: (problem: string) => void;
  readonly onEvent: (event: GuardEvent) => void;
}

export function siteLog(policyFile: string, asJson: boolean, timeZone: string): SiteLog {
  const line = (what: string, ...more: string[]) => {
    const time = new Date().toLocaleTimeString('en-GB', { timeZone });
    print([paint.dim(time), what, ...more].join('  '));
  };
  const json = (value: object) => {
    print(JSON.stringify({ at: new Date().toISOString(), ...value }));
  };
  return {
    onEvent(event) {
      if (asJson) json(event);
      else if (event.type === 'failed') {
        line(paint.red('failed, so nobody was let in:'), printable(event.message));
      } else if (event.type === 'request-failed') {
        line(...entryWords(event), printable(event.message));
      } else line(...entryWords(eventAsEntry(event)), paint.dim(event.address));
    },
    onJournalFailed(problem) {
      if (asJson) json({ type: 'journal-failed', problem });
      else line(paint.red('the journal cannot be written:'), problem);
    },
    onBroken(problems) {
      if (asJson) json({ type: 'policy-broken', problems });
      else
        line(
          paint.red('the policy is broken; the one before it stays in force:'),
          `\n  ${problems.replaceAll('\n', '\n  ')}`,
        );
    },
    onChange(before, after, opensAfter) {
      void knownTargets(policyFile, after, []).then((targets) => {
        const review = reviewPolicies(before, after, targets, Date.now() / 1000);
        const { opened, closed, groups, ways, putsOut } = review;
        if (asJson) {
          json({ type: 'policy-changed', opensAfter, ...review });
        } else {
          line(
            paint.bold('the policy changed:'),
            `${counted(opened.length, 'address', 'addresses')} opened, ${counted(closed.length, 'address', 'addresses')} closed`,
          );
          if (opensAfter > 0) {
            print(paint.dim(`  What it opens counts when the file has lain still for ${opensAfter} seconds.`));
          }
          if (groups.length + ways.length > 0 || putsOut) printChange(review);
        }
      });
    },
  };
}

/** An event in the terms of the journal. */
export function eventAsEntry(event: GuardEvent): Parameters<typeof entryWords>[0] {
  return 'id' in event ? { ...event, section: event.id } : event;
}
