import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { call, useKnown, type CallInput, type CallResult, type Session } from './api.js';
import { AddPassword, HandOut, PasswordField, useProposal } from './passwords.js';
import { visitorWord, type Seen } from './seen-by.js';
import { Why } from './why.js';
import { DoorSign, signOf } from './signs.js';
import type { Row } from './tree-model.js';
import {
  announce,
  Choice,
  Choices,
  Dialog,
  Field,
  Form,
  listed,
  momentWords,
  plural,
  Problem,
  useAct,
  windowWords,
} from './ui.js';

type Lock = CallResult<'ways'>['locks'][number];
type Settings = NonNullable<CallInput<'lock.change'>['settings']>;

/** The panel of whatever is chosen: one page, forty pages, a folder, a section, the site. */
export function Door({
  chosen,
  ways,
  seen,
  session,
}: {
  readonly chosen: readonly Row[];
  readonly ways: CallResult<'ways'>;
  readonly seen: Seen;
  readonly session: Session;
}) {
  const [doing, setDoing] = useState<'lock' | 'release'>();
  const [first] = chosen;
  if (first === undefined) {
    return (
      <div className="door-empty">
        <p>Choose a page, a folder or several of them to see their door: who gets in, and how.</p>
        <p className="hint">Click, or the arrow keys. Shift chooses a run of them, Ctrl one more, Ctrl and A all.</p>
      </div>
    );
  }
  const who = visitorWord(seen);
  const isOwner = session.person?.role === 'owner';
  const names = [...new Set(chosen.flatMap(({ locks }) => locks))];
  // One that does not count can be made to count here, and else would be as if it were not there.
  const idle = [...new Set(chosen.flatMap((row) => row.idle))].filter((name) => !names.includes(name));
  const locks = [...names, ...idle].flatMap((name) => ways.locks.find((one) => one.name === name) ?? []);
  const outcomes = [...new Set(chosen.map(({ outcome }) => outcome))];
  const places = chosen.map(({ place }) => place);
  // What a lock names itself can be released; what lies inside of that is left out of it.
  const isUnder = chosen.some(({ locks: over, idle: off, kind }) => over.length + off.length > 0 || kind === 'pattern');
  return (
    <>
      <h2>{chosen.length === 1 ? first.title || first.name : `${chosen.length} places`}</h2>
      <p className="where">
        {chosen.length === 1
          ? whereWords(first)
          : `${listed(places.slice(0, 3))}${places.length > 3 ? ` and ${places.length - 3} more` : ''}`}
      </p>
      <div className="at-the-door">
        <Arch row={first} seen={seen} hasFrame={session.hasFrame === true} />
        <p className="says">
          {outcomes.length > 1 ? (
            <>
              {who}{' '}
              {listed(
                outcomes.map(
                  (one) =>
                    `${outcomeVerbs[one]} at ${plural(chosen.filter(({ outcome }) => outcome === one).length, 'place')}`,
                ),
              )}
              .
            </>
          ) : (
            <Says who={who} row={first} lock={locks[0]} many={chosen.length > 1} />
          )}
          {chosen.length === 1 && first.because.length > 0 && !first.because.includes(first.place) && (
            <>
              {' '}
              Closed by <b>{listed(names)}</b>, through {listed(first.because.map(placeWords))}.
            </>
          )}
        </p>
      </div>
      {isOwner && chosen.length === 1 && first.kind !== 'pattern' && <Why place={first.place} seen={seen} />}
      {isOwner && (
        <p className="buttons">
          <button type="button" className={isUnder ? undefined : 'main'} onClick={() => setDoing('lock')}>
            {isUnder ? 'Another lock' : 'Lock'}
          </button>
          {isUnder && (
            <button type="button" onClick={() => setDoing('release')}>
              Release
            </button>
          )}
        </p>
      )}
      {locks.map((lock) => (
        <LockSentences
          key={lock.name}
          lock={lock}
          ways={ways}
          isOwner={isOwner}
          isOne={locks.length === 1}
          session={session}
        />
      ))}
      {names.length + idle.length > locks.length && (
        <p className="hint">Another lock covers it, which you do not look after.</p>
      )}
      {doing === 'lock' && <LockDialog chosen={chosen} ways={ways} onClose={() => setDoing(undefined)} />}
      {doing === 'release' && <ReleaseDialog chosen={chosen} locks={locks} onClose={() => setDoing(undefined)} />}
    </>
  );
}

const outcomeVerbs = {
  open: 'gets in',
  'let-in': 'is let in',
  asked: 'is asked',
  prompted: 'is asked by the browser',
  closed: 'finds it closed',
  hidden: 'is told “not found”',
  'sent-away': 'is sent elsewhere',
  refused: 'is refused',
} as const;

const placeWords = (text: string) =>
  text === '/' ? 'the whole site' : text.endsWith('/') ? `the folder ${text}` : text;

function whereWords({ place, kind, pages, files }: Row): string {
  const inside = [pages > 0 && plural(pages, 'page'), files > 0 && plural(files, 'file')].filter(Boolean).join(' and ');
  switch (kind) {
    case 'site':
      return `everything: ${inside}`;
    case 'folder':
      return `${place} and all below it: ${inside}`;
    case 'section':
      return `${place}, a part of a page`;
    case 'pattern':
      return 'a pattern, which the policy names';
    case 'address':
      return `${place}, no file lies there`;
    default:
      return place === '/index.html' ? 'the start page' : place;
  }
}

/** The door as an arch: in it, small, what is met there; or its sign alone, where the site is not at hand. */
function Arch({ row, seen, hasFrame }: { readonly row: Row; readonly seen: Seen; readonly hasFrame: boolean }) {
  const { version } = useKnown();
  const isShown = hasFrame && row.kind !== 'pattern' && row.kind !== 'file';
  const { data } = useQuery({
    queryKey: ['play', JSON.stringify(seen), version],
    queryFn: () => call('play', { seenBy: seen }),
    staleTime: Infinity,
    enabled: isShown,
  });
  const sign = signOf[row.outcome];
  return (
    <div className={`arch ${sign}`} aria-hidden="true">
      {isShown && data?.origin !== undefined ? (
        <iframe
          title=""
          tabIndex={-1}
          sandbox=""
          loading="lazy"
          src={data.origin + encodeURI(row.place.split('#', 1)[0] ?? '/')}
        />
      ) : (
        <DoorSign sign={sign} />
      )}
    </div>
  );
}

function Says({
  who,
  row,
  lock,
  many,
}: {
  readonly who: string;
  readonly row: Row;
  readonly lock: Lock | undefined;
  readonly many: boolean;
}) {
  const it = many ? 'each of them' : 'it';
  switch (row.outcome) {
    case 'open':
      return (
        <>
          {who} gets {it}, as everybody does.
        </>
      );
    case 'let-in':
      return (
        <>
          {who} is let in, though {it} is under {lock?.name ?? 'a lock'}.
        </>
      );
    case 'hidden':
      return <>{who} is told that nothing is there.</>;
    case 'closed':
      return (
        <>
          {who} finds {it} closed, with nothing to type
          {lock?.until === undefined ? '' : `, until ${momentWords(lock.until)}`}.
        </>
      );
    case 'sent-away':
      return (
        <>
          {who} is sent {typeof lock?.outsiders === 'object' ? `to ${lock.outsiders.redirect}` : 'elsewhere'}.
        </>
      );
    case 'prompted':
      return <>{who} is asked for a name and a password by the browser itself.</>;
    case 'refused':
      return <>Nobody gets {it}: the address cannot be read for certain.</>;
    case 'asked':
      return (
        <>
          {who} is asked for the password of <b>{lock?.name ?? 'a lock'}</b>.
        </>
      );
  }
}

/** A name for a new lock, from what it is to cover. */
function nameFor(places: readonly string[], taken: readonly string[]): string {
  const [first = ''] = places;
  const last = first === '/' ? 'site' : (first.split(/[#/]/).filter(Boolean).at(-1) ?? 'lock');
  const base =
    last
      .toLowerCase()
      .replace(/\.[a-z0-9]+$/, '')
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^[^a-z]+|-+$/g, '')
      .slice(0, 40) || 'lock';
  for (let number = 1; ; number++) {
    const name = number === 1 ? base : `${base}-${number}`;
    if (!taken.includes(name)) return name;
  }
}

function LockDialog({
  chosen,
  ways,
  onClose,
}: {
  readonly chosen: readonly Row[];
  readonly ways: CallResult<'ways'>;
  readonly onClose: () => void;
}) {
  const places = chosen.map(({ place }) => place);
  const names = ways.locks.map(({ name }) => name);
  const [which, setWhich] = useState('');
  const [name, setName] = useState(nameFor(places, names));
  const [label, setLabel] = useState('');
  const [isDynamic, setDynamic] = useState(chosen.some(({ kind }) => kind === 'address'));
  const [comesIn, setComesIn] = useState<'password' | 'others' | 'nobody'>('password');
  const [until, setUntil] = useState('');
  const proposal = useProposal(name);
  const { act, error, isBusy } = useAct(async () => {
    const done = await call('lock.change', {
      lock: which === '' ? name : which,
      places,
      ...(which === '' &&
        comesIn === 'nobody' && { settings: { outsiders: 'closed', ...(until !== '' && { until }) } }),
      ...(isDynamic && { dynamic: true }),
      ...(which === '' &&
        proposal.isWanted && {
          password: { is: { typed: await proposal.final() }, label: label === '' ? everybody : label },
        }),
    });
    announce(`In the draft: ${closesWords(done.closed.length)}.`);
    onClose();
  });
  const what = chosen.length === 1 ? `Lock ${chosen[0]?.title || places[0] || ''}` : `Lock ${chosen.length} places`;
  return (
    <Dialog title={what} onClose={onClose}>
      <Form act={act}>
        {names.length > 0 && (
          <Field label="Under">
            {(props) => (
              <select {...props} value={which} onChange={(event) => setWhich(event.target.value)}>
                <option value="">a new lock</option>
                {ways.locks.map((lock) => (
                  <option key={lock.name} value={lock.name}>
                    {lock.name}, {plural(lock.passwords, 'password')}
                  </option>
                ))}
              </select>
            )}
          </Field>
        )}
        {which === '' && (
          <>
            <Field label="Its name" hint="For you alone; visitors never see it.">
              {(props) => (
                <input
                  {...props}
                  required
                  pattern="[a-z][a-z0-9_\-]{0,63}"
                  value={name}
                  onChange={(event) => setName(event.target.value)}
                />
              )}
            </Field>
            <Choice
              label="Who comes in"
              value={comesIn}
              onChange={(next) => {
                setComesIn(next);
                proposal.want(next === 'password');
              }}
              options={[
                ['password', 'whoever has a password'],
                ['others', 'without: only by roles, people, links'],
                ['nobody', 'nobody for now'],
              ]}
            />
            {comesIn === 'nobody' && (
              <Field label="It opens again" hint="Left empty, it stays closed until you open it.">
                {(props) => (
                  <input
                    {...props}
                    type="datetime-local"
                    value={until}
                    onChange={(event) => setUntil(event.target.value)}
                  />
                )}
              </Field>
            )}
            <PasswordField proposal={proposal} />
            {proposal.isWanted && (
              <Field label="Whom the password is for" hint="So that you know later who has which.">
                {(props) => (
                  <input
                    {...props}
                    placeholder={everybody}
                    value={label}
                    onChange={(event) => setLabel(event.target.value)}
                  />
                )}
              </Field>
            )}
          </>
        )}
        {chosen.some(({ kind }) => kind === 'address') && (
          <label className="check">
            <input type="checkbox" checked={isDynamic} onChange={() => setDynamic(!isDynamic)} />
            An application makes this page; no file lies there
          </label>
        )}
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy} autoFocus>
            Lock it
          </button>
          <span className="hint">Nothing counts before you go live.</span>
        </p>
      </Form>
    </Dialog>
  );
}

/** Whom the first password of a lock is for, where nothing else is said. */
const everybody = 'Everybody';

const closesWords = (count: number) =>
  count === 0 ? 'nothing that was open is closed' : `closes ${plural(count, 'page')} to strangers`;

function ReleaseDialog({
  chosen,
  locks,
  onClose,
}: {
  readonly chosen: readonly Row[];
  readonly locks: readonly Lock[];
  readonly onClose: () => void;
}) {
  const places = chosen.map(({ place }) => place);
  const whole = locks.filter(({ covers }) => covers.length > 0 && covers.every((text) => places.includes(text)));
  const [from, setFrom] = useState('');
  const [isEnding, setEnding] = useState(whole.length > 0);
  const { act, error, isBusy } = useAct(async () => {
    const ends = isEnding ? whole.map(({ name }) => name) : [];
    const left = isEnding ? places.filter((place) => !whole.some(({ covers }) => covers.includes(place))) : places;
    const done = await call('release', {
      ...(left.length > 0 && { places: left }),
      ...(ends.length > 0 && { locks: ends }),
      ...(from !== '' && { from }),
    });
    announce(
      done.stillShut.length > 0
        ? `Released. ${plural(done.stillShut.length, 'place')} ${done.stillShut.length === 1 ? 'is' : 'are'} still shut, by another lock.`
        : `In the draft: opens ${plural(done.opened.length, 'page')} to strangers.`,
    );
    onClose();
  });
  return (
    <Dialog
      title={chosen.length === 1 ? `Release ${chosen[0]?.title || places[0] || ''}` : `Release ${chosen.length} places`}
      onClose={onClose}
    >
      <Form act={act}>
        {whole.length > 0 ? (
          <Choice
            label="What goes"
            value={isEnding ? 'lock' : 'places'}
            onChange={(value) => setEnding(value === 'lock')}
            options={[
              ['lock', `${listed(whole.map(({ name }) => name))} ends, with its passwords`],
              ['places', 'the lock stays, and covers nothing'],
            ]}
          />
        ) : (
          <p>What a lock names goes from it; what lies inside of that is left out of it from now on.</p>
        )}
        {locks.length > 1 && !isEnding && (
          <Field label="Taken out of">
            {(props) => (
              <select {...props} value={from} onChange={(event) => setFrom(event.target.value)}>
                <option value="">every lock</option>
                {locks.map(({ name }) => (
                  <option key={name}>{name}</option>
                ))}
              </select>
            )}
          </Field>
        )}
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy} autoFocus>
            Release
          </button>
          <span className="hint">Nothing counts before you go live.</span>
        </p>
      </Form>
    </Dialog>
  );
}

/** A part of a sentence that is changed where it stands. */
export function Underlined({ children, onClick }: { readonly children: ReactNode; readonly onClick: () => void }) {
  return (
    <button type="button" className="in-sentence" aria-haspopup="dialog" onClick={onClick}>
      {children}
    </button>
  );
}

type Editing =
  | 'title'
  | 'remember'
  | 'after'
  | 'outsiders'
  | 'wrong'
  | 'when'
  | 'screen'
  | 'requires'
  | 'bypass'
  | 'basic'
  | 'except'
  | 'covers'
  | 'password'
  | undefined;

/** All that is set for a lock, in sentences. */
function LockSentences({
  lock,
  ways,
  isOwner,
  isOne,
  session,
}: {
  readonly lock: Lock;
  readonly ways: CallResult<'ways'>;
  readonly isOwner: boolean;
  readonly isOne: boolean;
  readonly session: Session;
}) {
  const [editing, setEditing] = useState<Editing>();
  const [handing, setHanding] = useState<string>();
  const { act, error } = useAct(async (settings: Settings) => {
    await call('lock.change', { lock: lock.name, settings });
  });
  const edit = (what: Editing, words: ReactNode) =>
    isOwner ? <Underlined onClick={() => setEditing(what)}>{words}</Underlined> : <b>{words}</b>;
  const choice = /^choice: (.+)$/.exec(lock.remember)?.[1];
  const { outsiders } = lock;
  return (
    <section className="lock" aria-label={`The lock ${lock.name}`}>
      {!isOne && <h3>{lock.name}</h3>}
      {!lock.enabled && (
        <p className="warning">
          This lock is switched off: it shuts nothing.{' '}
          {isOwner && <Underlined onClick={() => void act({ enabled: true })}>Switch it on</Underlined>}
        </p>
      )}
      {lock.enabled && lock.standing !== 'counts' && (
        <p className="warning">This lock {lock.standing === 'not-yet' ? 'does not count yet' : 'has ended'}.</p>
      )}
      <p className="prose">
        Whoever gets in is remembered{' '}
        {edit(
          'remember',
          lock.remember === 'visit'
            ? 'for this visit'
            : choice === undefined
              ? `for ${lock.remember}`
              : `for ${choice}, if they like`,
        )}{' '}
        and lands on {edit('after', lock.after === 'same' ? 'the page they wanted' : lock.after)}. The screen is{' '}
        {edit('screen', lock.screen)}.
      </p>
      <dl>
        <dt>Passwords</dt>
        <dd>
          {lock.passwordList.map((one) => (
            <div key={one.id} className="line">
              {one.canBeShown ? (
                <Underlined onClick={() => setHanding(one.id)}>{one.label}</Underlined>
              ) : (
                <b>{one.label}</b>
              )}
              <span className="note">
                {one.counts
                  ? one.until === undefined
                    ? ''
                    : `until ${momentWords(one.until)}`
                  : windowWords(one.from, one.until)}
              </span>
            </div>
          ))}
          {lock.passwordList.length === 0 && lock.links === 0 && <span className="note">None. </span>}
          <Underlined onClick={() => setEditing('password')}>Add one</Underlined>
        </dd>
        <dt>Without one</dt>
        <dd>
          {lock.bypasses.length === 0 ? 'Nobody. ' : `${listed(lock.bypasses)}. `}
          {edit('bypass', lock.bypasses.length === 0 ? 'Let somebody in' : 'Change')}
        </dd>
        <dt>Covers</dt>
        <dd>
          {listed(lock.covers.slice(0, 4).map(placeWords)) || 'Nothing.'}
          {lock.covers.length > 4 && <> and {lock.covers.length - 4} more</>}{' '}
          {isOwner && edit('covers', lock.covers.length > 1 ? 'All of them' : 'Change')}
        </dd>
        <dt>Left out</dt>
        <dd>
          {lock.except.length === 0
            ? 'Nothing. '
            : `${listed(lock.except.slice(0, 4))}${lock.except.length > 4 ? ` and ${lock.except.length - 4} more` : ''}. `}
          {edit('except', lock.except.length === 0 ? 'Leave something out' : 'Change')}
        </dd>
        <dt>Others get</dt>
        <dd>
          {edit(
            'outsiders',
            typeof outsiders === 'object'
              ? `sent to ${outsiders.redirect}`
              : { screen: 'the screen', 'not-found': '“not found”', closed: 'a closed notice' }[outsiders],
          )}
        </dd>
        <dt>Wrong ones</dt>
        <dd>
          {edit(
            'wrong',
            lock.wrong === undefined
              ? 'are told so'
              : `lead to ${lock.wrong.redirect} after ${plural(lock.wrong.after, 'try', 'tries')}`,
          )}
        </dd>
        <dt>When</dt>
        <dd>{edit('when', windowWords(lock.from, lock.until))}</dd>
        <dt>Also needs</dt>
        <dd>{edit('requires', lock.requires.length === 0 ? 'no other lock' : listed(lock.requires))}</dd>
        <dt>Called</dt>
        <dd>{edit('title', lock.title ?? 'by its address')}</dd>
        <dt>Browser’s prompt</dt>
        <dd>
          {edit('basic', lock.basic === false ? 'not used' : lock.basic === true ? 'taken as well' : 'always used')}
        </dd>
      </dl>
      {isOwner && lock.enabled && (
        <p>
          <button type="button" className="quiet" onClick={() => void act({ enabled: false })}>
            Switch {isOne ? 'it' : lock.name} off
          </button>
        </p>
      )}
      <Problem error={error} />
      {editing === 'password' && (
        <AddPassword lock={lock.name} onClose={() => setEditing(undefined)} session={session} />
      )}
      {editing !== undefined && editing !== 'password' && (
        <EditDialog what={editing} lock={lock} ways={ways} onClose={() => setEditing(undefined)} />
      )}
      {handing !== undefined && (
        <HandOut
          lock={lock.name}
          which={handing}
          kind="password"
          languages={ways.languages}
          session={session}
          onClose={() => setHanding(undefined)}
        />
      )}
    </section>
  );
}

const titles: Readonly<Record<Exclude<Editing, undefined | 'password'>, string>> = {
  title: 'What visitors call it',
  remember: 'How long it is remembered',
  after: 'Where a right password lands',
  outsiders: 'What others get',
  wrong: 'What wrong passwords lead to',
  when: 'When it counts',
  screen: 'Which screen',
  requires: 'Which other locks it needs',
  bypass: 'Who needs no password',
  basic: 'The browser’s own prompt',
  except: 'What is left out',
  covers: 'What it covers',
};

/** What so many wrong passwords lead to; each time it is said that one was wrong, if nothing else is set. */
function WrongFields({
  now,
  onChange,
}: {
  readonly now: Lock['wrong'];
  readonly onChange: (wrong: Lock['wrong'] | null) => void;
}) {
  const [kind, setKind] = useState<'told' | 'sent'>(now === undefined ? 'told' : 'sent');
  const [after, setAfter] = useState(now?.after ?? 3);
  const [redirect, setRedirect] = useState(now?.redirect ?? '');
  return (
    <>
      <Choice
        label="After a wrong password"
        value={kind}
        onChange={(next) => {
          setKind(next);
          onChange(next === 'told' ? null : { after, redirect });
        }}
        options={[
          ['told', 'it is said that it was wrong'],
          ['sent', 'another page, after some tries'],
        ]}
      />
      {kind === 'sent' && (
        <div className="pair">
          <Field label="After how many">
            {(props) => (
              <input
                {...props}
                type="number"
                min="1"
                max="1000"
                required
                value={after}
                onChange={(event) => {
                  setAfter(Number(event.target.value));
                  onChange({ after: Number(event.target.value), redirect });
                }}
              />
            )}
          </Field>
          <Field label="Which page" hint="It must be open itself.">
            {(props) => (
              <input
                {...props}
                required
                placeholder="/join"
                value={redirect}
                onChange={(event) => {
                  setRedirect(event.target.value);
                  onChange({ after, redirect: event.target.value });
                }}
              />
            )}
          </Field>
        </div>
      )}
    </>
  );
}

/** One setting of a lock, in a dialog. */
function EditDialog({
  what,
  lock,
  ways,
  onClose,
}: {
  readonly what: Exclude<Editing, undefined | 'password'>;
  readonly lock: Lock;
  readonly ways: CallResult<'ways'>;
  readonly onClose: () => void;
}) {
  const [draft, setDraft] = useState<Settings>({});
  const [added, setAdded] = useState('');
  const [gone, setGone] = useState<readonly string[]>([]);
  const { act, error, isBusy } = useAct(async () => {
    if (what === 'except' || what === 'covers') {
      const more = added.split(/[\s,]+/).filter(Boolean);
      // To leave something out is to release it from this lock; to take it in again is to lock it.
      const [lockThese, releaseThese] = what === 'except' ? [[...gone], more] : [more, [...gone]];
      if (lockThese.length > 0) await call('lock.change', { lock: lock.name, places: lockThese, dynamic: true });
      if (releaseThese.length > 0) await call('release', { places: releaseThese, from: lock.name });
    } else await call('lock.change', { lock: lock.name, settings: draft });
    onClose();
  });
  const outsiders = draft.outsiders ?? lock.outsiders;
  const kind = typeof outsiders === 'object' ? 'redirect' : outsiders;
  const remembered = draft.remember ?? lock.remember;
  const choice = typeof remembered === 'object' ? remembered.choice : /^choice: (.+)$/.exec(remembered)?.[1];
  const span = choice ?? (typeof remembered === 'string' && remembered !== 'visit' ? remembered : '');
  const how = choice !== undefined ? 'choice' : remembered === 'visit' ? 'visit' : 'span';
  const names = (key: 'requires' | 'bypass', all: readonly string[], now: readonly string[]) => {
    return (
      <Choices
        legend={key === 'bypass' ? 'These let in at this lock' : 'These must be open as well'}
        all={all}
        chosen={draft[key] ?? now}
        empty={key === 'bypass' ? 'There are none yet. Make them in Ways in.' : 'There is no other lock.'}
        onChange={(chosen) => setDraft({ [key]: chosen })}
      />
    );
  };
  const lines = (all: readonly string[]) => (
    <>
      <ul className="lines">
        {all.map((text) => (
          <li key={text} className={gone.includes(text) ? 'gone' : undefined}>
            <span>{placeWords(text)}</span>
            <button
              type="button"
              className="plain"
              onClick={() => setGone(gone.includes(text) ? gone.filter((one) => one !== text) : [...gone, text])}
            >
              {gone.includes(text) ? 'Keep' : 'Take out'}
            </button>
          </li>
        ))}
        {all.length === 0 && <li>Nothing yet.</li>}
      </ul>
      <Field label="Add" hint="Pages (/about), folders (/press/), patterns (/**/*.pdf); several with spaces between.">
        {(props) => <input {...props} value={added} onChange={(event) => setAdded(event.target.value)} />}
      </Field>
    </>
  );
  const date = (value: string | null | undefined, now: string | undefined) =>
    value === null ? '' : (value ?? now ?? '').slice(0, 16).replace(/^(\d{4}-\d{2}-\d{2})$/, '$1T00:00');
  return (
    <Dialog title={titles[what]} onClose={onClose}>
      <Form act={act}>
        {what === 'title' && (
          <Field label="Name for visitors" hint="It stands in letters and on sheets. Empty: its address.">
            {(props) => (
              <input
                {...props}
                value={draft.title ?? (draft.title === null ? '' : (lock.title ?? ''))}
                onChange={(event) => setDraft({ title: event.target.value || null })}
              />
            )}
          </Field>
        )}
        {what === 'remember' && (
          <>
            <Choice
              label="Remembered"
              value={how}
              onChange={(next) =>
                setDraft({
                  remember:
                    next === 'visit' ? 'visit' : next === 'choice' ? { choice: span || '30 days' } : span || '30 days',
                })
              }
              options={[
                ['visit', 'until the browser closes'],
                ['span', 'for a time'],
                ['choice', 'for a time, if they tick a box'],
              ]}
            />
            {how !== 'visit' && (
              <Field
                label="How long"
                hint="Such as 30 days, 12 hours or 2 weeks. A shorter time counts at once, also for those who are in."
              >
                {(props) => (
                  <input
                    {...props}
                    required
                    value={span}
                    onChange={(event) =>
                      setDraft({ remember: how === 'choice' ? { choice: event.target.value } : event.target.value })
                    }
                  />
                )}
              </Field>
            )}
          </>
        )}
        {what === 'after' && (
          <Field label="Page to land on" hint="Empty: the page that was asked for.">
            {(props) => (
              <input
                {...props}
                placeholder="/members/welcome"
                value={draft.after ?? (draft.after === null || lock.after === 'same' ? '' : lock.after)}
                onChange={(event) => setDraft({ after: event.target.value || null })}
              />
            )}
          </Field>
        )}
        {what === 'wrong' && <WrongFields now={lock.wrong} onChange={(wrong) => setDraft({ wrong })} />}
        {what === 'outsiders' && (
          <>
            <Choice
              label="Others get"
              value={kind}
              onChange={(next) => setDraft({ outsiders: next === 'redirect' ? { redirect: '/' } : next })}
              options={[
                ['screen', 'the screen'],
                ['closed', 'a closed notice, with nothing to type'],
                ['not-found', '“not found”, as if nothing were there'],
                ['redirect', 'another page'],
              ]}
            />
            {typeof outsiders === 'object' && (
              <Field label="Which page" hint="It must be open itself.">
                {(props) => (
                  <input
                    {...props}
                    required
                    value={outsiders.redirect}
                    onChange={(event) => setDraft({ outsiders: { redirect: event.target.value } })}
                  />
                )}
              </Field>
            )}
          </>
        )}
        {what === 'when' && (
          <>
            <Field label="From" hint="Empty: at once.">
              {(props) => (
                <input
                  {...props}
                  type="datetime-local"
                  value={date(draft.from, lock.from)}
                  onChange={(event) => setDraft({ ...draft, from: event.target.value || null })}
                />
              )}
            </Field>
            <Field label="Until" hint="Empty: without an end. After it the lock is as if it were not there.">
              {(props) => (
                <input
                  {...props}
                  type="datetime-local"
                  value={date(draft.until, lock.until)}
                  onChange={(event) => setDraft({ ...draft, until: event.target.value || null })}
                />
              )}
            </Field>
          </>
        )}
        {what === 'screen' && (
          <ScreenChoice value={draft.screen ?? lock.screen} onChange={(screen) => setDraft({ screen })} />
        )}
        {what === 'requires' &&
          names(
            'requires',
            ways.locks.map(({ name }) => name).filter((name) => name !== lock.name),
            lock.requires,
          )}
        {what === 'bypass' &&
          names(
            'bypass',
            ways.bypasses.map(({ name }) => name),
            lock.bypasses,
          )}
        {what === 'basic' && (
          <Choice
            label="The browser’s prompt"
            value={String(draft.basic ?? lock.basic)}
            onChange={(next) => setDraft({ basic: next === 'always' ? 'always' : next === 'true' })}
            options={[
              ['false', 'not used'],
              ['true', 'taken as well, for feed readers and programs'],
              ['always', 'always, instead of the screen'],
            ]}
          />
        )}
        {what === 'covers' && lines(lock.covers)}
        {what === 'except' && lines(lock.except)}
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy}>
            Put it in the draft
          </button>
        </p>
      </Form>
    </Dialog>
  );
}

function ScreenChoice({ value, onChange }: { readonly value: string; readonly onChange: (screen: string) => void }) {
  const { version } = useKnown();
  const { data, error } = useQuery({ queryKey: ['screens', version], queryFn: () => call('screens', {}) });
  return (
    <fieldset>
      <legend>Screen</legend>
      <Problem error={error} />
      {data?.screens.map(({ name, look, locks }) => (
        <label key={name} className="check">
          <input type="radio" name="screen" checked={name === value} onChange={() => onChange(name)} />
          <span>
            <b>{name}</b>, from the look {look}
            {locks.length > 0 && <span className="note"> shown by {listed(locks)}</span>}
          </span>
        </label>
      ))}
      <p className="hint">The door shows it, small, once it is chosen.</p>
    </fieldset>
  );
}
