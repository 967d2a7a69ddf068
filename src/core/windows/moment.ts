import { tzOffset } from '@date-fns/tz/tzOffset';

const shape =
  /^(\d{4})-(\d{2})-(\d{2})(?:T(\d{2}):(\d{2})(?::(\d{2}))?(Z|[+-]\d{2}:\d{2})?)?(?:\[([A-Za-z0-9_+/-]+)\])?$/;

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
  const numbers = found.slice(1, 7).map((digits: string | undefined) => Number(digits ?? 0));
  const [year = 0, month = 0, day = 0, hour = 0, minute = 0, second = 0] = numbers;
  const [offset, named] = found.slice(7);
  const isMidnight = hour === 24 && minute === 0 && second === 0;
  if ((hour > 23 && !isMidnight) || minute > 59 || second > 59) return undefined;
  const date = new Date(0);
  date.setUTCFullYear(year, month - 1, day);
  if (date.getUTCMonth() !== month - 1 || date.getUTCDate() !== day) return undefined;
  const clock = date.getTime() / 1000 + (hour * 60 + minute) * 60 + second;
  const moments = momentsOf(clock, named ?? zone);
  if (moments === undefined) return undefined;
  if (offset === undefined) return pick === 'earlier' ? Math.min(...moments) : Math.max(...moments);
  const ahead = secondsIn(offset);
  if (ahead === undefined) return undefined;
  const exact = clock - ahead;
  // `Z` says nothing of the zone's own offset; any other offset must be one the zone has then.
  return named === undefined || offset === 'Z' || moments.includes(exact) ? exact : undefined;
}

/** The seconds that an offset is ahead of UTC. */
function secondsIn(offset: string): number | undefined {
  if (offset === 'Z') return 0;
  const [hours = 0, minutes = 0] = offset.slice(1).split(':').map(Number);
  if (hours > 23 || minutes > 59) return undefined;
  return (offset.startsWith('-') ? -60 : 60) * (hours * 60 + minutes);
}

const day = 24 * 60 * 60;

/** When clocks of a zone show a time, in seconds as if it were UTC; undefined for an unknown zone. */
function momentsOf(clock: number, zone: string): number[] | undefined {
  if (!isZone(zone)) return undefined;
  const ahead = (at: number) => Math.round(tzOffset(zone, new Date(at * 1000)) * 60);
  const before = ahead(clock - day);
  const offsets = [...new Set([before, ahead(clock + day)])];
  const moments = offsets.map((one) => clock - one).filter((at) => ahead(at) === clock - at);
  // None shows a time that is skipped; the clock before the change would have gone on to it.
  return moments.length > 0 ? moments : [clock - before];
}

/** A moment as owners write it, in a time zone: `2026-12-01T09:00`, and its zone. */
export const formatMoment = (seconds: number, zone: string) => `${localTime(seconds, zone).slice(0, 16)}[${zone}]`;

/** The same, as a date alone where it is the date's beginning. */
export function momentText(seconds: number, zone: string): string {
  const date = localTime(seconds, zone).slice(0, 10);
  return parseMoment(date, zone, 'earlier') === seconds ? date : formatMoment(seconds, zone);
}

/** What clocks of a zone show at a moment: `2026-12-01T09:00:00.000Z`, its zone left out. */
export function localTime(seconds: number, zone: string): string {
  const moment = new Date(seconds * 1000);
  return new Date(moment.getTime() + tzOffset(zone, moment) * 60_000).toISOString();
}

const zones = new Map<string, boolean>();

/** Whether there is a time zone of that name. */
export function isZone(name: string): boolean {
  let known = zones.get(name);
  if (known !== undefined) return known;
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    known = true;
  } catch {
    known = false;
  }
  if (zones.size < 1000) zones.set(name, known);
  return known;
}
