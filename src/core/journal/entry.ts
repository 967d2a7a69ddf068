import * as z from 'zod';

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

export type JournalType = (typeof journalTypes)[number];

/**
 * One line of the journal. It never has a password, a token, a query or a whole address in it: what
 * is not listed here is not written.
 */
export interface JournalEntry {
  /** When, as RFC 3339 in UTC. */
  readonly at: string;
  readonly type: JournalType;
  readonly lock?: string | undefined;
  /** The id of the password, imported user or entry link that opened it. */
  readonly opener?: string | undefined;
  /** Its label at that time. */
  readonly label?: string | undefined;
  /** The path that was asked for, without a query. */
  readonly path?: string | undefined;
  /** The id of a section that its page does not have. */
  readonly section?: string | undefined;
  /** Why nothing could be cut out of a page. */
  readonly why?: string | undefined;
  /** Why an address was refused. */
  readonly refusal?: string | undefined;
  /** The network of the visitor: the address without its last part. */
  readonly from?: string | undefined;
  /** That a patrol of the site's owner did it. */
  readonly patrol?: boolean | undefined;
  /** Of `skipped`: how many were too many to be written. */
  readonly count?: number | undefined;
}

const entrySchema: z.ZodType<JournalEntry> = z.object({
  at: z.iso.datetime(),
  type: z.enum(journalTypes),
  lock: text.optional(),
  opener: text.optional(),
  label: text.optional(),
  path: text.optional(),
  section: text.optional(),
  why: text.optional(),
  refusal: text.optional(),
  from: text.optional(),
  patrol: z.boolean().optional(),
  count: z.int().nonnegative().optional(),
});

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
  readonly patrol?: true;
}

/** The entry for something that happened, with nothing in it but what an entry may have. */
export function entryOf(event: Happened, at: Date, addresses: 'masked' | 'none'): JournalEntry {
  const { type, lock, opener, label, path, id, why, refusal, address, patrol } = event;
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
    patrol,
  };
  return entrySchema.parse(entry);
}
