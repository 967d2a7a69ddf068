import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import 'uplot/dist/uPlot.min.css';
import { call, useKnown, type CallResult, type Session } from './api.js';
import { DayChart, type Series } from './chart.js';
import { download } from './download.js';
import { Choice, plural, Problem, useAct } from './ui.js';

type Journal = CallResult<'journal'>;

const spans = [
  ['7 days', 'the last seven days'],
  ['30 days', 'the last thirty days'],
  ['', 'all that is kept'],
] as const;

/** Kinds of events that are asked for together. */
const kinds: Readonly<Record<string, readonly string[]>> = {
  in: ['unlocked', 'entered'],
  wrong: ['wrong', 'waiting', 'busy', 'dead-link'],
  met: ['asked', 'closed'],
  mail: ['requested', 'request-failed'],
  trouble: ['section-missing', 'page-uncut', 'refused', 'failed', 'skipped', 'request-failed'],
};
const kindWords: Readonly<Record<string, string>> = {
  '': 'everything',
  in: 'who came in',
  wrong: 'wrong tries',
  met: 'who was asked',
  mail: 'letters',
  trouble: 'what went wrong',
};

interface Filter {
  readonly lock: string;
  readonly kind: string;
  readonly since: string;
}

const filterInAddress = (): Filter => {
  const query = new URLSearchParams(location.search);
  const since = query.get('since') ?? '30 days';
  const kind = query.get('kind') ?? '';
  return {
    lock: query.get('lock') ?? '',
    kind: kind in kindWords ? kind : '',
    since: spans.some(([one]) => one === since) ? since : '30 days',
  };
};

/** What happened at the locks: what stands out, by day, by password, and one by one as it happens. */
export function Log({ session, locks }: { readonly session: Session; readonly locks: readonly string[] }) {
  const { version, events } = useKnown();
  const [filter, setFilter] = useState(filterInAddress);
  const [by, setBy] = useState<'lock' | 'opener'>('lock');
  const change = (more: Partial<Filter>) => {
    const next = { ...filter, ...more };
    setFilter(next);
    const query = new URLSearchParams(Object.entries(next).filter(([key, value]) => value !== '' || key === 'since'));
    history.replaceState(null, '', `/log?${query.toString()}`);
  };
  const order = useMemo(
    () => ({
      ...(filter.lock !== '' && locks.includes(filter.lock) && { locks: [filter.lock] }),
      ...(filter.kind !== '' && { events: [...(kinds[filter.kind] ?? [])] }),
      ...(filter.since !== '' && { since: filter.since }),
    }),
    [filter, locks],
  );
  const { data, error } = useQuery({
    queryKey: ['journal', JSON.stringify(order), version, events],
    queryFn: () => call('journal', order),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const csv = useAct(async () => {
    download('journal.csv', 'text/csv', (await call('journal.csv', order)).csv);
  });
  if (data === undefined)
    return <div className="empty">{error === null ? <p>Reading the journal …</p> : <Problem error={error} />}</div>;
  if (!data.isKept)
    return (
      <div className="empty">
        <h2>No journal is kept</h2>
        <p>
          So nobody knows who comes in and who guesses. To keep one, write <code>journal: {'{ keep: 90 days }'}</code>{' '}
          into the policy; addresses are kept without their last part.
        </p>
      </div>
    );
  return (
    <div className="room log">
      <header className="room-head">
        <h2>Log</h2>
        <p className="hint">
          {data.events === 0
            ? 'Nothing has happened at the locks in this time.'
            : `${plural(data.events, 'event')} at the locks. New ones appear by themselves.`}
        </p>
        <span className="buttons">
          <select aria-label="Lock" value={filter.lock} onChange={(event) => change({ lock: event.target.value })}>
            <option value="">every lock</option>
            {locks.map((lock) => (
              <option key={lock} value={lock}>
                {lock}
              </option>
            ))}
          </select>
          <select aria-label="Events" value={filter.kind} onChange={(event) => change({ kind: event.target.value })}>
            {Object.entries(kindWords).map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
          <select aria-label="Since" value={filter.since} onChange={(event) => change({ since: event.target.value })}>
            {spans.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
          {session.person?.role === 'owner' && (
            <button type="button" className="quiet" disabled={csv.isBusy} onClick={() => void csv.act()}>
              As CSV
            </button>
          )}
        </span>
      </header>
      <Problem error={csv.error} />
      <StandsOut data={data} />
      <Charts data={data} by={by} onBy={setBy} lock={filter.lock} />
      <Events data={data} session={session} />
    </div>
  );
}

function StandsOut({ data }: { readonly data: Journal }) {
  if (data.standsOut.length === 0) return null;
  return (
    <section className="stands-out" aria-label="What stands out">
      <h3>What stands out</h3>
      <ul>
        {data.standsOut.map(({ text, kind }) => (
          <li key={text} className={kind === 'password-unused' ? '' : 'warning'}>
            {text} <span className="note">{whatToDo[kind]}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

const whatToDo: Readonly<Record<Journal['standsOut'][number]['kind'], string>> = {
  'guess-flood': 'Tries are counted and slowed. If the password is an easy one, replace it among the ways in.',
  'password-around': 'Replace it among the ways in, with a time in which both count.',
  'password-unused': 'End it among the ways in, if nobody needs it any more.',
  'met-in-vain': 'Say on the screen whom it is for, or take the page out of your menus.',
};

function Charts({
  data,
  by,
  onBy,
  lock,
}: {
  readonly data: Journal;
  readonly by: 'lock' | 'opener';
  readonly onBy: (by: 'lock' | 'opener') => void;
  readonly lock: string;
}) {
  const isShown = (one: { readonly lock: string }) => lock === '' || one.lock === lock;
  const locks = useMemo(
    () =>
      data.locks.map((one) => ({
        ...one,
        series: [
          { name: 'Came in', counts: one.openedByDay },
          { name: 'Wrong tries', counts: one.wrongByDay, isDown: true },
        ] satisfies Series[],
      })),
    [data.locks],
  );
  const openers = useMemo(
    () => data.openers.map((one) => ({ ...one, series: [{ name: 'Used', counts: one.usedByDay }] satisfies Series[] })),
    [data.openers],
  );
  const kindWord = { password: 'password', link: 'link', gone: 'ended' } as const;
  return (
    <section aria-label="By day">
      <div className="chart-head">
        <h3>By day</h3>
        <Choice
          label="Charts"
          value={by}
          onChange={onBy}
          options={[
            ['lock', 'by lock'],
            ['opener', 'by password and link'],
          ]}
        />
        {by === 'lock' && <p className="hint">Upwards who came in, downwards wrong tries.</p>}
      </div>
      <div className="charts">
        {by === 'lock'
          ? locks.filter(isShown).map((one) => (
              <article key={one.lock}>
                <h4>{one.lock}</h4>
                <p className="note">
                  {plural(one.opened, 'time')} opened, {plural(one.wrong, 'wrong try', 'wrong tries')}
                  {one.waiting > 0 && `, ${one.waiting} not tried`}, met {plural(one.met, 'time')}
                  {one.lastOpened !== undefined && `; last on ${when(one.lastOpened)}`}
                </p>
                <DayChart title={one.lock} days={data.days} series={one.series} />
              </article>
            ))
          : openers.filter(isShown).map((one) => (
              <article key={`${one.lock} ${one.opener}`}>
                <h4>
                  {one.label}{' '}
                  <span className="note">
                    {kindWord[one.kind]} of {one.lock}
                  </span>
                </h4>
                <p className="note">
                  {one.used === 0 ? 'Not used in this time' : `Used ${plural(one.used, 'time')}`}
                  {one.lastUsed !== undefined && `; last on ${when(one.lastUsed)}`}
                </p>
                <DayChart title={`${one.label} of ${one.lock}`} days={data.days} series={one.series} />
              </article>
            ))}
      </div>
    </section>
  );
}

const when = (at: string) =>
  new Date(at).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });

/** One by one, the newest first. */
function Events({ data, session }: { readonly data: Journal; readonly session: Session }) {
  if (data.entries.length === 0) return null;
  const zone = session.about?.timeZone;
  const time = (at: string) =>
    new Date(at).toLocaleString('en-GB', {
      timeZone: zone,
      day: 'numeric',
      month: 'short',
      hour: '2-digit',
      minute: '2-digit',
      second: '2-digit',
    });
  return (
    <section aria-label="One by one">
      <h3>One by one</h3>
      <table className="events">
        <thead>
          <tr>
            <th scope="col">When</th>
            <th scope="col">What</th>
            <th scope="col">About</th>
            <th scope="col">From</th>
          </tr>
        </thead>
        <tbody>
          {data.entries.map(({ at, tone, what, about, from }, place) => (
            <tr key={`${at} ${data.entries.length - place}`}>
              <td>
                <time dateTime={at}>{time(at)}</time>
              </td>
              <td className={`tone-${tone}`}>{what}</td>
              <td>{about.join(' ')}</td>
              <td className="note">{from ?? ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {data.events > data.entries.length && (
        <p className="hint">The last {data.entries.length} of them. All are in the CSV.</p>
      )}
    </section>
  );
}
