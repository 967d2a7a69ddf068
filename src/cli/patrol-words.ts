import { patrolTable } from '../patrol/finding-table.js';
import { headlineOf, isClean, roleWords } from '../patrol/reports/said.js';
import { groupedFindings, type PatrolGroup } from '../patrol/reports/grouped.js';
import type { PatrolResult } from '../patrol/patrol.js';
import type { Cell, Row } from '../patrol/rows.js';
import { roles } from '../patrol/tour.js';
import { columns, counted, paint, print } from './output.js';
import { wrapped } from './wrapped.js';

/** Most lines of one finding that are shown; `--json` and the reports have all. */
const mostLines = 4;

/** Tells a person what a patrol found: the verdict, places × roles, each finding with its mend. */
export function printPatrol(result: PatrolResult): void {
  const { findings, rows } = result;
  const isFaulty = findings.some(({ severity }) => severity !== 'warning');
  const headline = (isClean(result) ? paint.green : isFaulty ? paint.red : paint.yellow)(headlineOf(result));
  print(`${paint.bold(result.site ?? result.origin)}: ${headline}`);
  const megabytes = `${(result.bytes / 1e6).toFixed(1)} MB`;
  print(
    paint.dim(
      `${counted(result.addresses, 'address', 'addresses')} of ${result.origin} walked, ${counted(result.requests, 'request')}, ${megabytes}, ${result.seconds.toFixed(0)} s`,
    ),
  );
  if (result.left > 0)
    print(
      paint.yellow(
        `${counted(result.left, 'address', 'addresses')} more are known and were not walked: raise --pages or --minutes, or go on with --resume`,
      ),
    );
  if (result.untried > 0)
    print(
      paint.yellow(
        `${counted(result.untried, 'way')} around the locks not tried, as the time was over: raise --minutes`,
      ),
    );
  print();
  printTable(rows);
  for (const group of groupedFindings(findings)) printGroup(group);
  if (result.notPlayed.length > 0) print();
  for (const { role, lock, why } of result.notPlayed) {
    print(paint.dim(wrapped(`Not played: ${role}${lock === '' ? '' : ` of ${lock}`}, as ${why}.`, 0)));
  }
}

function printTable(rows: readonly Row[]): void {
  const played = roles.filter((role) => rows.some(({ cells }) => cells[role] !== undefined));
  const heads = played.map((role) => paint.bold(roleWords[role].replace(' ', '\n')));
  print(
    columns(
      [
        ['', '', ...heads],
        ...rows.map(({ place, lock, addresses, cells }) => [
          `${paint.bold(place)}${lock === '' ? '' : `\n${paint.dim(`  ${lock}`)}`}`,
          paint.dim(addresses.toLocaleString('en')),
          ...played.map((role) => cellText(cells[role])),
        ]),
      ],
      2,
      2,
    ),
  );
}

function cellText(cell: Cell | undefined): string {
  if (cell === undefined) return paint.dim('·');
  if (cell.verdict === 'leak') return paint.bold(paint.red('LEAK'));
  if (cell.verdict === 'closed') return paint.bold(paint.red('KEPT OUT'));
  if (cell.seen === 'let in') return paint.green('let in');
  return cell.seen;
}

function printGroup({ code, severity, places, lock, lines }: PatrolGroup): void {
  const { title, why, mend } = patrolTable[code];
  const mark = severity === 'warning' ? paint.yellow('warning') : paint.red(severity === 'leak' ? 'leak' : 'kept out');
  const [place = ''] = places;
  const about = places.length === 1 ? place : `${places.length.toLocaleString('en')} places, such as ${place}`;
  print();
  print(`  ${mark}  ${paint.bold(title)} ${paint.dim(`[${code}]`)}`);
  print(paint.dim(`    ${about}${lock === '' ? '' : `, lock ${lock}`}`));
  for (const { where, how, words } of lines.slice(0, mostLines)) {
    print(`    • ${wrapped(`${shown(where)} ${paint.dim(how)}`, 6)}`);
    if (words !== undefined && words !== '') print(`      ${paint.yellow(wrapped(`“${words}”`, 6))}`);
  }
  const more = lines.slice(mostLines).reduce((sum, { cases }) => sum + cases, 0);
  if (more > 0) print(paint.dim(`      and ${more.toLocaleString('en')} more`));
  print(`    ${paint.dim(wrapped(why, 4))}`);
  print(`    ${paint.cyan('→')} ${wrapped(mend, 6)}`);
}

/** Control characters of an address would draw on the terminal. */
const shown = (target: string) => target.replace(/[\x00-\x1f\x7f-\x9f]/g, '?');
