import type { PatrolFinding } from '../finding.js';
import type { PatrolResult } from '../patrol.js';
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
function countsOf(findings: readonly PatrolFinding[]) {
  const count = (severity: PatrolFinding['severity']) => findings.filter((one) => one.severity === severity).length;
  return { leaks: count('leak'), closed: count('closed'), warnings: count('warning') };
}

type Walked = Pick<PatrolResult, 'findings' | 'left' | 'untried'>;

/** Whether everything that is known was asked for: else, that nothing was found proves little. */
export const isWhole = ({ left, untried }: Pick<Walked, 'left' | 'untried'>) => left + untried === 0;

/** Whether a patrol proves that the site holds. */
export const isClean = (result: Walked) =>
  isWhole(result) && result.findings.every(({ severity }) => severity === 'warning');

/** The verdict in one line. */
export function headlineOf({ findings, left, untried }: Walked): string {
  const { leaks, closed, warnings } = countsOf(findings);
  const parts = [
    leaks > 0 ? `${leaks} ${leaks === 1 ? 'leak' : 'leaks'}` : '',
    closed > 0 ? `${closed} ${closed === 1 ? 'door' : 'doors'} closed to those who should get in` : '',
    warnings > 0 ? `${warnings} ${warnings === 1 ? 'warning' : 'warnings'}` : '',
  ].filter((part) => part !== '');
  if (leaks + closed === 0)
    parts.unshift(
      isWhole({ left, untried })
        ? 'Nothing leaks, and nobody is kept out'
        : 'Nothing was found so far, but not all was walked',
    );
  return parts.join(', ');
}
