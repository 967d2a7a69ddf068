import { appendFile, readFile, rm } from 'node:fs/promises';
import { writeFileWhole } from '../stores/whole-file.js';
import { DorlinError } from '../core/errors.js';
import type { Facts } from './facts.js';

/**
 * What a patrol has seen, kept in a file so that one that was cut short goes on where it was. It
 * holds no passwords and no texts: of words, only their hashes.
 */
export interface PatrolRecord {
  get(key: string): Facts | undefined;
  put(key: string, facts: Facts): void;
  /** Writes down what is not written yet. */
  flush(): Promise<void>;
  /** The patrol is through: there is nothing to go on with. */
  end(): Promise<void>;
}

/** A record that is kept in memory alone. */
export const noRecord: PatrolRecord = {
  get: () => undefined,
  put: () => undefined,
  flush: () => Promise.resolve(),
  end: () => Promise.resolve(),
};

type Packed = Omit<Facts, 'words' | 'telling'> & { words: string; telling?: string };

/**
 * Opens a record, or begins one. Its first line says of which patrol it is.
 *
 * @param of - the site and the policy, so that nothing of another one is gone on with
 * @throws DorlinError `record-unfit` where the file holds something else
 */
export async function openRecord(file: string, of: string): Promise<PatrolRecord> {
  const known = new Map<string, Facts>();
  const text = await readFile(file, 'utf8').catch((error: unknown) => {
    if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
    return undefined;
  });
  const now = Date.now();
  if (text === undefined)
    await writeFileWhole(file, `${JSON.stringify({ patrol: 1, of, at: now })}\n`, { mode: 0o600 });
  else {
    const [first, ...lines] = text.split('\n');
    const head = headOf(first);
    if (head?.of !== of) {
      throw new DorlinError('record-unfit', `${file} is no record of a patrol of this site under this policy.`, {
        mend: 'Name another file with `--resume`, or delete that one.',
      });
    }
    // What a site answered long ago proves nothing of today.
    if (!(now - head.at < longestAge)) {
      throw new DorlinError('record-unfit', `${file} was begun more than a day ago.`, {
        mend: 'Delete it, and begin anew.',
      });
    }
    for (const line of lines) {
      // The last line may have been cut short.
      try {
        const { key, facts } = JSON.parse(line) as { key: string; facts: Packed };
        known.set(key, unpacked(facts));
      } catch {
        continue;
      }
    }
  }
  let waiting: string[] = [];
  let writing = Promise.resolve();
  const flush = () => {
    const lines = waiting;
    waiting = [];
    if (lines.length > 0) {
      writing = writing
        .then(() => appendFile(file, lines.join('')))
        .catch((cause: unknown) => {
          throw new DorlinError('file-unusable', `${file} cannot be written.`, { cause });
        });
    }
    return writing;
  };
  return {
    get: (key) => known.get(key),
    put(key, facts) {
      waiting.push(`${JSON.stringify({ key, facts: packed(facts) })}\n`);
      // What goes wrong is told at the end, when all is written.
      if (waiting.length >= 50) flush().catch(() => undefined);
    },
    flush,
    async end() {
      await flush();
      await rm(file, { force: true });
    },
  };
}

/** In milliseconds. */
const longestAge = 24 * 60 * 60 * 1000;

function headOf(line: string | undefined): { readonly of: unknown; readonly at: number } | undefined {
  try {
    const head = JSON.parse(line ?? '') as { patrol?: unknown; of?: unknown; at?: unknown };
    return head.patrol === 1 ? { of: head.of, at: Number(head.at) } : undefined;
  } catch {
    return undefined;
  }
}

function packed({ words, telling, ...facts }: Facts): Packed {
  const base64 = (array: Uint32Array) =>
    Buffer.from(array.buffer, array.byteOffset, array.byteLength).toString('base64');
  return { ...facts, words: base64(words), ...(telling === undefined ? {} : { telling: base64(telling) }) };
}

function unpacked({ words, telling, ...facts }: Packed): Facts {
  const array = (base64: string) => {
    const bytes = Uint8Array.from(Buffer.from(base64, 'base64'));
    return new Uint32Array(bytes.buffer, 0, bytes.length >> 2);
  };
  return { ...facts, words: array(words), ...(telling === undefined ? {} : { telling: array(telling) }) };
}
