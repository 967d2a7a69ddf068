#!/usr/bin/env node
import { commandList, overview } from './command-list.js';

// Nothing heavy is loaded here: `dorlin --help` must come at once.
const [name, ...rest] = process.argv.slice(2);

if (name === undefined || name === '--json') {
  const { runStart } = await import('./run.js');
  process.exitCode = await runStart(name === '--json');
} else if (name === '--help' || name === '-h' || (name === 'help' && !rest[0])) {
  process.stdout.write(overview());
} else if (name === '--version' || name === '-V') {
  const { version } = await import('./version.js');
  process.stdout.write(`${version()}\n`);
} else {
  const { runCommand } = await import('./run.js');
  process.exitCode = await runCommand(commandList, name === 'help' ? [rest[0] ?? '', '--help'] : [name, ...rest]);
}
