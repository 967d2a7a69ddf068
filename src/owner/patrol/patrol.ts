import { createHash } from 'node:crypto';
import { readFile, stat } from 'node:fs/promises';
import { join } from 'node:path';
import mime from 'mime';
import { isAddressRange } from '../../core/bypass/address.js';
import { DorlinError } from '../../core/errors.js';
import { patrolMark } from '../../core/passes/patrol-mark.js';
import { audienceOf } from '../../core/passes/pass.js';
import { readPolicyOrThrow } from '../../core/policy/read.js';
import type { Policy } from '../../core/policy/types.js';
import { patrolTable, type PatrolCode } from '../../patrol/finding-table.js';
import type { PatrolFinding } from '../../patrol/finding.js';
import { patrol, type KnownFile, type PatrolResult } from '../../patrol/patrol.js';
import { noRecord, openRecord } from '../../patrol/record.js';
import { groupedFindings, type PatrolGroup } from '../../patrol/reports/grouped.js';
import { siteFiles, targetOf } from '../../server/site-files.js';
import { isOwnFile } from '../../stores/own-files.js';
import { readPolicyText } from '../../stores/policy-file.js';
import { refuseUnknownCodes } from '../check/check.js';
import { siteFolder } from '../site-files.js';
import { keysAtHand, patrolKeys, type KeyOrder } from './keys.js';

/** What a patrol walks, and how far. */
export interface PatrolOrder extends KeyOrder {
  /** The site, or a page of it to begin at. */
  readonly url: string;
  /** What should be; without it, what is open and closed is told. */
  readonly policyFile?: string | undefined;
  /** The folder of the site's files; else the policy's. */
  readonly folder?: string | undefined;
  /** An address to play, from a proxy that the site believes. */
  readonly from?: string | undefined;
  /** Most addresses that are asked for. */
  readonly pages: number;
  /** Longest time for the walk. */
  readonly minutes: number;
  /** Most requests at a time. */
  readonly atOnce: number;
  /** Milliseconds between two requests; else what robots.txt asks for. */
  readonly pause?: number | undefined;
  /** A file that keeps what was seen, to go on from it. */
  readonly resume?: string | undefined;
  readonly skip?: readonly string[] | undefined;
  /** Ends it early, with what was found. */
  readonly stop?: AbortSignal | undefined;
}

/** What somebody sees of a patrol that is under way. */
export interface PatrolView {
  readonly onProgress?: ((phase: string, done: number, all: number) => void) | undefined;
  /** Handed what keeps all that was seen so far, should the patrol be stopped. */
  readonly onStart?: ((keep: () => Promise<void>) => void) | undefined;
}

/** A finding of a patrol, with what it means and how it is mended. */
export interface ToldFinding extends PatrolFinding {
  readonly title: string;
  readonly why: string;
  readonly mend: string;
}

/** What a patrol found. */
export interface PatrolReport extends Omit<PatrolResult, 'findings'> {
  readonly findings: readonly ToldFinding[];
  /** The same by lock and folder, as it is told: what is to be mended in one way is one group. */
  readonly groups: readonly PatrolGroup[];
  /** The change of the policy that would close it, where that was asked for. */
  readonly proposal?:
    { readonly changes: readonly ProposedPlace[]; readonly end: 'written' | 'asked' | 'nothing-to-change' } | undefined;
}

/** One change that would close something. */
export interface ProposedPlace {
  readonly kind: 'cover' | 'sitemaps' | 'feeds';
  readonly place: string;
  /** The lock that is to cover it. */
  readonly lock?: string | undefined;
}

/** What a patrol found, and the policy it was judged by. */
export interface Patrolled {
  readonly result: PatrolResult;
  readonly policy?: Policy | undefined;
  /** The text of that policy. */
  readonly text: string;
}

/**
 * Walks a live site as strangers and as those who have opened its locks.
 * @throws DorlinError `site-unreachable`, `finding-unknown`, `address-invalid`, `password-unknown`,
 * `policy-missing`, `policy-invalid`
 */
export async function walkSite(order: PatrolOrder, view: PatrolView = {}): Promise<Patrolled> {
  const now = Date.now() / 1000;
  const { url, policyFile, from, pages, minutes, atOnce, pause, skip = [] } = order;
  refuseUnknownCodes(skip, Object.keys(patrolTable));
  if (from !== undefined && (from.includes('/') || !isAddressRange(from))) {
    throw new DorlinError('address-invalid', `\`${from}\` is no address of one visitor.`);
  }
  const text = policyFile === undefined ? '' : await readPolicyText(policyFile);
  const policy = policyFile === undefined ? undefined : readPolicyOrThrow(text, policyFile);
  const keys = await patrolKeys(policyFile, policy, order, now);
  const mark = await markOf(policyFile, policy, now + minutes * 60);
  const files = await filesAtHand(order, policy);
  const about = JSON.stringify([url, createHash('sha256').update(text).digest('hex')]);
  const record = order.resume === undefined ? noRecord : await openRecord(order.resume, about);
  view.onStart?.(() => record.flush());
  const limits = { pages, until: Date.now() + minutes * 60_000, atOnce, stop: order.stop };
  const result = await patrol({
    url,
    policy,
    keys,
    files,
    from,
    limits,
    pause,
    skip,
    record,
    now,
    mark,
    onProgress: view.onProgress ?? (() => undefined),
  });
  return { result, policy, text };
}

/** What tells the site's own journal that this is a patrol: only who has its secret can make it. */
async function markOf(
  policyFile: string | undefined,
  policy: Policy | undefined,
  until: number,
): Promise<string | undefined> {
  if (policyFile === undefined || policy === undefined) return undefined;
  const chain = await keysAtHand(policyFile);
  // Longer than the walk, which may be followed by what takes a while.
  return chain && patrolMark(audienceOf(policy.site), until + 3600, chain);
}

async function filesAtHand({ policyFile, folder }: PatrolOrder, policy: Policy | undefined): Promise<KnownFile[]> {
  if (folder === undefined && policy?.site.folder === undefined) return [];
  const isPolicy = policy !== undefined && policyFile !== undefined;
  const root = isPolicy ? siteFolder(policyFile, policy, folder) : (folder ?? '');
  // One that is only named in the policy need not be at hand.
  const isThere = await stat(root).then(
    (found) => found.isDirectory(),
    () => false,
  );
  if (!isThere && folder === undefined) return [];
  return knownFiles(root, isPolicy ? isOwnFile(policyFile, policy) : undefined);
}

/** The files of a folder, to be read when they are compared. */
export async function knownFiles(root: string, isOwn?: (path: string) => boolean): Promise<KnownFile[]> {
  const paths = await siteFiles(root, isOwn);
  return paths.map((path) => ({
    target: targetOf(path),
    type: mime.getType(path) ?? 'application/octet-stream',
    read: () => readFile(join(root, path)),
  }));
}

/** A patrol's result as it is told: each finding with what it means. */
export function reportOf(result: PatrolResult): PatrolReport {
  const told = ({ title, why, mend }: (typeof patrolTable)[PatrolCode]) => ({ title, why, mend });
  return {
    ...result,
    findings: result.findings.map((finding) => ({
      ...finding,
      ...told(patrolTable[finding.code]),
    })),
    groups: groupedFindings(result.findings),
  };
}
