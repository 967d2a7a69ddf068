import assert from 'node:assert/strict';
import { chmod, mkdir, readdir, readFile, readlink, stat, symlink, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { execFile } from 'node:child_process';
import { test } from 'node:test';
import { writeFileWhole } from '../../src/stores/whole-file.js';
import { policyText } from '../support/policies.js';
import { temporaryFolder } from '../support/sites.js';

/** Runs a command that can write no file longer than so many kilobytes: as on a disk that gets full in the middle. */
const withLittleRoom = (kilobytes: number, ...command: string[]) =>
  promisify(execFile)('bash', ['-c', `ulimit -f ${kilobytes}; exec "$@"`, 'bash', process.execPath, ...command]).then(
    ({ stdout }) => ({ code: 0, said: stdout }),
    (failed: unknown) => ({ code: (failed as { code?: number }).code, said: '' }),
  );

/** A disk of so many kilobytes; undefined if nobody here may mount one. */
async function smallDisk(kilobytes: number): Promise<{ folder: string; remove: () => Promise<void> } | undefined> {
  const { folder, remove } = await temporaryFolder();
  try {
    await promisify(execFile)('mount', ['-t', 'tmpfs', '-o', `size=${kilobytes}k`, 'tmpfs', folder]);
  } catch {
    await remove();
    return undefined;
  }
  return { folder, remove: () => promisify(execFile)('umount', [folder]).then(remove) };
}

test('a file that does not fit on the disk is not written at all, and says so', async (t) => {
  const disk = await smallDisk(16);
  const { folder, remove } = disk ?? (await temporaryFolder());
  t.after(remove);
  const file = join(folder, 'a.txt');
  await writeFile(file, 'as before');
  if (disk !== undefined) {
    await writeFile(join(folder, 'fill'), Buffer.alloc(8000));
    await assert.rejects(writeFileWhole(file, 'x'.repeat(6044)), { code: 'ENOSPC' });
  } else {
    const script = `import('${new URL('../../src/stores/whole-file.ts', import.meta.url).href}')
      .then(({ writeFileWhole }) => writeFileWhole(${JSON.stringify(file)}, 'x'.repeat(6044)))`;
    const { code } = await withLittleRoom(4, '--import', 'tsx', '-e', script);
    assert.notEqual(code, 0);
  }
  assert.equal(await readFile(file, 'utf8'), 'as before');
  if (disk !== undefined) assert.deepEqual(await readdir(folder), ['a.txt', 'fill']);
});

test('a command on a full disk fails, and leaves the policy whole', async (t) => {
  const { folder, remove } = await temporaryFolder();
  t.after(remove);
  const policy = join(folder, 'dorlin.yaml');
  await mkdir(join(folder, 'site'));
  await writeFile(join(folder, 'site/index.html'), 'x');
  const text = await policyText({ members: { covers: ['/members/'] } }, { folder: 'site' });
  await writeFile(policy, `${text}\n${'# A comment of the owner that is long.\n'.repeat(160)}`);
  const before = await readFile(policy, 'utf8');
  const { code } = await withLittleRoom(4, 'dist/node/dorlin.js', 'lock', 'more', '/', '--policy', policy);
  assert.notEqual(code, 0);
  assert.equal(await readFile(policy, 'utf8'), before);
  assert.deepEqual((await readdir(folder)).sort(), ['.dorlin', 'dorlin.yaml', 'site']);
});

test('what is written keeps mode and link of what was there; a mode that is given counts', async (t) => {
  const { folder, remove } = await temporaryFolder();
  t.after(remove);
  const [file, link, secret] = ['file', 'link', 'secret'].map((name) => join(folder, name)) as [string, string, string];
  await writeFile(file, 'one');
  await chmod(file, 0o664);
  await symlink('file', link);
  await writeFileWhole(link, 'two');
  const modeOf = async (path: string) => (await stat(path)).mode & 0o777;
  assert.deepEqual([await readFile(file, 'utf8'), await readlink(link), await modeOf(file)], ['two', 'file', 0o664]);
  await writeFile(secret, 'one');
  await writeFileWhole(secret, Buffer.from('two'), { mode: 0o600 });
  assert.deepEqual([await readFile(secret, 'utf8'), await modeOf(secret)], ['two', 0o600]);
  await writeFileWhole(join(folder, 'empty'), '');
  assert.equal((await stat(join(folder, 'empty'))).size, 0);
});
