import type { PatrolFinding } from '../finding.js';
import type { Role } from '../tour.js';

/** Each role in a word or two, as columns are called. */
export const roleWords: Readonly<Record<Role, string>> = {
  stranger: 'stranger',
  'wrong password': 'wrong password',
  guest: 'guest',
  'other guests': 'other guests',
  returning: 'coming back',
  'entry link': 'entry link',
  address: 'bypass address',
  'HTTP Basic': 'HTTP Basic',
  'feed reader': 'feed reader',
  'search engine': 'search engine',
};

/** How many findings there are of each severity. */
export function countsOf(findings: readonly PatrolFinding[]) {
  const count = (severity: PatrolFinding['severity']) =>
    findings.filter((one) => one.severity === severity).length;
  return { leaks: count('leak'), closed: count('closed'), warnings: count('warning') };
}

/** The verdict in one line. */
export function headlineOf(findings: readonly PatrolFinding[]): string {
  const { leaks, closed, warnings } = countsOf(findings);
  const parts = [
    leaks > 0 ? `${leaks} ${leaks === 1 ? 'leak' : 'leaks'}` : '',
    closed > 0 ? `${closed} ${closed === 1 ? 'door' : 'doors'} closed to those who should get in` : '', // prettier-ignore
    warnings > 0 ? `${warnings} ${warnings === 1 ? 'warning' : 'warnings'}` : '',
  ].filter((part) => part !== '');
  if (leaks + closed === 0) parts.unshift('Nothing leaks, and nobody is kept out');
  return parts.join(', ');
}
