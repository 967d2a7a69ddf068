import type { Policy } from '../../core/policy/types.js';
import { localTime } from '../../core/windows/moment.js';
import { patrolTable } from '../../patrol/finding-table.js';
import { sendLetterBySmtp } from '../../stores/mail.js';
import type { Letter } from '../../core/ports.js';
import { patrolStanding, type KeptPatrol } from './kept-patrols.js';
import { patrolOwnSite } from './own-patrol.js';

/** What keeps the patrol of every night. */
export interface Nights {
  readonly policyFile: string;
  /** The policy as it is now. */
  readonly policy: () => Policy;
  /** Where the site answers, as seen from this machine. */
  readonly url: string;
  /** Told when one has run, or why it could not. */
  readonly onDone?: ((kept: KeptPatrol) => void) | undefined;
  readonly onFailed?: ((problem: string) => void) | undefined;
  /** In seconds since 1970. @default the time of the machine */
  readonly clock?: (() => number) | undefined;
  /** In the place of SMTP. */
  readonly send?: ((letter: Letter) => Promise<void>) | undefined;
  readonly run?: typeof patrolOwnSite | undefined;
}

/** How often it is looked whether it is time, in milliseconds. */
const every = 30_000;

/** A keeper of the patrol of every night. */
export interface NightWatch {
  /** Looks whether it is time, and runs the patrol where it is. */
  readonly look: () => Promise<void>;
  readonly close: () => void;
}

/**
 * Runs a patrol every night at the time that the policy names (`patrol.nightly`), in the time zone of the site; and
 * sends a letter where something leaks. A night that has passed before this began is not made up for.
 */
export function nightWatch(nights: Nights): NightWatch {
  const { policyFile, policy, onDone, onFailed, run = patrolOwnSite } = nights;
  const clock = nights.clock ?? (() => Date.now() / 1000);
  const dayAndTime = () => {
    const at = localTime(clock(), policy().site.timeZone);
    return { day: at.slice(0, 10), time: at.slice(11, 16) };
  };
  const begun = dayAndTime();
  const set = policy().patrol.nightly;
  let lastDay = set !== undefined && begun.time >= set ? begun.day : '';
  let running: Promise<void> | undefined;
  const patrol = async () => {
    const { url = nights.url, mail } = policy().patrol;
    const kept = await run(policyFile, { url, by: 'night', isHere: true });
    onDone?.(kept);
    const standing = await patrolStanding(policyFile);
    if (mail.length === 0 || standing === undefined || standing.last.leaks === 0) return;
    const send = nights.send ?? ((letter: Letter) => sendLetterBySmtp(letter, policy().mail));
    for (const to of mail) await send({ to, ...letterOf(policy(), standing) });
  };
  const look = async () => {
    const { nightly } = policy().patrol;
    const { day, time } = dayAndTime();
    // Later on the same day counts too: a clock that is put forward may leave the minute out.
    if (nightly === undefined || time < nightly || day === lastDay || running !== undefined) return;
    lastDay = day;
    running = patrol()
      .catch((error: unknown) => onFailed?.(error instanceof Error ? error.message : String(error)))
      .finally(() => (running = undefined));
    await running;
  };
  const timer = setInterval(() => void look(), every);
  timer.unref();
  return {
    look,
    close: () => {
      clearInterval(timer);
    },
  };
}

/** What is written to whoever is to know that something leaks. No word of what is locked is in it. */
function letterOf(
  { site }: Policy,
  { last: { at, url, groups, leaks }, before }: NonNullable<Awaited<ReturnType<typeof patrolStanding>>>,
): Pick<Letter, 'subject' | 'text'> {
  const leaking = groups.filter(({ severity }) => severity === 'leak');
  const lines = leaking.flatMap(({ code, lock, lines: all, isNew }) => [
    `- ${patrolTable[code].title}${lock === '' ? '' : `, at the lock ${lock}`}${isNew ? ' (new since the last patrol)' : ''}`,
    ...all.slice(0, 5).map(({ where }) => `    ${where}`),
  ]);
  const count = leaks === 1 ? 'one thing leaks' : `${leaks} things leak`;
  return {
    subject: `${site.name}: ${count}`,
    text: [
      `The patrol of ${at.slice(0, 10)} walked ${url} as a stranger, and ${count}:`,
      '',
      ...lines,
      '',
      before === undefined ? '' : `The patrol before was on ${before.slice(0, 10)}.`,
      'The console shows it in the room Patrol, with what closes it.',
    ].join('\n'),
  };
}
