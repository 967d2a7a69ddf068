import { mkdirSync, readFileSync, statSync } from 'node:fs';
import { copyFile, mkdir, readdir, rm, stat, utimes, open } from 'node:fs/promises';
import { dirname, join, relative, resolve, sep } from 'node:path';
import { writeFileWhole } from '../stores/whole-file.js';
import { DorlinError } from '../core/errors.js';
import { writeWhole } from './seal-file.js';

/** Of a file that may not be there. */
const maybe = { throwIfNoEntry: false } as const;

/** What lies in a folder in which a sealing has begun, and has not come to its end. */
export const unfinished = join('_dorlin', 'unfinished.txt');

/**
 * Makes sure that a sealed site may be written into a folder, and marks it as one.
 * @throws DorlinError `seal-folder`
 */
export async function refuseOut(folder: string, out: string): Promise<void> {
  const [site, target] = [resolve(folder), resolve(out)];
  const holds = (outer: string, inner: string) => inner === outer || inner.startsWith(outer + sep);
  if (holds(site, target) || holds(target, site)) {
    throw new DorlinError('seal-folder', `${out} and the site’s own folder ${folder} lie in one another.`);
  }
  const there = await readdir(target).catch(() => []);
  const marks = await Promise.all(
    ['_dorlin/sealed.json', unfinished].map((name) => stat(join(target, name)).catch(() => undefined)),
  );
  const isSealed = marks.some((found) => found !== undefined);
  if (there.length > 0 && !isSealed) {
    throw new DorlinError('seal-folder', `${out} holds something else than a sealed site.`);
  }
  // Should this be broken off, the next one knows the folder for one of ours.
  await mkdir(join(target, '_dorlin'), { recursive: true });
  await writeFileWhole(join(target, unfinished), 'Sealing has begun here, and has not come to its end.\n');
}

/** Where a sealed site is written: what is the same stays, and what is no part of it any more goes at the end. */
export class OutFolder {
  readonly #out: string;
  readonly #parts = new Set<string>();
  readonly #made = new Set<string>();

  constructor(out: string) {
    this.#out = out;
  }

  /** Where a part of the site, `/members/log.html`, lies on the disk; its folder is there. */
  place(path: string): string {
    const file = join(this.#out, path);
    const folder = dirname(file);
    if (!this.#made.has(folder)) mkdirSync(folder, { recursive: true });
    this.#made.add(folder);
    return file;
  }

  /** Says that a file is part of the site. @returns whether it is there already */
  keep(path: string): boolean {
    this.#parts.add(path);
    return statSync(join(this.#out, path), maybe) !== undefined;
  }

  write(path: string, body: string | Uint8Array): void {
    this.#parts.add(path);
    const file = this.place(path);
    const bytes = Buffer.from(body as Uint8Array);
    if (statSync(file, maybe)?.size === bytes.length && readFileSync(file).equals(bytes)) return;
    writeWhole(file, bytes);
  }

  /** Takes a file over as it is, with its time. */
  async copy(from: string, path: string): Promise<void> {
    this.#parts.add(path);
    const to = this.place(path);
    const [source, target] = [statSync(from), statSync(to, maybe)];
    // Its time tells nothing for certain: some programs set it back.
    if (target?.size === source.size && (await isSameContent(from, to))) return;
    await copyFile(from, to);
    await utimes(to, source.atime, source.mtime);
  }

  /** Takes back what was written of a file. */
  remove(path: string): Promise<void> {
    return rm(join(this.#out, path), { force: true });
  }

  /** Removes what was written before and is no part of the site any more. @returns how many files */
  async removeOthers(): Promise<number> {
    const there = await readdir(this.#out, { recursive: true, withFileTypes: true });
    const gone = there
      .filter((entry) => !entry.isDirectory())
      .map((entry) => relative(this.#out, join(entry.parentPath, entry.name)))
      .filter((path) => !this.#parts.has(`/${path.split(sep).join('/')}`))
      // A folder of somebody’s own, such as that of a repository, is not ours.
      .filter((path) => !/^\.(?!nojekyll|well-known[\\/])/.test(path));
    await Promise.all(gone.map((path) => rm(join(this.#out, path), { force: true })));
    return gone.filter((path) => path !== unfinished).length;
  }
}

/** Whether two files of the same size are the same, read side by side. */
async function isSameContent(one: string, other: string): Promise<boolean> {
  const handles = await Promise.all([open(one), open(other)]);
  const buffers = handles.map(() => Buffer.alloc(1 << 20));
  try {
    for (;;) {
      const read = await Promise.all(handles.map((handle, at) => handle.read(buffers[at] ?? Buffer.alloc(0))));
      const [first, second] = read.map(({ bytesRead }, at) => buffers[at]?.subarray(0, bytesRead));
      if (first === undefined || second === undefined || !first.equals(second)) return false;
      if (first.length === 0) return true;
    }
  } finally {
    await Promise.all(handles.map((handle) => handle.close()));
  }
}
