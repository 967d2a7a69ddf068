import { DorlinError } from '../../core/errors.js';

/** Lines by which a machine runs a patrol every night. */
export interface Schedule {
  /** One line of a crontab (5). */
  readonly cron: string;
  /** Two units of systemd: a service (systemd.service 5) and its timer (systemd.timer 5). */
  readonly systemd: { readonly service: string; readonly timer: string };
}

/** A word for a shell, whatever is in it (POSIX 2.2.2). In a crontab `%` ends the command. */
const quoted = (word: string) => (/^[\w@:./-]+$/.test(word) ? word : `'${word.replaceAll("'", `'\\''`)}'`);
/** A word for systemd, where `%` and `$` mean something. */
const quotedUnit = (word: string) =>
  `"${word
    .replaceAll('\\', '\\\\')
    .replaceAll('"', '\\"')
    .replaceAll('%', '%%')
    .replaceAll('$', () => '$$')}"`;

/**
 * What to write down so that a patrol is run every night without `dorlin serve`.
 *
 * @param time - `03:00`, in the time zone of the machine
 * @throws DorlinError `time-invalid`
 */
export function scheduleOf(url: string, policyFile: string, time: string): Schedule {
  const [, hour, minute] = /^([01]\d|2[0-3]):([0-5]\d)$/.exec(time) ?? [];
  if (hour === undefined || minute === undefined) {
    throw new DorlinError('time-invalid', `\`${time}\` is no time of the day: write it as 03:00.`);
  }
  const words = ['npx', 'dorlin', 'patrol', url, '--policy', policyFile, '--no-ask', '--keep'];
  return {
    cron: `${Number(minute)} ${Number(hour)} * * * ${words.map(quoted).join(' ').replaceAll('%', '\\%')}`,
    systemd: {
      service: `[Unit]\nDescription=Patrol of ${url.replaceAll('%', '%%')}\n\n[Service]\nType=oneshot\nExecStart=/usr/bin/env ${words.map(quotedUnit).join(' ')}\n`,
      timer: `[Unit]\nDescription=Patrol every night\n\n[Timer]\nOnCalendar=*-*-* ${time}:00\nPersistent=true\n\n[Install]\nWantedBy=timers.target\n`,
    },
  };
}
