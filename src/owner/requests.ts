import { readFile } from 'node:fs/promises';
import { parse } from 'csv-parse/sync';
import * as z from 'zod';
import { DorlinError } from '../core/errors.js';
import type { RequestEntry } from '../core/site-ports.js';
import { ignore } from '../stores/file-errors.js';
import { requestsFile } from '../stores/own-files.js';
import { requestSchema } from '../stores/request-entry.js';
import { loadPolicy } from '../stores/policy-file.js';
import { lockNamed } from './named.js';

/** Those who left an address at a screen. */
export interface RequestList {
  readonly site: string;
  /** The file that they are kept in. */
  readonly file: string;
  readonly requests: readonly RequestEntry[];
}

/**
 * Who left an address at a screen, and agreed to what.
 *
 * @param locks - of these locks only
 * @throws DorlinError `lock-unknown`, `list-unreadable`
 */
export async function listRequests(policyFile: string, locks: readonly string[] = []): Promise<RequestList> {
  const policy = await loadPolicy(policyFile);
  for (const name of locks) lockNamed(policy, name);
  const file = requestsFile(policyFile, policy);
  const text = (await readFile(file, 'utf8').catch(ignore('ENOENT'))) ?? '';
  const entries = file.endsWith('.csv') ? rowsOf(text) : linesOf(text);
  return {
    site: policy.site.name,
    file,
    requests: entries.filter(({ lock }) => locks.length === 0 || locks.includes(lock)),
  };
}

/** One entry a line; what a crash has cut off is passed over. */
function linesOf(text: string): RequestEntry[] {
  return text.split('\n').flatMap((line) => {
    try {
      return requestSchema.safeParse(JSON.parse(line)).data ?? [];
    } catch {
      return [];
    }
  });
}

function rowsOf(text: string): RequestEntry[] {
  let rows: unknown;
  try {
    rows = parse(text, { columns: true, relax_column_count: true, skip_empty_lines: true });
  } catch (cause) {
    throw new DorlinError('list-unreadable', 'The list of requests is no CSV any more.', { cause });
  }
  const read = z.array(requestSchema).safeParse(rows);
  return read.data ?? [];
}
