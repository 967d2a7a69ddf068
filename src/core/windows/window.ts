import { parseMoment, type Pick } from './moment.js';

/** The time in which something counts, in seconds since 1970: from `from` up to but not `until`. */
export interface Window {
  readonly from?: number | undefined;
  readonly until?: number | undefined;
}

export function isWithin({ from, until }: Window, now: number): boolean {
  return (from === undefined || now >= from) && (until === undefined || now < until);
}

/**
 * Reads a window. Where a local time occurs twice, the reading is chosen that lets fewer people
 * in: a lock counts for longer, a password or a bypass for less long.
 *
 * @param purpose - whether the window is of something that `shuts` or that `opens`
 * @returns the window, or what is wrong with it and under which key
 */
export function readWindow(
  written: { readonly from?: string | undefined; readonly until?: string | undefined },
  zone: string,
  purpose: 'shuts' | 'opens',
): Window | { readonly key: 'from' | 'until'; readonly problem: string } {
  const read = (text: string | undefined, pick: Pick) =>
    text === undefined ? undefined : parseMoment(text, zone, pick);
  const from = read(written.from, purpose === 'shuts' ? 'earlier' : 'later');
  const until = read(written.until, purpose === 'shuts' ? 'later' : 'earlier');
  for (const key of ['from', 'until'] as const) {
    const moment = key === 'from' ? from : until;
    if (written[key] !== undefined && moment === undefined) {
      return { key, problem: `\`${written[key]}\` is no moment: write ${momentExample}` };
    }
  }
  if (from !== undefined && until !== undefined && until <= from) {
    return { key: 'until', problem: 'it ends before it begins' };
  }
  return { from, until };
}

/** How moments are written, for messages. */
export const momentExample = '`2026-12-01`, `2026-12-01T09:00` or `2026-12-01T09:00[Europe/Dublin]`';
