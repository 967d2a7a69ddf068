import { randomBytes } from 'node:crypto';
import { open, realpath, rename, rm, stat, type FileHandle } from 'node:fs/promises';

/**
 * Writes a file whole or not at all: beside it under another name, every byte of it, onto the disk, and only then in its
 * place. Who writes a file in one call and does not ask how much was written leaves half of it on a full disk.
 *
 * A file that is there keeps its owner; a link is followed.
 *
 * @param mode - in bits. @default that of the file that is there, else 0o666 less the umask
 * @throws the error of the file system, with nothing changed
 */
export async function writeFileWhole(
  file: string,
  content: string | Uint8Array,
  { mode }: { readonly mode?: number } = {},
): Promise<void> {
  const target = await realpath(file).catch(() => file);
  const bytes = Buffer.from(content);
  const before = await stat(target).catch(() => undefined);
  const wanted = mode ?? (before && before.mode & 0o7777);
  // A name that nobody serves: it begins with that of the file.
  const beside = `${target}.${randomBytes(6).toString('hex')}`;
  let handle: FileHandle | undefined;
  try {
    handle = await open(beside, 'wx', wanted ?? 0o666);
    for (let at = 0; at < bytes.length;) at += (await handle.write(bytes, at)).bytesWritten;
    // Whatever the umask leaves of it.
    if (wanted !== undefined) await handle.chmod(wanted);
    // Root writes files that others own: they stay theirs.
    if (before !== undefined) await handle.chown(before.uid, before.gid).catch(() => undefined);
    await handle.sync();
    const { size } = await handle.stat();
    if (size !== bytes.length) throw new Error(`${beside} has ${size} bytes, and should have ${bytes.length}`);
    await handle.close();
    handle = undefined;
    await rename(beside, target);
  } catch (error) {
    await handle?.close().catch(() => undefined);
    await rm(beside, { force: true }).catch(() => undefined);
    // Nobody knows the name beside it.
    if (error instanceof Error && 'syscall' in error) Object.assign(error, { path: target });
    throw error;
  }
}
