import { stringify } from 'csv-stringify/sync';
import type { JournalEntry } from '../core/journal/entry.js';

const columns = ['at', 'type', 'lock', 'opener', 'label', 'path', 'section', 'refusal', 'from', 'count'] as const;

/**
 * Events as CSV (RFC 4180). What a spreadsheet would take for a formula is marked as text: paths come from visitors.
 * @param header - whether the names of the columns come first
 */
export const journalCsv = (entries: readonly JournalEntry[], header: boolean): string =>
  stringify([...entries], { header, columns: [...columns], escape_formulas: true });
