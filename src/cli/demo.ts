import type { Command } from 'commander';
import { cp, mkdtemp, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseDocument } from 'yaml';
import { DorlinError } from '../core/errors.js';
import { openKeys } from '../stores/keeping.js';
import { rememberPassword } from '../stores/recall-file.js';
import { makeCommand } from './command.js';
import { columns, paint, print } from './output.js';
import { serve, untilTold } from './serve.js';

/** The passwords of the demo: what each opens, whom it is for, and itself. */
interface DemoPassword {
  readonly lock: string;
  readonly id: string;
  readonly label: string;
  readonly password: string;
  readonly tryAt: string;
}

interface DemoOptions {
  readonly json?: boolean;
  readonly port?: string;
}

export function command(summary: string): Command {
  return makeCommand('demo', summary, 'dorlin demo --port 8080')
    .option('--port <port>', 'where to listen; else the first free one')
    .action(demo);
}

/** Where the finished demo site lies in the package. */
const demoFolder = fileURLToPath(new URL('../demo', import.meta.url));

async function demo(options: DemoOptions): Promise<void> {
  await stat(demoFolder).catch((cause: unknown) => {
    throw new DorlinError('folder-missing', 'The demo site was not built.', {
      cause,
      mend: 'In a checkout of Dorlin, run `npm run demo`, which builds it first.',
    });
  });
  // In a copy, so that whoever plays with the policy always finds a fresh one the next time.
  const told = untilTold();
  const folder = await mkdtemp(join(tmpdir(), 'dorlin-demo-'));
  try {
    const passwords = await prepare(folder);
    const policy = join(folder, 'dorlin.yaml');
    const site = await serve({ ...options, policy, host: '127.0.0.1' }, () => {
      printPasswords(passwords, policy);
    });
    await told;
    await site.close();
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

async function prepare(folder: string): Promise<DemoPassword[]> {
  const policy = join(folder, 'dorlin.yaml');
  await cp(join(demoFolder, 'dorlin.yaml'), policy);
  const document = parseDocument(await readFile(policy, 'utf8'));
  document.setIn(['site', 'folder'], join(demoFolder, 'site'));
  await writeFile(policy, document.toString({ lineWidth: 0 }));
  const text = await readFile(join(demoFolder, 'demo-passwords.json'), 'utf8');
  const passwords = JSON.parse(text) as DemoPassword[];
  const keys = await openKeys(policy);
  for (const { lock, id, password } of passwords) {
    await rememberPassword(policy, lock, id, password, keys);
  }
  return passwords;
}

function printPasswords(passwords: readonly DemoPassword[], policy: string): void {
  print();
  print('  Walk through it as a visitor. What to type where:');
  print();
  print(
    columns(
      passwords.map(({ tryAt, password, label }) => [
        tryAt,
        paint.bold(password),
        paint.dim(label),
      ]),
      4,
    ),
  );
  print();
  print('  And as its owner, in another terminal:');
  print(`    dorlin places --policy ${policy}`);
}
