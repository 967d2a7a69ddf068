import * as z from 'zod';
import type { RequestEntry } from '../core/site-ports.js';

/** A request as it lies in a list: of lines of JSON, or of a table, in which all are texts. */
export const requestSchema: z.ZodType<RequestEntry> = z.object({
  at: z.string(),
  lock: z.string(),
  address: z.string(),
  language: z.string(),
  consent: z.string(),
  gives: z.enum(['password', 'link', 'nothing']),
  sent: z.union([z.boolean(), z.enum(['yes', 'no']).transform((word) => word === 'yes')]),
});
