import { DorlinError } from '../errors.js';
import { parseSpan, spanExample } from '../policy/span.js';
import { formatMoment, parseMoment, type Pick } from './moment.js';
import { momentExample } from './window.js';

/** A moment as it is written into a policy, and in seconds since 1970. */
export interface When {
  readonly text: string;
  readonly seconds: number;
}

/** What a time is for, and how it is read. */
export interface WhenOptions {
  /** What it is called where it cannot be: `--until`. */
  readonly name: string;
  /** The time zone of what names none. */
  readonly zone: string;
  /** The present, in seconds since 1970: spans are counted from it. */
  readonly now: number;
  /** Whether a span leads back from now instead: `--since '7 days'`. */
  readonly isBack?: boolean;
  /** Which of two moments is meant by a local time that occurs twice. @default 'earlier' */
  readonly pick?: Pick;
  /** What would be so at once, if the moment were past: it is refused then. */
  readonly past?: string;
}

/**
 * Reads a time as owners say it, the same everywhere: a moment (`2026-12-01T09:00`), or a span from now
 * on (`7 days`).
 *
 * @throws DorlinError `time-invalid`; `time-past` where that is refused
 */
export function readWhen(text: string, options: WhenOptions): When {
  const { name, zone, now, isBack = false, pick = 'earlier', past } = options;
  const span = parseSpan(text);
  const moment = span === undefined ? parseMoment(text, zone, pick) : isBack ? now - span : now + span;
  if (moment === undefined) {
    throw new DorlinError('time-invalid', `${name}: \`${text}\` is neither a moment nor a span of time.`, {
      mend: `Write ${momentExample}, or a span from now on: ${spanExample}.`,
    });
  }
  if (past !== undefined && moment <= now) {
    throw new DorlinError('time-past', `${name}: ${text} is past, so ${past}.`);
  }
  // Minutes are what owners write; a span that is cut off must not end too early.
  const whole = Math.ceil(moment / 60) * 60;
  return span === undefined
    ? { text, seconds: moment }
    : { text: formatMoment(whole, zone), seconds: isBack ? moment : whole };
}

/**
 * Reads a span of time.
 * @throws DorlinError `time-invalid`
 */
export function readSpan(text: string, name: string): number {
  const seconds = parseSpan(text);
  if (seconds !== undefined) return seconds;
  throw new DorlinError('time-invalid', `${name}: \`${text}\` is no span of time.`, {
    mend: `Write for example ${spanExample}.`,
  });
}
