import { randomBytes } from 'node:crypto';
import { formatPhc } from '../../src/core/passwords/phc.js';
import { normalizePassword } from '../../src/core/passwords/normalize.js';
import type { HashCost } from '../../src/core/ports.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import { nativeHasher } from '../../src/stores/hasher.js';

/** So cheap that tests may hash at will. */
const cheap: HashCost = { algorithm: 'argon2id', memoryKib: 8, passes: 1, lanes: 1, length: 32 };
const salt = randomBytes(16);

/** A hash of a password, cheap to check; all share one salt. */
export async function cheapHash(password: string): Promise<string> {
  const hash = await nativeHasher(normalizePassword(password), salt, cheap);
  return formatPhc({ salt, cost: cheap, hash });
}

/** A lock as a test describes it: its passwords in plain text. */
export interface TestLock {
  readonly covers: readonly string[];
  readonly except?: readonly string[];
  /** Label → password; the label's letters serve as id. */
  readonly passwords?: Readonly<Record<string, string>>;
  readonly remember?: string | { readonly choice: string };
  readonly enabled?: boolean;
  readonly bypass?: readonly string[];
  readonly requires?: readonly string[];
  readonly outsiders?: unknown;
  readonly links?: readonly object[];
  readonly basic?: boolean | 'always';
  readonly after?: string;
  readonly wrong?: { readonly after: number; readonly redirect: string };
  readonly title?: string;
  readonly screen?: string;
  /** User → hash, as from an htpasswd file. */
  readonly imported?: Readonly<Record<string, string>>;
  readonly from?: string;
  readonly until?: string;
}

export const idOf = (label: string): string => label.replace(/[^a-z0-9]/gi, '').toLowerCase();

/** The text of a policy; JSON is YAML. */
export async function policyText(
  locks: Readonly<Record<string, TestLock>>,
  site: Readonly<Record<string, unknown>> = {},
  rest: Readonly<Record<string, unknown>> = {},
): Promise<string> {
  const written: Record<string, unknown> = {};
  for (const [name, { passwords = {}, imported = {}, ...lock }] of Object.entries(locks)) {
    const list = Object.entries(passwords).map(async ([label, password]) => ({
      id: idOf(label),
      label,
      hash: await cheapHash(password),
    }));
    const users = Object.entries(imported).map(([label, hash], at) => ({
      id: `u${at}`,
      label,
      hash,
    }));
    written[name] = { ...lock, passwords: [...(await Promise.all(list)), ...users] };
  }
  return JSON.stringify({ dorlin: 1, site: { name: 'Test site', ...site }, locks: written, ...rest }, null, 2);
}

export async function testPolicy(...given: Parameters<typeof policyText>) {
  return readPolicyOrThrow(await policyText(...given), 'test.yaml');
}
