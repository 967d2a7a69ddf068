import * as z from 'zod';
import type { LockSettings } from '../owner/lock-settings.js';
import type { SeenBy } from '../owner/seen-by.js';

/** A line that somebody types. */
export const line = z.string().min(1).max(500);
export const name = z.string().min(1).max(64);
export const lines = z.array(line).max(5000);
const optionalLine = line.optional();

export const seenBy = z
  .strictObject({
    opened: z.array(name).max(100).optional(),
    from: optionalLine,
    person: optionalLine,
    roles: z.array(line).max(50).optional(),
    signedIn: z.boolean().optional(),
    searchEngine: z.literal(true).optional(),
    at: optionalLine,
  })
  .transform((given): SeenBy => given);

export const newPassword = z.union([
  z.strictObject({ typed: z.string().max(1000) }),
  z.strictObject({ words: z.number().int() }),
]);

const orNull = line.nullable().optional();

export const lockSettings = z
  .strictObject({
    title: orNull,
    remember: z
      .union([line, z.strictObject({ choice: line })])
      .nullable()
      .optional(),
    from: orNull,
    until: orNull,
    outsiders: z
      .union([z.enum(['screen', 'not-found', 'closed']), z.strictObject({ redirect: line })])
      .nullable()
      .optional(),
    wrong: z.strictObject({ after: z.number().int(), redirect: line }).nullable().optional(),
    after: orNull,
    screen: orNull,
    requires: z.array(name).nullable().optional(),
    bypass: z.array(name).nullable().optional(),
    basic: z
      .union([z.boolean(), z.literal('always')])
      .nullable()
      .optional(),
    enabled: z.boolean().optional(),
  })
  .transform((given): LockSettings => given);

export const bypassOrder = z.strictObject({
  addresses: lines.optional(),
  roles: lines.optional(),
  people: lines.optional(),
  signedIn: z.boolean().optional(),
  locks: z.array(name).optional(),
  everyLock: z.boolean().optional(),
  from: orNull,
  until: orNull,
});

export const linkOrder = z.strictObject({
  label: optionalLine,
  from: optionalLine,
  until: optionalLine,
  to: optionalLine,
  uses: z.number().int().optional(),
});

export const planOrder = z.strictObject({
  every: line,
  count: z.number().int(),
  overlap: optionalLine,
  from: optionalLine,
  label: optionalLine,
  words: z.number().int().optional(),
});

export const handingOut = z.strictObject({ language: optionalLine, origin: optionalLine });

export const none = z.strictObject({});
