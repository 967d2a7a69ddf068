import { standing } from '../owner/standing.js';
import { columns, counted, paint, print, printJson } from './output.js';
import { timeWords } from './lock.js';

/** What `dorlin` alone says: where one stands, and what comes next. */
export async function start(asJson: boolean): Promise<void> {
  const found = await standing('dorlin.yaml');
  if (asJson) {
    printJson(found);
    return;
  }
  if (found.policy === undefined) print('There is no dorlin.yaml in this folder yet.');
  else {
    const pages =
      found.all === undefined
        ? ''
        : `: ${counted(found.all, 'file')}, ${(found.open ?? 0).toLocaleString('en')} open to everybody`;
    print(`${paint.bold(found.site ?? '')}${pages}`);
    if (found.locks.length > 0) {
      print();
      const rows = found.locks.map((lock) => [
        paint.bold(lock.name),
        lock.covers.join(' ') || paint.yellow('covers nothing'),
        lock.enabled ? timeWords(lock).replace('always', '') : paint.yellow('switched off'),
      ]);
      print(columns(rows));
    }
  }
  print();
  print(paint.bold('What comes next'));
  // One step a row; the commands as they are typed here.
  print(columns(found.next.map(({ command, why }) => [paint.cyan(command), why])));
  print();
  print(paint.dim('All commands: dorlin --help'));
}
