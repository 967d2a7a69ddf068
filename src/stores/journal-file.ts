import { appendFile, mkdir, open, readdir, readFile, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join, parse, resolve } from 'node:path';
import { readEntry, type Happened, type JournalEntry } from '../core/journal/entry.js';
import type { Policy } from '../core/policy/types.js';
import { ignore } from './file-errors.js';
import { journalLines } from './flood.js';
import { makeKeepingFolder, whileAlone } from './keeping.js';

/** Where a policy's journal is; undefined where it has none. */
export function journalFile(policyFile: string, { journal }: Policy): string | undefined {
  return journal === undefined ? undefined : resolve(dirname(policyFile), journal.file);
}

/** Whether a path is a journal's, of today or of past days. */
export function isJournal(path: string, file: string | undefined): boolean {
  if (file === undefined) return false;
  const { dir, name, ext } = parse(file);
  const isBeside = dirname(path) === dir && basename(path).endsWith(ext);
  return path === file || (isBeside && dayIn(path, name, ext) !== undefined);
}

/** A journal that is written to. */
export interface FileJournal {
  /** Never waits and never throws; lines are written in the order in which they come. */
  readonly note: (event: Happened) => void;
  /** Waits until all is written. */
  readonly settled: () => Promise<void>;
}

/**
 * A journal as JSON lines in a file, and those of past days beside it, with their day in the name.
 * Any number of processes may write: each line is appended whole, and files are renamed but never
 * written anew. What was noted is on its way to the disk at once, so that a crash loses next to
 * nothing; a line that it cut off is passed over by who reads.
 *
 * @param onFailure - told why the journal cannot be written, once a minute at most
 */
export function fileJournal(
  policyFile: string,
  policy: () => Policy,
  onFailure: (problem: string) => void = () => undefined,
  clock: () => number = () => Date.now() / 1000,
): FileJournal {
  let waiting: JournalEntry[] = [];
  let writing: Promise<void> | undefined;
  let day: string | undefined;
  let failedAt = -Infinity;
  const linesOf = journalLines(clock);

  const write = async (entries: readonly JournalEntry[]) => {
    day = await appendEntries(policyFile, policy(), entries, clock(), day);
  };
  const writeAll = async () => {
    // Once around, so that what happens at the same moment is written together.
    await Promise.resolve();
    while (waiting.length > 0) {
      const entries = waiting;
      waiting = [];
      try {
        await write(entries);
      } catch (error) {
        if (clock() - failedAt >= 60) {
          failedAt = clock();
          onFailure(error instanceof Error ? error.message : 'unknown');
        }
      }
    }
    writing = undefined;
  };
  const add = (entry: JournalEntry) => {
    waiting.push(entry);
    writing ??= writeAll();
  };
  return {
    note(event) {
      const { journal } = policy();
      if (journal === undefined) return;
      for (const line of linesOf(event, journal)) add(line);
    },
    settled: async () => {
      while (writing !== undefined) await writing;
    },
  };
}

/**
 * Adds entries to a policy's journal, where it has one.
 *
 * @param day - the day (UTC) whose file the journal is known to be
 * @returns that of today
 */
export async function appendEntries(
  policyFile: string,
  policy: Policy,
  entries: readonly JournalEntry[],
  now: number,
  day?: string,
): Promise<string | undefined> {
  const { journal } = policy;
  const file = journalFile(policyFile, policy);
  if (journal === undefined || file === undefined) return day;
  const today = new Date(now * 1000).toISOString().slice(0, 10);
  if (day !== today) {
    await makeKeepingFolder(policyFile);
    await mkdir(dirname(file), { recursive: true });
    await whileAlone(policyFile, () => turnOver(file, today, journal.keepSeconds, now), 'journal.lock');
  }
  const lines = entries.map((entry) => `${JSON.stringify(entry)}\n`).join('');
  await appendFile(file, lines, { mode: 0o600 });
  return today;
}

/** Begins a new file where this one is of another day, and deletes those that are too old. */
async function turnOver(file: string, today: string, keepSeconds: number, now: number): Promise<void> {
  const first = await firstDay(file);
  if (first !== undefined && first < today) await rename(file, freeName(file, first, await pastFiles(file)));
  const oldest = new Date((now - keepSeconds) * 1000).toISOString().slice(0, 10);
  for (const past of await pastFiles(file)) {
    if (past.day < oldest) await rm(past.path, { force: true });
  }
  await endLastLine(file);
}

/** A new line must not be glued to one that a crash has cut off. */
async function endLastLine(file: string): Promise<void> {
  const handle = await open(file, 'a+', 0o600);
  try {
    const { size } = await handle.stat();
    if (size === 0) return;
    const { buffer } = await handle.read(Buffer.alloc(1), 0, 1, size - 1);
    if (buffer[0] !== 0x0a) await handle.appendFile('\n');
  } finally {
    await handle.close();
  }
}

async function firstDay(file: string): Promise<string | undefined> {
  const handle = await open(file, 'r').catch(ignore('ENOENT'));
  if (handle === undefined) return undefined;
  try {
    const { buffer, bytesRead } = await handle.read(Buffer.alloc(4096), 0, 4096, 0);
    const lines = buffer.toString('utf8', 0, bytesRead).split('\n');
    return lines
      .map(readEntry)
      .find((entry) => entry !== undefined)
      ?.at.slice(0, 10);
  } finally {
    await handle.close();
  }
}

interface PastFile {
  readonly path: string;
  readonly day: string;
}

async function pastFiles(file: string): Promise<PastFile[]> {
  const { dir, name, ext } = parse(file);
  const names = (await readdir(dir).catch(ignore('ENOENT'))) ?? [];
  return names
    .flatMap((found): PastFile[] => {
      const day = dayIn(found, name, ext);
      return day === undefined ? [] : [{ path: join(dir, found), day }];
    })
    .sort((one, other) => (one.path < other.path ? -1 : 1));
}

/** The day of `dorlin-journal.2026-11-22.jsonl`, or `….2026-11-22.1.jsonl` should that be there. */
function dayIn(path: string, name: string, ext: string): string | undefined {
  const found = basename(path);
  if (!found.startsWith(`${name}.`) || !found.endsWith(ext)) return undefined;
  const middle = found.slice(name.length + 1, found.length - ext.length);
  return /^(\d{4}-\d{2}-\d{2})(?:\.\d+)?$/.exec(middle)?.[1];
}

function freeName(file: string, day: string, taken: readonly PastFile[]): string {
  const { dir, name, ext } = parse(file);
  for (let number = 0; ; number++) {
    const path = join(dir, `${name}.${day}${number === 0 ? '' : `.${number}`}${ext}`);
    if (!taken.some((past) => past.path === path)) return path;
  }
}

/** All entries of a journal that are not too old, the oldest first. */
export async function readJournal(file: string, keepSeconds: number, now = Date.now() / 1000): Promise<JournalEntry[]> {
  const files = [...(await pastFiles(file)).map(({ path }) => path), file];
  const entries: JournalEntry[] = [];
  for (const path of files) {
    const text = (await readFile(path, 'utf8').catch(ignore('ENOENT'))) ?? '';
    for (const line of text.split('\n')) {
      const entry = line === '' ? undefined : readEntry(line);
      if (entry !== undefined && Date.parse(entry.at) / 1000 >= now - keepSeconds) entries.push(entry);
    }
  }
  return entries.sort((one, other) => (one.at < other.at ? -1 : one.at > other.at ? 1 : 0));
}

/**
 * Tells of each new entry from now on, over the turn of the day as well.
 * @returns stops it
 */
export async function followJournal(
  file: string,
  onEntries: (entries: readonly JournalEntry[]) => void,
): Promise<() => Promise<void>> {
  let { ino, size: end } = await stat(file).catch(() => ({ ino: 0, size: 0 }));
  let rest = '';
  const look = async () => {
    const now = await stat(file).catch(() => undefined);
    if (now === undefined) return;
    // Another file has its name now: that of a new day.
    if (now.ino !== ino || now.size < end) [ino, end, rest] = [now.ino, 0, ''];
    if (now.size === end) return;
    const handle = await open(file, 'r');
    try {
      const { buffer, bytesRead } = await handle.read(Buffer.alloc(now.size - end), 0, now.size - end, end);
      end += bytesRead;
      const lines = (rest + buffer.toString('utf8', 0, bytesRead)).split('\n');
      rest = lines.pop() ?? '';
      onEntries(lines.map(readEntry).filter((entry) => entry !== undefined));
    } finally {
      await handle.close();
    }
  };
  const { watch } = await import('chokidar');
  // The folder, as the file of a new day is another one.
  await mkdir(dirname(file), { recursive: true, mode: 0o700 });
  const watcher = watch(dirname(file), { ignoreInitial: true, depth: 0 });
  let queue = Promise.resolve();
  watcher.on('all', () => {
    queue = queue.then(look, look);
  });
  await new Promise<void>((ready) =>
    watcher.once('ready', () => {
      ready();
    }),
  );
  await look();
  return async () => {
    await watcher.close();
    await queue;
  };
}
