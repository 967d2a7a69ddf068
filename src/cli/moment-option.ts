import { DorlinError } from '../core/errors.js';
import { parseMoment } from '../core/windows/moment.js';
import { momentExample } from '../core/windows/window.js';

/**
 * The moment that an option names, in seconds since 1970; the present one without it.
 * @throws DorlinError `call-wrong`
 */
export function momentOf(text: string | undefined, zone: string): number {
  if (text === undefined) return Date.now() / 1000;
  const moment = parseMoment(text, zone, 'earlier');
  if (moment !== undefined) return moment;
  throw new DorlinError('call-wrong', `\`${text}\` is no moment.`, {
    mend: `Write ${momentExample}.`,
  });
}
