import { mkdir, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { cheapHash } from '../support/policies.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';
import { policyTemplate, thePassword } from './policy.js';
import { siteFiles } from './site.js';

/** A site in a folder, with its policy beside it, for the fronts that read one. */
export interface Ground {
  readonly folder: string;
  readonly policyFile: string;
  readonly policy: string;
  readonly remove: () => Promise<void>;
}

/** Something that stands before the site and asks the guard. */
export interface Front {
  readonly name: string;
  /** Why it is not played on this machine. @default it is */
  readonly skip?: string | false;
  readonly start: (ground: Ground) => Promise<RunningFront>;
}

export interface RunningFront {
  readonly port: number;
  readonly close: () => Promise<void>;
  /** Whether it is asked by HTTP/2 over TLS. */
  readonly isSecure?: boolean;
  /** What a platform before it would say of each request. */
  readonly headers?: Readonly<Record<string, string>>;
}

export async function makeGround(): Promise<Ground> {
  const { folder, remove } = await temporaryFolder();
  const hash = await cheapHash(thePassword);
  const policy = policyTemplate.replaceAll('{hash}', hash);
  await writeFiles(join(folder, 'site'), siteFiles);
  const policyFile = join(folder, 'dorlin.yaml');
  await mkdir(dirname(policyFile), { recursive: true });
  await writeFile(policyFile, policy);
  return { folder, policyFile, policy, remove };
}
