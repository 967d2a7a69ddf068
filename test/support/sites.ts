import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import type { GuardEvent } from '../../src/guard/events.js';
import { startSite } from '../../src/server/site-server.js';
import { marksOfSource } from '../../src/server/marked-pages.js';
import { guardFromFile, type FileGuard, type FileGuardOptions } from '../../src/stores/file-guard.js';

/** A folder that is gone after the test. */
export async function temporaryFolder(): Promise<{ folder: string; remove: () => Promise<void> }> {
  const folder = await mkdtemp(join(tmpdir(), 'dorlin-test-'));
  return { folder, remove: () => rm(folder, { recursive: true, force: true }) };
}

export async function writeFiles(folder: string, files: Readonly<Record<string, string | Buffer>>): Promise<void> {
  for (const [path, content] of Object.entries(files)) {
    const file = join(folder, path);
    await mkdir(dirname(file), { recursive: true });
    await writeFile(file, content);
  }
}

/** A site of these files behind the guard, on a port of its own. */
export async function runSite(
  files: Readonly<Record<string, string>>,
  policy: string,
  news: Omit<FileGuardOptions, 'onEvent'> = {},
) {
  const { folder, remove } = await temporaryFolder();
  await writeFiles(folder, {
    ...Object.fromEntries(Object.entries(files).map(([path, content]) => [`site/${path}`, content])),
    'dorlin.yaml': policy,
  });
  const events: GuardEvent[] = [];
  const policyFile = join(folder, 'dorlin.yaml');
  const guard: FileGuard = await guardFromFile(policyFile, {
    marksOf: marksOfSource({ folder: join(folder, 'site') }, () => guard.policy().site),
    ...news,
    onEvent: (event) => events.push(event),
  });
  const site = await startSite({
    guard,
    source: { folder: join(folder, 'site') },
    host: '127.0.0.1',
    port: 0,
    mayMove: false,
  });
  return {
    folder,
    policyFile,
    events,
    guard,
    port: site.port,
    url: `http://127.0.0.1:${site.port}`,
    close: async () => {
      await site.close();
      await remove();
    },
  };
}

/** Waits until something holds, looking often; fails after ten seconds. */
export async function until(holds: () => boolean | Promise<boolean>): Promise<void> {
  const giveUp = Date.now() + 10_000;
  while (!(await holds())) {
    if (Date.now() > giveUp) throw new Error('it never came true');
    await new Promise((resolve) => setTimeout(resolve, 15));
  }
}
