import { useState } from 'react';
import type { CallInput, CallResult, Session } from './api.js';
import { Choice, Choices, Dialog, Field, listed, momentWords } from './ui.js';

export type Seen = NonNullable<CallInput<'view'>['seenBy']>;

const wordsOf = ({ opened, person, roles, from, signedIn, searchEngine }: Seen): string => {
  if (searchEngine === true) return 'A search engine';
  if (opened !== undefined && opened.length > 0) return `A guest of ${listed(opened)}`;
  if (person !== undefined) return `${person}${roles?.length ? `, ${listed(roles)},` : ''}`;
  if (roles !== undefined && roles.length > 0) return `Somebody with the role ${listed(roles)}`;
  if (from !== undefined) return `A stranger from ${from}`;
  if (signedIn === true) return 'Somebody signed in';
  return 'A stranger';
};

/** Whoever the site is seen by, in one word for the middle of sentences. */
export const visitorWord = (seen: Seen): string => {
  return wordsOf(seen).replace(/,$/, '');
};

/** The sentence that stands over every room, and says whose eyes one looks through. */
export function SeenBy({
  seen,
  view,
  ways,
  session,
  onChange,
}: {
  readonly seen: Seen;
  readonly view: CallResult<'view'> | undefined;
  readonly ways: CallResult<'ways'> | undefined;
  readonly session: Session;
  readonly onChange: (seen: Seen) => void;
}) {
  const [isChoosing, setChoosing] = useState(false);
  const counts = new Map<string, number>();
  for (const { kind, outcome } of view?.places ?? []) {
    if (kind === 'page' || (kind === 'address' && view?.source !== 'folder'))
      counts.set(outcome, (counts.get(outcome) ?? 0) + 1);
  }
  const rest = [
    ['asked', 'is asked for a password', 'ask for a password'],
    ['prompted', 'is asked for by the browser', 'are asked for by the browser'],
    ['hidden', 'is hidden', 'are hidden'],
    ['closed', 'is closed', 'are closed'],
    ['sent-away', 'leads elsewhere', 'lead elsewhere'],
  ].flatMap(([outcome = '', one, many]) => {
    const count = counts.get(outcome) ?? 0;
    return count === 0 ? [] : [`${count} ${(count === 1 ? one : many) ?? ''}`];
  });
  const when = seen.at === undefined ? 'now' : /^\d{4}/.test(seen.at) ? `on ${momentWords(seen.at)}` : `in ${seen.at}`;
  return (
    <div className="seen-by">
      <p className="sentence">
        <button type="button" className="in-sentence" onClick={() => setChoosing(true)} aria-haspopup="dialog">
          {wordsOf(seen)} {when}
        </button>{' '}
        {view === undefined ? 'gets …' : `gets ${view.gets} of ${view.pages} ${view.pages === 1 ? 'page' : 'pages'}.`}
      </p>
      <p className="rest">
        {view !== undefined && view.unopened.length > 0
          ? `Nothing opens ${listed(view.unopened)} then.`
          : rest.length > 0
            ? `${listed(rest)}.`
            : ''}
        {seen.searchEngine === true &&
          view !== undefined &&
          ` It gets what strangers get, whatever it calls itself.${
            view.unlisted === 0
              ? ''
              : ` ${view.unlisted} of these pages ${view.unlisted === 1 ? 'asks' : 'ask'} not to be listed.`
          }`}
      </p>
      {isChoosing && (
        <SeenByDialog
          seen={seen}
          ways={ways}
          session={session}
          onClose={() => setChoosing(false)}
          onChange={(next) => {
            onChange(next);
            setChoosing(false);
          }}
        />
      )}
    </div>
  );
}

type Who = 'stranger' | 'guest' | 'role' | 'person' | 'address' | 'signed-in' | 'search-engine';

const everybody: readonly (readonly [Who, string])[] = [
  ['stranger', 'a stranger'],
  ['guest', 'a guest of a lock'],
  ['role', 'somebody with a role'],
  ['person', 'somebody by name'],
  ['address', 'somebody from an address'],
  ['signed-in', 'somebody signed in'],
  ['search-engine', 'a search engine'],
];

function whoOf({ opened, person, roles, from, signedIn, searchEngine }: Seen): Who {
  if (searchEngine === true) return 'search-engine';
  if (opened?.length) return 'guest';
  if (person !== undefined) return 'person';
  if (roles?.length) return 'role';
  if (from !== undefined) return 'address';
  return signedIn === true ? 'signed-in' : 'stranger';
}

function SeenByDialog({
  seen,
  ways,
  session,
  onClose,
  onChange,
}: {
  readonly seen: Seen;
  readonly ways: CallResult<'ways'> | undefined;
  readonly session: Session;
  readonly onClose: () => void;
  readonly onChange: (seen: Seen) => void;
}) {
  // Keepers look as strangers and as guests of their own locks, and now.
  const isOwner = session.person?.role === 'owner';
  const locks = ways?.locks.map(({ name }) => name) ?? [];
  const roles = [...new Set(ways?.bypasses.flatMap((one) => one.roles ?? []))];
  const people = [...new Set(ways?.bypasses.flatMap((one) => one.people ?? []))];
  const ranges = [...new Set(ways?.bypasses.flatMap((one) => one.addresses ?? []))];
  const [who, setWho] = useState(whoOf(seen));
  const [opened, setOpened] = useState<readonly string[]>(seen.opened ?? locks.slice(0, 1));
  const [role, setRole] = useState(seen.roles?.[0] ?? roles[0] ?? '');
  const [person, setPerson] = useState(seen.person ?? people[0] ?? '');
  const [from, setFrom] = useState(
    seen.from ?? ranges[0]?.replace(/\/\d+$/, '').replace(/\.0$/, '.7') ?? session.address ?? '',
  );
  const [isNow, setNow] = useState(seen.at === undefined ? 'now' : 'then');
  const [at, setAt] = useState(seen.at ?? '');
  const chosen = (): Seen => {
    const when = isNow === 'now' || at === '' ? {} : { at };
    switch (who) {
      case 'guest':
        return { ...when, opened: [...opened] };
      case 'role':
        return { ...when, roles: [role], signedIn: true };
      case 'person':
        return { ...when, person, signedIn: true };
      case 'address':
        return { ...when, from };
      case 'signed-in':
        return { ...when, signedIn: true };
      case 'search-engine':
        return { ...when, searchEngine: true };
      case 'stranger':
        return when;
    }
  };
  return (
    <Dialog title="Whose eyes?" onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          onChange(chosen());
        }}
      >
        <Choice label="Seen by" value={who} onChange={setWho} options={isOwner ? everybody : everybody.slice(0, 2)} />
        {who === 'guest' && <Choices legend="Who has opened" all={locks} chosen={opened} onChange={setOpened} />}
        {who === 'role' && (
          <Field label="Role">
            {(props) => (
              <input {...props} required list="roles" value={role} onChange={(event) => setRole(event.target.value)} />
            )}
          </Field>
        )}
        {who === 'person' && (
          <Field label="Name or address, as the site knows people">
            {(props) => (
              <input
                {...props}
                required
                list="people"
                value={person}
                onChange={(event) => setPerson(event.target.value)}
              />
            )}
          </Field>
        )}
        {who === 'address' && (
          <Field label="Network address" hint={session.address && `Your own is ${session.address}.`}>
            {(props) => <input {...props} required value={from} onChange={(event) => setFrom(event.target.value)} />}
          </Field>
        )}
        <datalist id="roles">
          {roles.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
        <datalist id="people">
          {people.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
        {isOwner && (
          <>
            <Choice
              label="When"
              value={isNow}
              onChange={setNow}
              options={[
                ['now', 'now'],
                ['then', 'at another moment'],
              ]}
            />
            {isNow === 'then' && (
              <Field label="Moment" hint={`In the time of the site, ${session.about?.timeZone ?? 'UTC'}.`}>
                {(props) => (
                  <input
                    {...props}
                    required
                    type="datetime-local"
                    value={at.slice(0, 16)}
                    onChange={(event) => setAt(event.target.value)}
                  />
                )}
              </Field>
            )}
          </>
        )}
        <p className="buttons">
          <button className="main">Look through these eyes</button>
        </p>
      </form>
    </Dialog>
  );
}
