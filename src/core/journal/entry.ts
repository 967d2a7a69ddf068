import { z } from 'zod';

/** Everything that can happen at the locks. */
export const journalTypes = [
  'asked',
  'closed',
  'unlocked',
  'entered',
  'wrong',
  'waiting',
  'busy',
  'requested',
  'request-failed',
  'left',
  'dead-link',
  'refused',
  'section-missing',
  'page-uncut',
  'failed',
  'skipped',
] as const;

const text = z.string().max(1000);

/**
 * One line of the journal. It never has a password, a token, a query or a whole address in it: what
 * is not listed here is not written.
 */
const entrySchema = z.object({
  /** When, as RFC 3339 in UTC. */
  at: z.iso.datetime(),
  type: z.enum(journalTypes),
  lock: text.optional(),
  /** The id of the password, imported user or entry link that opened it. */
  opener: text.optional(),
  /** Its label at that time. */
  label: text.optional(),
  /** The path that was asked for, without a query. */
  path: text.optional(),
  /** The id of a section that its page does not have. */
  section: text.optional(),
  /** Why nothing could be cut out of a page. */
  why: text.optional(),
  /** Why an address was refused. */
  refusal: text.optional(),
  /** The network of the visitor: the address without its last part. */
  from: text.optional(),
  /** Of `skipped`: how many were too many to be written. */
  count: z.int().nonnegative().optional(),
});

export type JournalEntry = z.output<typeof entrySchema>;
export type JournalType = JournalEntry['type'];

/** Reads one line; undefined for what is none, such as one that a crash has cut off. */
export function readEntry(line: string): JournalEntry | undefined {
  try {
    return entrySchema.safeParse(JSON.parse(line)).data;
  } catch {
    return undefined;
  }
}

/** What happened, as the guard tells it. */
export interface Happened {
  readonly type: JournalType;
  readonly address: string;
  readonly lock?: string;
  readonly opener?: string;
  readonly label?: string;
  readonly path?: string;
  readonly id?: string;
  readonly why?: string;
  readonly refusal?: string;
}

/** The entry for something that happened, with nothing in it but what an entry may have. */
export function entryOf(event: Happened, at: Date, addresses: 'masked' | 'none'): JournalEntry {
  const { type, lock, opener, label, path, id, why, refusal, address } = event;
  const entry = {
    at: at.toISOString(),
    type,
    lock: lock === '' ? undefined : lock,
    opener,
    label,
    // Some applications put tokens behind a semicolon.
    path: path?.split(/[?#;]/, 1)[0],
    section: id,
    why,
    refusal,
    from: addresses === 'masked' ? address : undefined,
  };
  return entrySchema.parse(entry);
}
