import type { Command } from 'commander';
import { mkdtemp, readFile, rm, stat, writeFile } from 'node:fs/promises';
import type { RequestListener } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { isScalar, parseDocument, visit, type Document } from 'yaml';
import { DorlinError } from '../core/errors.js';
import type { Letter } from '../core/site-ports.js';
import { entryToken } from '../core/passes/entry-link.js';
import type { PlayedPerson } from '../demo/sign-in-page.js';
import { startSimulatedSignIn, type SimulatedSignIn } from '../demo/simulated-sign-in.js';
import { openKeys } from '../stores/keeping.js';
import { loadPolicy } from '../stores/policy-file.js';
import { rememberPasswords } from '../stores/recall-file.js';
import { makeCommand } from './command.js';
import { writeDemoJournal } from '../demo/demo-journal.js';
import { startSealedCopy } from '../demo/sealed-copy.js';
import type { PlainHost } from '../server/plain-host.js';
import { columns, paint, print } from './output.js';
import { lockNamed } from '../owner/named.js';
import { defaultPort, sealedPort } from './ports.js';
import { serve } from './serve.js';
import { untilTold } from './told.js';

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
  let home = '/';
  const signIn = await startSignIn(() => home);
  let sealed: PlainHost | undefined;
  try {
    const passwords = await prepare(folder, signIn.issuer);
    const policy = join(folder, 'dorlin.yaml');
    sealed = await startSealedCopy(folder, { host: '127.0.0.1', port: sealedPort, mayMove: true });
    const sealedAt = `http://localhost:${sealed.port}/`;
    const site = await serve(
      { ...options, policy, host: '127.0.0.1' },
      {
        around: signInAt(signIn.port),
        consolePort: true,
        onListening: (url) => (home = url),
        sayMore: (url) => printGuide(passwords, policy, url, sealedAt),
        sendLetter: (letter) => showLetter(letter, options.json === true),
      },
    );
    await told;
    await site.close();
  } finally {
    await sealed?.close();
    await signIn.close();
    await rm(folder, { recursive: true, force: true });
  }
}

/** Letters of the demo are for reading here: nobody in it has a mailbox. */
function showLetter({ to, subject, text }: Letter, asJson: boolean): Promise<void> {
  if (asJson) print(JSON.stringify({ type: 'letter', to, subject, text }));
  else {
    const lines = [`To: ${to}`, `Subject: ${subject}`, '', ...text.trimEnd().split('\n')];
    print();
    for (const line of lines) print(`    ${paint.cyan('│')} ${line}`);
    print();
  }
  return Promise.resolve();
}

/** The demo's identity provider, at its usual port or any free one. */
async function startSignIn(home: () => string): Promise<SimulatedSignIn> {
  const people = await readJson<PlayedPerson[]>('demo-people.json');
  const audience = 'https://kestrelmoor.example';
  const given = { people, audience, siteName: 'Kestrelmoor Observatory', home };
  try {
    return await startSimulatedSignIn({ ...given, port: defaultPort + 1 });
  } catch {
    return startSimulatedSignIn(given);
  }
}

/** Leads `/sign-in` to the identity provider, on whichever host name the demo is visited by. */
function signInAt(port: number): (site: RequestListener) => RequestListener {
  return (site) => (request, response) => {
    if (request.url?.split('?', 1)[0] !== '/sign-in') {
      site(request, response);
      return;
    }
    // Cookies are kept by host name, and `localhost` and `127.0.0.1` are two.
    const host = /^(localhost|127\.0\.0\.1)(:\d+)?$/.exec(request.headers.host ?? '')?.[1];
    response.writeHead(302, { location: `http://${host ?? '127.0.0.1'}:${port}/` }).end();
  };
}

/** When the dates of the demo's policy were written. */
const writtenOn = Date.UTC(2026, 10, 23);

/** A policy's text with every moment moved along by whole days, so that none of them is past. */
export function withDatesMoved(document: Document, now: number): void {
  const days = Math.max(0, Math.floor((now - writtenOn) / 86_400_000));
  visit(document, {
    Pair(_, { key, value }) {
      if (!isScalar(key) || !isScalar<string>(value)) return;
      if (key.value !== 'from' && key.value !== 'until') return;
      // `from: trustedProxies` is no date.
      const [, date, rest = ''] = /^(\d{4}-\d{2}-\d{2})(.*)$/.exec(value.value) ?? [];
      if (date === undefined) return;
      const moved = new Date(Date.parse(date) + days * 86_400_000).toISOString();
      value.value = moved.slice(0, 10) + rest;
    },
  });
}

async function prepare(folder: string, issuer: string): Promise<DemoPassword[]> {
  const policy = join(folder, 'dorlin.yaml');
  const document = parseDocument(await readFile(join(demoFolder, 'dorlin.yaml'), 'utf8'));
  document.setIn(['site', 'folder'], join(demoFolder, 'site'));
  document.setIn(['identity', 'jwt', 'jwks'], `${issuer}/jwks.json`);
  document.setIn(['identity', 'jwt', 'issuer'], issuer);
  withDatesMoved(document, Date.now());
  await writeFile(policy, document.toString({ lineWidth: 0 }));
  const passwords = await readJson<DemoPassword[]>('demo-passwords.json');
  const keys = await openKeys(policy);
  for (const { lock, id, password } of passwords) {
    await rememberPasswords(policy, lock, [{ id, password }], keys);
  }
  await writeDemoJournal(policy, await loadPolicy(policy), Date.now() / 1000);
  return passwords;
}

async function readJson<T>(name: string): Promise<T> {
  return JSON.parse(await readFile(join(demoFolder, name), 'utf8')) as T;
}

async function printGuide(
  passwords: readonly DemoPassword[],
  policyFile: string,
  url: string,
  sealedAt: string,
): Promise<void> {
  print();
  print('  Walk through it as a visitor. What to type where:');
  print();
  print(
    columns(
      passwords.map(({ tryAt, password, label }) => [tryAt, paint.bold(password), paint.dim(label)]),
      4,
    ),
  );
  print();
  const origin = url.replace(/\/$/, '');
  print(`  As somebody in particular: ${paint.cyan(`${origin}/sign-in`)}`);
  const policy = await loadPolicy(policyFile);
  const press = lockNamed(policy, 'press');
  const keys = await openKeys(policyFile);
  for (const link of press.links) {
    const token = await entryToken(press, link, policy, keys);
    print(`  ${link.label}, by a link:`);
    print(`    ${paint.cyan(`${origin}${policy.site.prefix}/enter?link=${token}`)}`);
  }
  print();
  print('  The same site sealed, on a host that serves files and nothing else; the same passwords open it:');
  print(`    ${paint.cyan(sealedAt)}`);
  print();
  print('  And as its owner, in another terminal:');
  print(`    dorlin places --policy ${policyFile}`);
  print(`    dorlin journal --policy ${policyFile}`);
}
