import { basename, dirname, resolve, sep } from 'node:path';
import type { Policy } from '../core/policy/types.js';
import { draftFile } from './draft-files.js';
import { isJournal, journalFile } from './journal-file.js';
import { keepingFolder } from './keeping.js';

/** The list of those who asked for a letter. */
export function requestsFile(policyFile: string, { mail }: Policy): string {
  return resolve(dirname(policyFile), mail.list);
}

/**
 * Tells, of whole paths, which are Dorlin's own: the policy, its draft, its journal, the list of
 * requests and everything in `.dorlin/`, with what editors and we write beside them while they are changed (`dorlin.yaml~`,
 * `dorlin.yaml.1234`). They are never served, should they lie among the site's files under a name of
 * their own.
 */
export function isOwnFile(policyFile: string, policy: Policy): (path: string) => boolean {
  const file = resolve(policyFile);
  const journal = journalFile(policyFile, policy);
  const own = [file, draftFile(file), requestsFile(policyFile, policy), journal].filter((one) => one !== undefined);
  const folder = resolve(keepingFolder(file)) + sep;
  return (path) => path.startsWith(folder) || own.some((one) => isBeside(path, one)) || isJournal(path, journal);
}

/** Whether a path is a file, or is named after it: `x.yaml`, `x.yaml~`, `#x.yaml#`, `x.yaml.1234`. */
function isBeside(path: string, file: string): boolean {
  if (dirname(path) !== dirname(file)) return false;
  const name = basename(path).replace(/^#/, '');
  const own = basename(file);
  return name === own || (name.startsWith(own) && !/^[\w-]/.test(name.slice(own.length)));
}
