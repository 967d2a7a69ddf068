import type { Policy } from '../../core/policy/types.js';
import { localTime } from '../../core/windows/moment.js';
import { patrolTable } from '../../patrol/finding-table.js';
import { sendLetterBySmtp } from '../../stores/mail.js';
import type { Letter } from '../../core/site-ports.js';
import type { PatrolFinding } from '../../patrol/finding.js';
import { keepFailedNight, patrolStanding, type KeptPatrol, type PatrolStanding } from './kept-patrols.js';
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
  const stop = new AbortController();
  let looked = dayAndTime();
  let lastDay = '';
  let running: Promise<void> | undefined;
  const failed = async (error: unknown) => {
    const problem = problemOf(error);
    onFailed?.(problem);
    // Whoever opens the console is to know that nothing was looked at, or that nobody was told.
    const at = new Date(clock() * 1000).toISOString();
    await keepFailedNight(policyFile, { at, problem }).catch(() => undefined);
  };
  const patrol = async () => {
    const { url = nights.url, mail } = policy().patrol;
    const kept = await run(policyFile, { url, by: 'night', isHere: true, stop: stop.signal });
    onDone?.(kept);
    if (mail.length === 0 || !kept.findings.some(({ severity }) => severity === 'leak')) return;
    const send = nights.send ?? ((letter: Letter) => sendLetterBySmtp(letter, policy().mail));
    const letter = letterOf(policy(), kept, await patrolStanding(policyFile));
    // Whoever cannot be reached keeps nobody else from being told.
    const sent = await Promise.allSettled(mail.map((to) => send({ to, ...letter })));
    for (const one of sent) if (one.status === 'rejected') await failed(one.reason);
  };
  const look = async () => {
    const { nightly } = policy().patrol;
    const [before, now] = [looked, dayAndTime()];
    looked = now;
    // Its minute has come since it was looked last: a clock that is put forward may leave it out, and a time that
    // is set in the policy after it has passed is for the next night.
    const isDue = nightly !== undefined && now.time >= nightly && (before.day < now.day || before.time < nightly);
    if (!isDue || now.day === lastDay || running !== undefined) return;
    lastDay = now.day;
    running = patrol()
      .catch(failed)
      .finally(() => (running = undefined));
    await running;
  };
  const timer = setInterval(() => void look(), every);
  timer.unref();
  return {
    look,
    close: () => {
      clearInterval(timer);
      stop.abort();
    },
  };
}

const problemOf = (error: unknown) => (error instanceof Error ? error.message : String(error));

/** What is written to whoever is to know that something leaks. No word of what is locked is in it. */
function letterOf(
  { site }: Policy,
  { at, url, findings }: KeptPatrol,
  standing: PatrolStanding | undefined,
): Pick<Letter, 'subject' | 'text'> {
  const leaks = findings.filter(({ severity }) => severity === 'leak');
  const isNew = ({ code, lock }: PatrolFinding) =>
    standing?.last.groups.some((group) => group.code === code && group.lock === lock && group.isNew) === true;
  const lines = leaks.flatMap((leak) => [
    `- ${patrolTable[leak.code].title}${leak.lock === '' ? '' : `, at the lock ${leak.lock}`}${isNew(leak) ? ' (new since the last patrol)' : ''}`,
    ...leak.cases.slice(0, 5).map(({ where }) => `    ${where}`),
  ]);
  const count = leaks.length === 1 ? 'one thing leaks' : `${leaks.length} things leak`;
  const before = standing?.before;
  return {
    subject: `${site.name}: ${count}`,
    text: [
      `The patrol of ${at.slice(0, 10)} walked ${url} as a stranger, and ${count}:`,
      '',
      ...lines.slice(0, 200),
      '',
      ...(before === undefined ? [] : [`The patrol before was on ${before.slice(0, 10)}.`]),
      'The console shows it in the room Patrol, with what closes it.',
    ].join('\n'),
  };
}
