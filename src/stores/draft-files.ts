import { join, parse } from 'node:path';
import { keepingFolder } from './keeping.js';

/** Where the draft of a policy lies: beside it, so that what it names is found alike. */
export function draftFile(policyFile: string): string {
  const { dir, name, ext } = parse(policyFile);
  return join(dir, `${name}.draft${ext}`);
}

/** What the draft was begun from. */
export const baseFile = (policyFile: string) => {
  const { name, ext } = parse(policyFile);
  return join(keepingFolder(policyFile), `draft-base-${name}${ext}`);
};
