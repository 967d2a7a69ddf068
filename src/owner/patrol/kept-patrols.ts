import { mkdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import * as z from 'zod';
import { writeFileWhole } from '../../stores/whole-file.js';
import { ignore } from '../../stores/file-errors.js';
import { keepingFolder, makeKeepingFolder } from '../../stores/keeping.js';
import { patrolTable, type PatrolCode } from '../../patrol/finding-table.js';
import type { PatrolFinding } from '../../patrol/finding.js';
import { groupedFindings, type PatrolGroup } from '../../patrol/reports/grouped.js';
import type { PatrolResult } from '../../patrol/patrol.js';

const text = z.string();
const finding = z.object({
  code: z.string().refine((code): code is PatrolCode => Object.hasOwn(patrolTable, code)),
  severity: z.enum(['leak', 'closed', 'warning']),
  place: text,
  lock: text,
  cases: z
    .array(
      z.object({
        where: text,
        how: text,
        words: text.optional(),
        isFile: z.boolean().optional(),
        about: z.array(text).optional(),
      }),
    )
    .readonly(),
});
const keptSchema = z.object({
  /** RFC 3339. */
  at: z.string(),
  url: text,
  by: z.enum(['hand', 'night', 'command']),
  seconds: z.number(),
  addresses: z.number(),
  requests: z.number(),
  /** How much was known and not looked at: then nothing is told of that. */
  left: z.number(),
  isStopped: z.boolean(),
  notPlayed: z.array(z.object({ role: text, lock: text, why: text })).readonly(),
  findings: z.array(finding).readonly(),
});

/** A patrol as it is kept beside the policy. It may hold words of locked pages, so its owner alone may read it. */
export interface KeptPatrol {
  /** When it began (RFC 3339). */
  readonly at: string;
  readonly url: string;
  /** From the console, by itself at night, or by `dorlin patrol --keep`. */
  readonly by: 'hand' | 'night' | 'command';
  readonly seconds: number;
  readonly addresses: number;
  readonly requests: number;
  /** How much was known and not looked at: of that nothing is told. */
  readonly left: number;
  readonly isStopped: boolean;
  readonly notPlayed: readonly { readonly role: string; readonly lock: string; readonly why: string }[];
  readonly findings: readonly PatrolFinding[];
}

const folderOf = (policyFile: string) => join(keepingFolder(policyFile), 'patrols');
const fileOf = (policyFile: string, name: 'last' | 'before' | 'failed') => join(folderOf(policyFile), `${name}.json`);

/** Keeps a patrol, and the one before it. */
export async function keepPatrol(
  policyFile: string,
  result: PatrolResult,
  { url, by, isStopped }: Pick<KeptPatrol, 'url' | 'by' | 'isStopped'>,
): Promise<KeptPatrol> {
  const { startedAt, seconds, addresses, requests, left, untried, notPlayed, findings } = result;
  const kept: KeptPatrol = {
    at: new Date(startedAt * 1000).toISOString(),
    url,
    by,
    seconds,
    addresses,
    requests,
    left: left + untried,
    isStopped,
    notPlayed,
    findings,
  };
  await makeKeepingFolder(policyFile);
  await mkdir(folderOf(policyFile), { recursive: true, mode: 0o700 });
  // Copied, so that there is a last one at every moment.
  const last = await readFile(fileOf(policyFile, 'last')).catch(ignore('ENOENT'));
  if (last !== undefined) await writeFileWhole(fileOf(policyFile, 'before'), last, { mode: 0o600 });
  await writeFileWhole(fileOf(policyFile, 'last'), JSON.stringify(kept), { mode: 0o600 });
  await rm(fileOf(policyFile, 'failed'), { force: true });
  return kept;
}

const failedSchema = z.object({ at: z.string(), problem: z.string() });

/** A patrol of a night that came to nothing, or whose outcome reached nobody. */
export interface FailedNight {
  /** RFC 3339. */
  readonly at: string;
  /** What went wrong, and what to do. */
  readonly problem: string;
}

/** Keeps why a night told nothing, until the next patrol is kept. */
export async function keepFailedNight(policyFile: string, failed: FailedNight): Promise<void> {
  await makeKeepingFolder(policyFile);
  await mkdir(folderOf(policyFile), { recursive: true, mode: 0o700 });
  await writeFileWhole(fileOf(policyFile, 'failed'), JSON.stringify(failed), { mode: 0o600 });
}

/** Why the last night told nothing; undefined where it did. */
export async function failedNight(policyFile: string): Promise<FailedNight | undefined> {
  const written = await readFile(fileOf(policyFile, 'failed'), 'utf8').catch(ignore('ENOENT'));
  try {
    return written === undefined ? undefined : failedSchema.parse(JSON.parse(written));
  } catch {
    return undefined;
  }
}

/** Undefined where none was kept, or what was cannot be read. */
async function readPatrol(policyFile: string, name: 'last' | 'before'): Promise<KeptPatrol | undefined> {
  const written = await readFile(fileOf(policyFile, name), 'utf8').catch(ignore('ENOENT'));
  if (written === undefined) return undefined;
  try {
    return keptSchema.parse(JSON.parse(written));
  } catch {
    return undefined;
  }
}

/** All that is to be mended in one way at one lock, with what it means, and whether it is new. */
export interface ComparedGroup extends PatrolGroup {
  readonly title: string;
  readonly why: string;
  readonly mend: string;
  /** Whether the patrol before did not find it. */
  readonly isNew: boolean;
}

/** The last patrol, compared with the one before. */
export interface PatrolStanding {
  readonly last: Omit<KeptPatrol, 'findings'> & { readonly groups: readonly ComparedGroup[]; readonly leaks: number };
  /** When the one before was (RFC 3339); undefined where there was none. */
  readonly before?: string | undefined;
  /** What the one before found and this one does not; empty where this one has not looked at everything. */
  readonly gone: readonly PatrolGroup[];
}

/** What the last patrol found, against the one before; undefined where there was none. */
export async function patrolStanding(policyFile: string): Promise<PatrolStanding | undefined> {
  const [last, before] = await Promise.all([readPatrol(policyFile, 'last'), readPatrol(policyFile, 'before')]);
  if (last === undefined) return undefined;
  const { findings, ...about } = last;
  const keyOf = ({ code, lock, place }: PatrolFinding) => `${code}\n${lock}\n${place}`;
  // A walk over another site has nothing to do with this one.
  const known = before?.url === last.url ? before : undefined;
  const keysBefore = new Set(known?.findings.map(keyOf));
  const now = new Set(findings.map(keyOf));
  const groups = groupedFindings(findings).map((group): ComparedGroup => {
    const { title, why, mend } = patrolTable[group.code];
    const own = findings.filter(({ code, lock }) => code === group.code && lock === group.lock);
    return { ...group, title, why, mend, isNew: known !== undefined && own.some((one) => !keysBefore.has(keyOf(one))) };
  });
  const isWhole = last.left === 0 && !last.isStopped;
  return {
    last: { ...about, groups, leaks: findings.filter(({ severity }) => severity === 'leak').length },
    before: known?.at,
    gone: isWhole && known !== undefined ? groupedFindings(known.findings.filter((one) => !now.has(keyOf(one)))) : [],
  };
}

/** The findings of the last patrol. */
export const lastFindings = async (policyFile: string): Promise<readonly PatrolFinding[]> =>
  (await readPatrol(policyFile, 'last'))?.findings ?? [];
