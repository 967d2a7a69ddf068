import { stringify } from 'csv-stringify/sync';
import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import { listRequests, type RequestList } from '../owner/requests.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { streams } from './streams.js';
import { columns, counted, paint, print, printJson } from './output.js';

interface RequestsOptions extends CommonOptions {
  readonly lock?: string[];
  readonly csv?: boolean;
}

export function command(summary: string): Command {
  return makePolicyCommand('requests', summary, 'dorlin requests --lock schools\ndorlin requests --csv > teachers.csv')
    .option('--lock <lock...>', 'at these locks only')
    .option('--csv', 'print them as CSV (RFC 4180)')
    .action(requests);
}

async function requests({ policy, lock, csv, json }: RequestsOptions): Promise<void> {
  if (csv === true && json === true) {
    throw new DorlinError('call-wrong', '`--csv` and `--json` cannot both be printed.', {
      mend: '',
    });
  }
  const found = await listRequests(policy, lock);
  if (json === true) printJson(found);
  else if (csv === true) printCsv(found);
  else printList(found);
}

function printCsv({ requests: all }: RequestList): void {
  // Spreadsheets take a cell that begins with `=` for a formula, and an address may.
  const columnNames = ['at', 'lock', 'address', 'language', 'consent', 'gives', 'sent'];
  const cast = { boolean: (value: boolean) => (value ? 'yes' : 'no') };
  streams().out.write(stringify([...all], { header: true, columns: columnNames, escape_formulas: true, cast }));
}

function printList({ site, requests: all }: RequestList): void {
  if (all.length === 0) {
    print(`${paint.bold(site)}: nobody has left an address yet.`);
    return;
  }
  print(`${paint.bold(site)}: ${counted(all.length, 'address', 'addresses')} left`);
  print();
  const rows = all.map(({ at, lock, address, gives, sent, consent }) => [
    paint.dim(at.slice(0, 16).replace('T', ' ')),
    lock,
    address,
    gives === 'nothing' ? 'kept' : sent ? `sent the ${gives}` : paint.yellow('not sent'),
    paint.dim(consent.length > 60 ? `${consent.slice(0, 59)}…` : consent),
  ]);
  print(columns(rows));
}
