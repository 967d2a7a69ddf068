import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { call, useKnown, type CallResult, type Session } from './api.js';
import { usePatrol, when } from './patrol-outcome.js';
import { announce, Dialog, Field, Form, plain, plural, Problem, useAct } from './ui.js';

type Standing = CallResult<'patrol.standing'>;
type Kept = NonNullable<Standing['standing']>;
type Group = Kept['last']['groups'][number];

/** Walks the site as strangers and guests do, and tells what leaks. */
export function Patrol({ session }: { readonly session: Session }) {
  const { data, error, refetch } = usePatrol(true);
  const { patrolled } = useKnown();
  const [url, setUrl] = useState<string>();
  const [asking, setAsking] = useState<'night'>();
  const wanted = url ?? data?.standing?.last.url ?? session.siteUrl ?? session.about?.origin ?? 'http://localhost:4280';
  const start = useAct(async () => {
    await call('patrol', { url: wanted });
    await refetch();
  });
  const stop = useAct(async () => {
    await call('patrol.stop', {});
    announce('The patrol ends with what it has seen.');
  });
  const mend = useAct(async () => {
    const { changes, byHand } = await call('patrol.mend', {});
    announce(
      changes.length === 0
        ? 'No change of the policy closes this: it is to be mended at the site.'
        : `In the draft: ${plural(changes.length, 'change')}${byHand > 0 ? `; ${byHand} to be mended at the site` : ''}. Go live, and run the patrol again.`,
    );
  });
  if (data === undefined)
    return <div className="empty">{error === null ? <p>One moment …</p> : <Problem error={error} />}</div>;
  const { standing, running, problem, nightly, failed } = data;
  return (
    <div className="room patrol">
      <header className="room-head">
        <h2>Patrol</h2>
        <p className="hint">
          Goes over the running site as strangers do, with wrong and right passwords, and by every spelling of an
          address.
        </p>
      </header>
      {running === undefined ? (
        <form
          className="walk"
          onSubmit={(event) => {
            event.preventDefault();
            void start.act();
          }}
        >
          <input
            aria-label="Where the site runs"
            type="url"
            required
            value={wanted}
            onChange={(event) => setUrl(event.target.value)}
          />
          <button className="main" disabled={start.isBusy}>
            {standing === undefined ? 'Run the first patrol' : 'Run it again'}
          </button>
        </form>
      ) : (
        <div className="under-way" role="status">
          <p>
            Walking {running.url}
            {patrolled !== undefined &&
              `: ${patrolled.phase}, ${patrolled.done}${patrolled.all > 0 ? ` of ${patrolled.all}` : ''}`}
          </p>
          <progress
            aria-label="How far it has come"
            {...(patrolled !== undefined && patrolled.all > 0 && { value: patrolled.done, max: patrolled.all })}
          />
          <button type="button" onClick={() => void stop.act()}>
            Stop
          </button>
        </div>
      )}
      <Problem error={start.error ?? stop.error ?? mend.error} />
      {problem !== undefined && running === undefined && (
        <p className="problem" role="alert">
          The last patrol did not come to an end: {problem.message} {problem.mend}
        </p>
      )}
      {failed !== undefined && (
        <p className="problem" role="alert">
          The patrol of {when(failed.at)} told nobody anything: {plain(failed.problem)}
        </p>
      )}
      <p className="nightly">
        {nightly.nightly === undefined
          ? 'It does not run by itself.'
          : `It runs by itself every night at ${nightly.nightly}`}
        {nightly.nightly !== undefined &&
          (nightly.mail.length === 0
            ? ', while dorlin serve runs; nobody is written to.'
            : `, while dorlin serve runs; ${nightly.mail.join(', ')} ${nightly.mail.length === 1 ? 'is' : 'are'} written to when something leaks.`)}{' '}
        <button type="button" className="plain" onClick={() => setAsking('night')}>
          {nightly.nightly === undefined ? 'Run it every night' : 'Change that'}
        </button>
      </p>
      {standing === undefined ? (
        running === undefined && (
          <p className="empty">No patrol has been kept yet. The first one tells whether what you locked is closed.</p>
        )
      ) : (
        <Report standing={standing} onMend={() => void mend.act()} isMending={mend.isBusy} />
      )}
      {asking === 'night' && <Nightly nightly={nightly} url={wanted} onClose={() => setAsking(undefined)} />}
    </div>
  );
}

const severityWords = { leak: 'leaks', closed: 'shut out', warning: 'to be looked at' } as const;

function Report({
  standing,
  onMend,
  isMending,
}: {
  readonly standing: Kept;
  readonly onMend: () => void;
  readonly isMending: boolean;
}) {
  const { last, before, gone } = standing;
  const fresh = last.groups.filter(({ isNew }) => isNew).length;
  return (
    <>
      <section aria-label="What it found">
        <h3>{last.leaks === 0 ? 'Nothing leaks' : plural(last.leaks, 'leak')}</h3>
        <p className="note">
          {when(last.at)}, {{ night: 'by itself', hand: 'by hand', command: 'by the command line' }[last.by]}:{' '}
          {plural(last.addresses, 'address', 'addresses')} as a stranger, {plural(last.requests, 'request')} in{' '}
          {Math.round(last.seconds)} seconds.
          {last.isStopped && ' It was stopped before the end, so of the rest nothing is known.'}
          {!last.isStopped && last.left > 0 && ` ${last.left} more were known and not tried.`}
          {before !== undefined && ` Since that of ${when(before)}: ${fresh} new, ${gone.length} gone.`}
        </p>
        {last.notPlayed.length > 0 && (
          <p className="note">
            Not played:{' '}
            {last.notPlayed
              .map(({ role, lock, why }) => `${role}${lock === '' ? '' : ` at ${lock}`} (${plain(why)})`)
              .join('; ')}
            .
          </p>
        )}
        {last.groups.length > 0 && (
          <p className="buttons">
            <button type="button" className="main" disabled={isMending} onClick={onMend}>
              Put what closes it in the draft
            </button>
          </p>
        )}
      </section>
      <ol className="findings">
        {last.groups.map((group) => (
          <Finding key={`${group.code} ${group.lock}`} group={group} />
        ))}
      </ol>
      {gone.length > 0 && (
        <section aria-label="Gone since the patrol before">
          <h3>Gone since the patrol before</h3>
          <ul>
            {gone.map(({ code, lock, lines }) => (
              <li key={`${code} ${lock}`}>
                {lines.map(({ where }) => where).join(', ')} <span className="note">{lock}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}

function Finding({ group }: { readonly group: Group }) {
  const { title, severity, lock, why, mend, lines, isNew } = group;
  return (
    <li className={severity}>
      <h4>
        {title}{' '}
        <span className="note">{[severityWords[severity], lock, isNew ? 'new' : ''].filter(Boolean).join(', ')}</span>
      </h4>
      <p>{why}</p>
      <ul>
        {lines.map(({ where, how, words }) => (
          <li key={`${where} ${how}`}>
            <code>{where}</code> {how}
            {words !== undefined && <q>{words}</q>}
          </li>
        ))}
      </ul>
      <p className="note">{plain(mend)}</p>
    </li>
  );
}

/** When it runs by itself, and whom it writes to. */
function Nightly({
  nightly,
  url,
  onClose,
}: {
  readonly nightly: Standing['nightly'];
  readonly url: string;
  readonly onClose: () => void;
}) {
  const [time, setTime] = useState(nightly.nightly ?? '03:00');
  const [mail, setMail] = useState(nightly.mail.join(', '));
  const schedule = useQuery({
    queryKey: ['schedule', url, time],
    queryFn: () => call('patrol.schedule', { url, time }),
    enabled: /^\d\d:\d\d$/.test(time),
    retry: false,
  });
  const set = useAct(async (isOn: boolean) => {
    await call('site.change', {
      settings: isOn ? [`patrol.nightly=${time}`, `patrol.mail=${mail}`] : ['patrol.nightly='],
    });
    announce('In the draft.');
    onClose();
  });
  return (
    <Dialog title="Every night" onClose={onClose}>
      <Form act={() => set.act(true)}>
        <div className="pair">
          <Field label="At" hint="In the time zone of the site.">
            {(props) => (
              <input {...props} type="time" required value={time} onChange={(event) => setTime(event.target.value)} />
            )}
          </Field>
          <Field label="Write to" hint="When something leaks; several with commas between. Left empty, nobody.">
            {(props) => <input {...props} value={mail} onChange={(event) => setMail(event.target.value)} />}
          </Field>
        </div>
        <p className="hint">
          Kept by dorlin serve while it runs; it has to be live first. Where something else serves the site, the machine
          can run it:
        </p>
        {schedule.data !== undefined && <pre className="schedule">{schedule.data.cron}</pre>}
        <Problem error={set.error} />
        <p className="buttons">
          <button className="main" disabled={set.isBusy}>
            Put it in the draft
          </button>
          {nightly.nightly !== undefined && (
            <button type="button" disabled={set.isBusy} onClick={() => void set.act(false)}>
              No more by itself
            </button>
          )}
        </p>
      </Form>
    </Dialog>
  );
}
