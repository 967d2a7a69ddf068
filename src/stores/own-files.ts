import { dirname, resolve } from 'node:path';
import type { Policy } from '../core/policy/compile.js';
import { draftFile } from './draft.js';
import { isJournal, journalFile } from './journal-file.js';

/** The list of those who asked for a letter; undefined where none is sent. */
export function requestsFile(policyFile: string, { mail }: Policy): string | undefined {
  return mail === undefined ? undefined : resolve(dirname(policyFile), mail.list);
}

/**
 * Tells, of whole paths, which are Dorlin's own: the policy, its draft, its journal and the list of
 * requests. They are never served, should they lie among the site's files under a name of their own.
 */
export function isOwnFile(policyFile: string, policy: Policy): (path: string) => boolean {
  const file = resolve(policyFile);
  const others = new Set([file, draftFile(file), requestsFile(policyFile, policy)]);
  const journal = journalFile(policyFile, policy);
  return (path) => others.has(path) || isJournal(path, journal);
}
