import { DateTime } from 'luxon';

const shape =
  /^(\d{4}-\d{2}-\d{2})(?:T(\d{2}:\d{2}(?::\d{2})?)(Z|[+-]\d{2}:\d{2})?)?(?:\[([A-Za-z0-9_+/-]+)\])?$/;

/** Which of two moments is meant by a local time that occurs twice, when clocks go back. */
export type Pick = 'earlier' | 'later';

/**
 * Reads a moment: a date (its first moment), a local time, either with a time zone in brackets, or
 * a time with its offset (RFC 3339, RFC 9557). A local time that is skipped when clocks go forward
 * is the moment so long after the change.
 *
 * @param zone - the IANA time zone of what names none
 * @returns seconds since 1970, or undefined for what is no moment; also where offset and zone
 * disagree (RFC 9557 section 3.4)
 */
export function parseMoment(text: string, zone: string, pick: Pick): number | undefined {
  const found = shape.exec(text);
  if (found === null) return undefined;
  const [, date = '', time = '00:00', offset, named] = found;
  const local = DateTime.fromISO(`${date}T${time}`, { zone: named ?? zone });
  if (!local.isValid) return undefined;
  const moments = local.getPossibleOffsets().map((moment) => moment.toSeconds());
  if (offset === undefined) return pick === 'earlier' ? Math.min(...moments) : Math.max(...moments);
  const exact = DateTime.fromISO(`${date}T${time}${offset}`).toSeconds();
  if (Number.isNaN(exact)) return undefined;
  // `Z` says nothing of the zone's own offset; any other offset must be one the zone has then.
  return named === undefined || offset === 'Z' || moments.includes(exact) ? exact : undefined;
}

/** A moment as owners write it, in a time zone: `2026-12-01T09:00`, and its zone. */
export function formatMoment(seconds: number, zone: string): string {
  const moment = DateTime.fromSeconds(seconds, { zone });
  return `${moment.toFormat("yyyy-MM-dd'T'HH:mm")}[${zone}]`;
}
