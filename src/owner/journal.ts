import { closest } from 'fastest-levenshtein';
import { findingTable } from '../core/check/table.js';
import { DorlinError } from '../core/errors.js';
import { journalTypes, type JournalEntry } from '../core/journal/entry.js';
import { isWanted, summarize, type JournalFilter, type JournalSummary } from '../core/journal/summary.js';
import { standOutText, standsOut, type StandOut } from '../core/journal/stands-out.js';
import type { Policy } from '../core/policy/types.js';
import { readWhen } from '../core/windows/when.js';
import { followJournal, journalFile, readJournal } from '../stores/journal-file.js';
import { loadPolicy } from '../stores/policy-file.js';
import { lockNamed } from './named.js';

/** Which events are wanted. */
export interface JournalOrder {
  readonly locks?: readonly string[] | undefined;
  readonly events?: readonly string[] | undefined;
  /** From this moment on, or so far back. */
  readonly since?: string | undefined;
  /** Whether the visits of patrols are counted as well. */
  readonly patrols?: boolean | undefined;
}

/** What happened at the locks: counts, charts by day, and the events. */
export interface JournalResult extends JournalSummary {
  readonly site: string;
  readonly entries: readonly JournalEntry[];
  /** How many events of patrols were left out. */
  readonly patrolEvents: number;
  /** What an owner would want to be told, of all that is kept and whatever was asked for. */
  readonly standsOut: readonly ToldStandOut[];
}

/** Something that stands out, in words. */
export type ToldStandOut = StandOut & {
  /** The same as a sentence. */
  readonly text: string;
  /** What one may do about it. */
  readonly mend: string;
};

const toldStandOut = (one: StandOut, zone: string): ToldStandOut => ({
  ...one,
  text: standOutText(one, zone),
  mend: findingTable[one.kind].mend,
});

/** What stands out in the journal; nothing where none is kept, or it cannot be read. */
export async function standingOut(policyFile: string, policy: Policy): Promise<readonly ToldStandOut[]> {
  const file = journalFile(policyFile, policy);
  if (file === undefined || policy.journal === undefined) return [];
  const kept = await readJournal(file, policy.journal.keepSeconds).catch(() => []);
  return told(kept, policy);
}

const told = (kept: readonly JournalEntry[], policy: Policy) =>
  standsOut(
    kept.filter(({ patrol }) => patrol !== true),
    policy,
    Date.now() / 1000,
  ).map((one) => toldStandOut(one, policy.site.timeZone));

/** @throws DorlinError `journal-off`, `lock-unknown`, `event-unknown`, `time-invalid` */
export async function readEvents(policyFile: string, order: JournalOrder = {}): Promise<JournalResult> {
  const policy = await loadPolicy(policyFile);
  const { file, keepSeconds } = journalOf(policyFile, policy);
  const filter = filterOf(order, policy);
  const kept = await readJournal(file, keepSeconds);
  const all = kept.filter((entry) => isWanted(entry, filter));
  const entries = order.patrols === true ? all : all.filter(({ patrol }) => patrol !== true);
  return {
    site: policy.site.name,
    ...summarize(entries, policy, Date.now() / 1000),
    entries,
    patrolEvents: all.filter(({ patrol }) => patrol === true).length,
    standsOut: told(kept, policy),
  };
}

/**
 * Follows events as they happen.
 *
 * @returns what ends that
 * @throws DorlinError as {@link readEvents}
 */
export async function followEvents(
  policyFile: string,
  order: JournalOrder,
  onEvents: (entries: readonly JournalEntry[]) => void,
): Promise<() => Promise<void>> {
  const policy = await loadPolicy(policyFile);
  const { file } = journalOf(policyFile, policy);
  const filter = filterOf(order, policy);
  return followJournal(file, (entries) => {
    const wanted = entries.filter(
      (entry) => isWanted(entry, filter) && (order.patrols === true || entry.patrol !== true),
    );
    if (wanted.length > 0) onEvents(wanted);
  });
}

/** @throws DorlinError `journal-off` */
function journalOf(policyFile: string, policy: Policy): { readonly file: string; readonly keepSeconds: number } {
  const file = journalFile(policyFile, policy);
  if (file === undefined || policy.journal === undefined) {
    throw new DorlinError('journal-off', `${policyFile} keeps no journal.`);
  }
  return { file, keepSeconds: policy.journal.keepSeconds };
}

function filterOf({ locks = [], events = [], since }: JournalOrder, policy: Policy): JournalFilter {
  for (const name of locks) lockNamed(policy, name);
  for (const type of events) {
    if ((journalTypes as readonly string[]).includes(type)) continue;
    throw new DorlinError('event-unknown', `There is no event \`${type}\`.`, {
      mend: `Did you mean \`${closest(type, journalTypes)}\`? There are: ${journalTypes.join(', ')}.`,
    });
  }
  if (since === undefined) return { locks, types: events };
  const now = Date.now() / 1000;
  const when = { name: '--since', zone: policy.site.timeZone, now, isBack: true };
  return { locks, types: events, since: readWhen(since, when).seconds };
}
