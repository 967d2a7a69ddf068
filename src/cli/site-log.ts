import type { Lock, Policy } from '../core/policy/compile.js';
import { formatMoment } from '../core/windows/moment.js';
import { reviewPolicies } from '../core/policy/review.js';
import { spanWords } from '../core/screen/languages.js';
import type { GuardEvent } from '../guard/events.js';
import type { PolicyNews } from '../stores/policy-file.js';
import { knownTargets } from './change.js';
import { columns, counted, paint, print } from './output.js';

/** The policy in a few lines: each lock, what it covers and how it opens. */
export function printPolicy(policy: Policy, source: string): void {
  print(`${paint.bold(policy.site.name)} ${paint.dim(`by ${source}`)}`);
  print();
  const rows = [...policy.locks.values()].flatMap((lock) => {
    const places = lock.covers.map(({ text }) => text).join(' ');
    const how = lock.enabled
      ? howItOpens(lock) + whenItCounts(lock, policy.site.timeZone)
      : paint.yellow('switched off');
    const [first = '', second = '', ...more] = lock.except.map(({ text }) => text);
    const except = `${first} ${second}${more.length > 0 ? ` and ${more.length} more` : ''}`.trim();
    const row = [paint.bold(lock.name), places, how];
    return except === '' ? [row] : [row, ['', paint.dim(`but not ${except}`), '']];
  });
  print(rows.length === 0 ? '  No locks yet: everything is open.' : columns(rows));
}

/** The lock's window in words; nothing where it always counts. */
export function whenItCounts(
  { window: { from, until } }: Pick<Lock, 'window'>,
  timeZone: string,
): string {
  const now = Date.now() / 1000;
  const at = (seconds: number) => formatMoment(seconds, timeZone);
  if (until !== undefined && now >= until) return paint.yellow(`, ended ${at(until)}`);
  if (from !== undefined && now < from) return paint.yellow(`, begins ${at(from)}`);
  return until === undefined ? '' : `, until ${at(until)}`;
}

function howItOpens(lock: Lock): string {
  const { passwords, importedUsers, links, remember, bypasses, basic } = lock;
  const names = bypasses.map(({ name }) => name).join(', ');
  const ways = [
    passwords.length > 0 && counted(passwords.length, 'password'),
    importedUsers.length > 0 && counted(importedUsers.length, 'imported user'),
    links.length > 0 && counted(links.length, 'entry link'),
  ].filter((way) => way !== false);
  if (ways.length === 0) {
    return names === '' ? paint.yellow('no password: closed to all') : `by bypass only: ${names}`;
  }
  const lasting =
    remember.kind === 'visit'
      ? 'for one visit'
      : `${remember.kind === 'choice' ? 'if wished ' : ''}for ${spanWords(remember.seconds, 'en')}`;
  const orBypass = names === '' ? '' : `; bypass ${names}`;
  const prompt =
    basic === false ? '' : basic === 'always' ? '; asks by HTTP Basic' : '; HTTP Basic';
  return `${ways.join(', ')}, ${lasting}${orBypass}${prompt}`;
}

/** What to say of a lock that has no password. */
export function withoutPassword({ name, bypasses, links }: Lock): string {
  const ways = [
    ...(links.length === 0 ? [] : [counted(links.length, 'entry link')]),
    ...(bypasses.length === 0 ? [] : [`bypass (${bypasses.map((one) => one.name).join(', ')})`]),
  ];
  return ways.length === 0
    ? `${name} has no password, so nobody gets in.`
    : `${name} has no password: in by ${ways.join(' or ')} only.`;
}

/** What a site tells while it runs: one line, or one JSON object, per event. */
export interface SiteLog extends PolicyNews {
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
      else line(...eventWords(event), paint.dim(event.address));
    },
    onBroken(problems) {
      if (asJson) json({ type: 'policy-broken', problems });
      else
        line(
          paint.red('the policy is broken; the one before it stays in force:'),
          `\n  ${problems.replaceAll('\n', '\n  ')}`,
        );
    },
    onChange(before, after) {
      void knownTargets(policyFile, after, []).then((targets) => {
        const { opened, closed, moved } = reviewPolicies(before, after, targets, Date.now() / 1000);
        if (asJson) json({ type: 'policy-changed', opened, closed, moved });
        else if (opened.length + closed.length === 0) {
          line(paint.bold('the policy changed:'), 'nothing opened, nothing closed');
        } else {
          line(
            paint.bold('the policy changed:'),
            `${counted(opened.length, 'address', 'addresses')} opened, ${counted(closed.length, 'address', 'addresses')} closed`,
          );
        }
      });
    },
  };
}

function eventWords(event: GuardEvent): [string, ...string[]] {
  switch (event.type) {
    case 'asked':
      return ['asked at', printable(event.path), `(${event.lock})`];
    case 'closed':
      return ['turned away at', printable(event.path), `(${event.lock})`];
    case 'unlocked':
      return [paint.green('unlocked'), event.lock, `by ${event.label}`];
    case 'wrong':
      return [paint.yellow('wrong password'), event.lock];
    case 'waiting':
      return [paint.yellow('too many tries, not tried'), event.lock];
    case 'busy':
      return [paint.yellow('too busy to try a password')];
    case 'entered':
      return [paint.green('entered'), event.lock, `by the link for ${event.label}`];
    case 'section-missing':
      return [paint.red(`a page has no section #${event.id}, so all of it is shut`), event.lock];
    case 'dead-link':
      return [paint.yellow('an entry link that opens nothing')];
    case 'left':
      return ['left, passes forgotten'];
    case 'refused':
      return [paint.yellow('refused an address'), `(${event.refusal})`];
    case 'failed':
      return [paint.red('failed, so nobody was let in:'), printable(event.message)];
  }
}

/** What came from a visitor, without anything that would move a terminal's cursor. */
function printable(text: string): string {
  return text.replace(/[^\x20-\x7e]/g, '?');
}
