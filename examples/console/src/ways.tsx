import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { call, useKnown, type CallResult, type Session } from './api.js';
import { AddPassword, CountsWhen, HandOut, Plan, Rotate } from './passwords.js';
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
  Times,
  useAct,
  windowWords,
} from './ui.js';

type Ways = CallResult<'ways'>;
type Kind = 'password' | 'link';

interface Entry {
  readonly kind: Kind;
  readonly lock: string;
  readonly id: string;
  readonly label: string;
  readonly counts: boolean;
  readonly from: string | undefined;
  readonly until: string | undefined;
  readonly canBeShown: boolean;
  readonly isImported: boolean;
  readonly uses: string;
}

const entriesOf = (ways: Ways): Entry[] =>
  ways.locks.flatMap(({ name: lock, passwordList, linkList }) => [
    ...passwordList.map(({ id, label, counts, from, until, canBeShown, imported }): Entry => ({
      kind: 'password',
      lock,
      id,
      label,
      counts,
      from,
      until,
      canBeShown,
      isImported: imported,
      uses: usesOf(ways, lock, id),
    })),
    ...linkList.map(({ id, label, counts, from, until, uses, used }): Entry => ({
      kind: 'link',
      lock,
      id,
      label,
      counts,
      from,
      until,
      canBeShown: true,
      isImported: false,
      uses: uses === undefined ? usesOf(ways, lock, id) : `${used ?? 0} of ${uses} times`,
    })),
  ]);

function usesOf({ used }: Ways, lock: string, id: string): string {
  if (used === undefined) return '';
  const found = used.find((one) => one.lock === lock && one.opener === id);
  if (found === undefined || found.used === 0) return 'never';
  return `${plural(found.used, 'time')}, last ${momentWords(found.lastUsed?.slice(0, 10))}`;
}

type Doing =
  | { readonly what: 'hand-out' | 'rotate' | 'retire' | 'times'; readonly entry: Entry }
  | { readonly what: 'add' | 'plan' | 'link' | 'import' | 'export'; readonly lock: string }
  | { readonly what: 'bypass'; readonly name?: string };

/** Every password, link, bypass and user of all locks, in one table. */
export function WaysIn({ ways, session }: { readonly ways: Ways; readonly session: Session }) {
  const [search, setSearch] = useState('');
  const [doing, setDoing] = useState<Doing>();
  const isOwner = session.person?.role === 'owner';
  const needle = search.trim().toLowerCase();
  const entries = entriesOf(ways).filter(({ lock, label }) => `${lock} ${label}`.toLowerCase().includes(needle));
  const close = () => setDoing(undefined);
  return (
    <div className="room">
      <div className="tools">
        <h2>Ways in</h2>
        <input
          type="search"
          aria-label="Find a way in"
          placeholder="Find by lock or by whom it is for"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
      </div>
      {ways.locks.length === 0 && (
        <p className="empty">There is no lock yet, so there is nothing to hand out. Lock a page in Places first.</p>
      )}
      {ways.locks.map((lock) => {
        const own = entries.filter((one) => one.lock === lock.name);
        if (own.length === 0 && needle !== '' && !lock.name.includes(needle)) return null;
        return (
          <section key={lock.name} aria-label={lock.name}>
            <header className="lock-head">
              <h3>
                {lock.name} {lock.title !== undefined && <span>{lock.title}</span>}
              </h3>
              <span className="buttons">
                <button type="button" className="quiet" onClick={() => setDoing({ what: 'add', lock: lock.name })}>
                  Add a password
                </button>
                <button type="button" className="quiet" onClick={() => setDoing({ what: 'link', lock: lock.name })}>
                  Make a link
                </button>
                <button type="button" className="quiet" onClick={() => setDoing({ what: 'plan', lock: lock.name })}>
                  Plan ahead
                </button>
                {isOwner && (
                  <details className="more">
                    <summary>Users of the browser’s prompt</summary>
                    <button
                      type="button"
                      className="quiet"
                      onClick={() => setDoing({ what: 'import', lock: lock.name })}
                    >
                      Take in an htpasswd file
                    </button>
                    <button
                      type="button"
                      className="quiet"
                      onClick={() => setDoing({ what: 'export', lock: lock.name })}
                    >
                      Save as an htpasswd file
                    </button>
                  </details>
                )}
              </span>
            </header>
            {own.length === 0 ? (
              <p className="hint">No password and no link.</p>
            ) : (
              <table className="ways">
                <thead>
                  <tr>
                    <th scope="col">For</th>
                    <th scope="col">Kind</th>
                    <th scope="col">Counts</th>
                    <th scope="col">Used</th>
                    <th scope="col">
                      <span className="unseen">What to do</span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {own.map((entry) => (
                    <tr key={`${entry.kind}${entry.id}`} className={entry.counts ? undefined : 'off'}>
                      <th scope="row">{entry.label}</th>
                      <td data-label="Kind">{entry.isImported ? 'user, from a file' : entry.kind}</td>
                      <td data-label="Counts">
                        {entry.counts ? '' : 'not now: '}
                        {windowWords(entry.from, entry.until)}
                      </td>
                      <td data-label="Used">{entry.uses}</td>
                      <td className="acts">
                        {entry.canBeShown && (
                          <button type="button" className="plain" onClick={() => setDoing({ what: 'hand-out', entry })}>
                            Hand out<span className="unseen"> {entry.label}</span>
                          </button>
                        )}
                        {entry.kind === 'password' && (
                          <>
                            <button type="button" className="plain" onClick={() => setDoing({ what: 'rotate', entry })}>
                              Rotate<span className="unseen"> {entry.label}</span>
                            </button>
                            <button type="button" className="plain" onClick={() => setDoing({ what: 'times', entry })}>
                              Change<span className="unseen"> {entry.label}</span>
                            </button>
                          </>
                        )}
                        <button type="button" className="plain" onClick={() => setDoing({ what: 'retire', entry })}>
                          Retire<span className="unseen"> {entry.label}</span>
                        </button>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
          </section>
        );
      })}
      <Bypasses
        ways={ways}
        isOwner={isOwner}
        onChange={(name) => setDoing({ what: 'bypass', ...(name !== undefined && { name }) })}
      />
      {isOwner && <Requests />}
      {doing?.what === 'hand-out' && (
        <HandOut
          lock={doing.entry.lock}
          which={doing.entry.id}
          kind={doing.entry.kind}
          languages={ways.languages}
          session={session}
          onClose={close}
        />
      )}
      {doing?.what === 'rotate' && (
        <Rotate
          lock={doing.entry.lock}
          which={doing.entry.id}
          label={doing.entry.label}
          session={session}
          onClose={close}
        />
      )}
      {doing?.what === 'times' && <ChangePassword entry={doing.entry} session={session} onClose={close} />}
      {doing?.what === 'retire' && <Retire entry={doing.entry} session={session} onClose={close} />}
      {doing?.what === 'add' && <AddPassword lock={doing.lock} session={session} onClose={close} />}
      {doing?.what === 'plan' && <Plan lock={doing.lock} session={session} onClose={close} />}
      {doing?.what === 'link' && <MakeLink lock={doing.lock} ways={ways} session={session} onClose={close} />}
      {doing?.what === 'import' && <Import lock={doing.lock} onClose={close} />}
      {doing?.what === 'export' && <Export lock={doing.lock} onClose={close} />}
      {doing?.what === 'bypass' && <BypassDialog name={doing.name} ways={ways} session={session} onClose={close} />}
    </div>
  );
}

function Retire({
  entry,
  session,
  onClose,
}: {
  readonly entry: Entry;
  readonly session: Session;
  readonly onClose: () => void;
}) {
  const isOwner = session.person?.role === 'owner';
  const [when, setWhen] = useState<'draft' | 'now'>(isOwner ? 'draft' : 'now');
  const { lock, id, label, kind } = entry;
  const { act, error, isBusy } = useAct(async () => {
    const input = { lock, which: id, ...(when === 'now' && { now: true }) };
    const done = kind === 'password' ? await call('password.retire', input) : await call('link.revoke', input);
    announce(
      done.draftIsBehind === true
        ? `${label} has ended. The draft does not know of it yet: see the review.`
        : `${label} ${when === 'now' ? 'has ended' : 'ends when you go live'}.`,
    );
    onClose();
  });
  return (
    <Dialog title={`Retire ${label}?`} onClose={onClose}>
      <Form act={act}>
        <p>
          It opens {lock} no longer, and whoever came in by it is out.{' '}
          {kind === 'password'
            ? 'The password itself is forgotten; a step back brings it back.'
            : 'Its address leads nowhere any more.'}
        </p>
        {isOwner && (
          <Choice
            label="When"
            value={when}
            onChange={setWhen}
            options={[
              ['draft', 'when I go live'],
              ['now', 'now, by itself: it is urgent'],
            ]}
          />
        )}
        <Problem error={error} />
        <p className="buttons">
          <button className="main danger" disabled={isBusy}>
            Retire it{when === 'now' ? ' now' : ''}
          </button>
        </p>
      </Form>
    </Dialog>
  );
}

function ChangePassword({
  entry,
  session,
  onClose,
}: {
  readonly entry: Entry;
  readonly session: Session;
  readonly onClose: () => void;
}) {
  const [label, setLabel] = useState(entry.label);
  const whole = (text: string | undefined) =>
    text === undefined ? '' : text.length === 10 ? `${text}T00:00` : text.slice(0, 16);
  const [from, setFrom] = useState(whole(entry.from));
  const [until, setUntil] = useState(whole(entry.until));
  const { act, error, isBusy } = useAct(async () => {
    await call('password.change', {
      lock: entry.lock,
      which: entry.id,
      ...(label !== entry.label && { label }),
      ...(from !== whole(entry.from) && { from: from || null }),
      ...(until !== whole(entry.until) && { until: until || null }),
    });
    onClose();
  });
  return (
    <Dialog title={`Change ${entry.label}`} onClose={onClose}>
      <Form act={act}>
        <Field label="Whom it is for">
          {(props) => <input {...props} required value={label} onChange={(event) => setLabel(event.target.value)} />}
        </Field>
        <Times from={from} until={until} onFrom={setFrom} onUntil={setUntil} />
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy}>
            Change it
          </button>
          <CountsWhen session={session} />
        </p>
      </Form>
    </Dialog>
  );
}

function MakeLink({
  lock,
  ways,
  session,
  onClose,
}: {
  readonly lock: string;
  readonly ways: Ways;
  readonly session: Session;
  readonly onClose: () => void;
}) {
  const [label, setLabel] = useState('');
  const [until, setUntil] = useState('');
  const [uses, setUses] = useState('');
  const [to, setTo] = useState('');
  const [made, setMade] = useState<string>();
  const { act, error, isBusy } = useAct(async () => {
    const done = await call('link.add', {
      lock,
      order: {
        ...(label !== '' && { label }),
        ...(until !== '' && { until }),
        ...(uses !== '' && { uses: Number(uses) }),
        ...(to !== '' && { to }),
      },
      ...(session.about?.origin === undefined && { out: { origin: 'http://localhost:4280' } }),
    });
    setMade(done.id);
  });
  if (made !== undefined)
    return (
      <HandOut lock={lock} which={made} kind="link" languages={ways.languages} session={session} onClose={onClose} />
    );
  return (
    <Dialog title={`A link into ${lock}`} onClose={onClose}>
      <Form act={act}>
        <p>Whoever opens it is in, without typing anything.</p>
        <Field label="Whom it is for">
          {(props) => (
            <input
              {...props}
              placeholder="Guest speaker"
              value={label}
              onChange={(event) => setLabel(event.target.value)}
            />
          )}
        </Field>
        <div className="pair">
          <Field label="Until" hint="Empty: in a fortnight.">
            {(props) => (
              <input
                {...props}
                type="datetime-local"
                value={until}
                onChange={(event) => setUntil(event.target.value)}
              />
            )}
          </Field>
          <Field label="How often" hint="Empty: as often as they like.">
            {(props) => (
              <input
                {...props}
                type="number"
                min="1"
                max="100000"
                value={uses}
                onChange={(event) => setUses(event.target.value)}
              />
            )}
          </Field>
        </div>
        <Field label="Page to land on" hint="Empty: the place of the lock.">
          {(props) => (
            <input
              {...props}
              placeholder="/members/welcome"
              value={to}
              onChange={(event) => setTo(event.target.value)}
            />
          )}
        </Field>
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy}>
            Make the link
          </button>
          <CountsWhen session={session} />
        </p>
      </Form>
    </Dialog>
  );
}

function Import({ lock, onClose }: { readonly lock: string; readonly onClose: () => void }) {
  const [text, setText] = useState('');
  const [replace, setReplace] = useState(false);
  const [always, setAlways] = useState(false);
  const { act, error, isBusy } = useAct(async () => {
    const done = await call('password.import', { lock, text, ...(replace && { replace }), ...(always && { always }) });
    announce(`${plural(done.users.length, 'user')} taken in.`);
    onClose();
  });
  return (
    <Dialog title={`Users of ${lock} from a file`} onClose={onClose}>
      <Form act={act}>
        <Field label="htpasswd file">
          {(props) => (
            <input
              {...props}
              type="file"
              onChange={(event) => {
                void event.target.files?.[0]?.text().then(setText);
              }}
            />
          )}
        </Field>
        <Field label="Its lines" hint="One a line: name:hash. bcrypt and apr1 are taken.">
          {(props) => (
            <textarea
              {...props}
              required
              rows={6}
              spellCheck={false}
              value={text}
              onChange={(event) => setText(event.target.value)}
            />
          )}
        </Field>
        <label className="check">
          <input type="checkbox" checked={replace} onChange={() => setReplace(!replace)} />
          In the place of those of the same name
        </label>
        <label className="check">
          <input type="checkbox" checked={always} onChange={() => setAlways(!always)} />
          Always by the browser’s own prompt, never by the screen
        </label>
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy}>
            Take them in
          </button>
          <span className="hint">Nothing counts before you go live.</span>
        </p>
      </Form>
    </Dialog>
  );
}

function Export({ lock, onClose }: { readonly lock: string; readonly onClose: () => void }) {
  const { data, error } = useQuery({
    queryKey: ['export', lock],
    queryFn: () => call('password.export', { lock }),
    gcTime: 0,
    retry: false,
  });
  return (
    <Dialog title={`Users of ${lock}`} onClose={onClose}>
      <Problem error={error} />
      {data !== undefined && (
        <>
          <p>
            {plural(data.users.length, 'user')}
            {data.left.length > 0 && `; left out: ${listed(data.left.map(({ user, why }) => `${user} (${why})`))}`}.
          </p>
          <p className="buttons">
            <a
              className="button"
              href={`data:text/plain;charset=utf-8,${encodeURIComponent(data.text)}`}
              download=".htpasswd"
            >
              Save .htpasswd
            </a>
          </p>
        </>
      )}
    </Dialog>
  );
}

const conditions = ({ addresses, roles, people, signedIn }: Ways['bypasses'][number]): string =>
  [
    addresses?.length && `from ${listed(addresses)}`,
    roles?.length && `with the role ${roles.join(' or ')}`,
    people?.length && listed(people),
    signedIn === true && 'whoever is signed in',
  ]
    .filter(Boolean)
    .join(', and ');

function Bypasses({
  ways,
  isOwner,
  onChange,
}: {
  readonly ways: Ways;
  readonly isOwner: boolean;
  readonly onChange: (name?: string) => void;
}) {
  const { act, error } = useAct(async (name: string) => {
    await call('bypass.remove', { bypass: name });
    announce(`${name} lets nobody in any more, once you go live.`);
  });
  return (
    <section aria-label="Without a password">
      <header className="lock-head">
        <h3>Without a password</h3>
        {isOwner && (
          <button type="button" className="quiet" onClick={() => onChange()}>
            Let somebody in
          </button>
        )}
      </header>
      <Problem error={error} />
      {ways.bypasses.length === 0 ? (
        <p className="hint">Nobody gets in without a password.</p>
      ) : (
        <table className="ways">
          <thead>
            <tr>
              <th scope="col">Name</th>
              <th scope="col">Who</th>
              <th scope="col">At</th>
              <th scope="col">Counts</th>
              <th scope="col">
                <span className="unseen">What to do</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {ways.bypasses.map((one) => (
              <tr key={one.name} className={one.counts ? undefined : 'off'}>
                <th scope="row">{one.name}</th>
                <td data-label="Who">
                  {conditions(one)}
                  {one.idle !== undefined && <span className="warning"> Lets nobody in: {one.idle}.</span>}
                </td>
                <td data-label="At">{one.everyLock ? 'every lock' : listed(one.locks) || 'no lock'}</td>
                <td data-label="Counts">{windowWords(one.from, one.until)}</td>
                <td className="acts">
                  {isOwner && (
                    <>
                      <button type="button" className="plain" onClick={() => onChange(one.name)}>
                        Add to it<span className="unseen">: {one.name}</span>
                      </button>
                      <button type="button" className="plain" onClick={() => void act(one.name)}>
                        Take out<span className="unseen"> {one.name}</span>
                      </button>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

const named = {
  role: { label: 'Roles', hint: 'Any of them is enough.', example: 'editor warden' },
  person: {
    label: 'People',
    hint: 'As the site knows them, such as by their mail addresses.',
    example: 'imke@kestrelmoor.example',
  },
};

function BypassDialog({
  name: given,
  ways,
  session,
  onClose,
}: {
  readonly name: string | undefined;
  readonly ways: Ways;
  readonly session: Session;
  readonly onClose: () => void;
}) {
  const [name, setName] = useState(given ?? '');
  const [who, setWho] = useState<'address' | 'role' | 'person' | 'signed-in'>('address');
  const [value, setValue] = useState('');
  const [locks, setLocks] = useState<readonly string[]>([]);
  const [everyLock, setEveryLock] = useState(false);
  const [until, setUntil] = useState('');
  const { act, error, isBusy } = useAct(async () => {
    const values = value.split(/[\s,]+/).filter(Boolean);
    await call('bypass.add', {
      bypass: name,
      order: {
        ...(who === 'address' && { addresses: values }),
        ...(who === 'role' && { roles: values }),
        ...(who === 'person' && { people: values }),
        ...(who === 'signed-in' && { signedIn: true }),
        ...(locks.length > 0 && !everyLock && { locks: [...locks] }),
        ...(everyLock && { everyLock }),
        ...(until !== '' && { until }),
      },
    });
    onClose();
  });
  return (
    <Dialog title={given === undefined ? 'Let somebody in without a password' : `Add to ${given}`} onClose={onClose}>
      <Form act={act}>
        {given === undefined && (
          <Field label="Name of this rule">
            {(props) => (
              <input
                {...props}
                required
                pattern="[a-z][a-z0-9_\-]{0,63}"
                placeholder="office"
                value={name}
                onChange={(event) => setName(event.target.value)}
              />
            )}
          </Field>
        )}
        <Choice
          label="Who"
          value={who}
          onChange={setWho}
          options={[
            ['address', 'by network address'],
            ['role', 'by role'],
            ['person', 'by name'],
            ['signed-in', 'whoever is signed in'],
          ]}
        />
        {who === 'address' && (
          <Field
            label="Addresses"
            hint={
              session.address !== undefined && (
                <>
                  Your own address is {session.address}.{' '}
                  <button
                    type="button"
                    className="in-sentence"
                    onClick={() => setValue(`${value} ${session.address ?? ''}`.trim())}
                  >
                    Let it in
                  </button>
                </>
              )
            }
          >
            {(props) => (
              <input
                {...props}
                required
                placeholder="203.0.113.0/24"
                value={value}
                onChange={(event) => setValue(event.target.value)}
              />
            )}
          </Field>
        )}
        {(who === 'role' || who === 'person') && (
          <Field label={named[who].label} hint={named[who].hint}>
            {(props) => (
              <input
                {...props}
                required
                placeholder={named[who].example}
                value={value}
                onChange={(event) => setValue(event.target.value)}
              />
            )}
          </Field>
        )}
        <label className="check">
          <input type="checkbox" checked={everyLock} onChange={() => setEveryLock(!everyLock)} />
          At every lock, also at those to come
        </label>
        {!everyLock && (
          <Choices
            legend="At these locks"
            all={ways.locks.map((lock) => lock.name)}
            chosen={locks}
            onChange={setLocks}
          />
        )}
        <Field label="Until" hint="Empty: without an end.">
          {(props) => (
            <input {...props} type="datetime-local" value={until} onChange={(event) => setUntil(event.target.value)} />
          )}
        </Field>
        {given !== undefined && (
          <p className="hint">Everything in one rule must hold at once: another kind of condition lets in fewer.</p>
        )}
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy}>
            Let them in
          </button>
          <CountsWhen session={session} />
        </p>
      </Form>
    </Dialog>
  );
}

/** A cell of a table for other programs: never a formula. */
const cell = (text: string) => `"${(/^[=+\-@\t\r]/.test(text) ? `'${text}` : text).replaceAll('"', '""')}"`;

function Requests() {
  const { version } = useKnown();
  const { data } = useQuery({ queryKey: ['requests', version], queryFn: () => call('requests', {}), retry: false });
  if (data === undefined || data.requests.length === 0) return null;
  const csv = [
    ['at', 'lock', 'address', 'language', 'consent', 'gives', 'sent'],
    ...data.requests.map((one) => [
      one.at,
      one.lock,
      one.address,
      one.language,
      one.consent,
      one.gives,
      String(one.sent),
    ]),
  ]
    .map((row) => row.map(cell).join(','))
    .join('\r\n');
  return (
    <section aria-label="Asked by mail">
      <header className="lock-head">
        <h3>Who left an address</h3>
        <a
          className="button quiet"
          href={`data:text/csv;charset=utf-8,${encodeURIComponent(csv)}`}
          download="requests.csv"
        >
          Save as CSV
        </a>
      </header>
      <table className="ways">
        <thead>
          <tr>
            <th scope="col">Address</th>
            <th scope="col">Lock</th>
            <th scope="col">When</th>
            <th scope="col">Agreed to</th>
            <th scope="col">Sent</th>
          </tr>
        </thead>
        <tbody>
          {data.requests.slice(-200).map((one) => (
            <tr key={`${one.at}${one.address}`}>
              <th scope="row">{one.address}</th>
              <td data-label="Lock">{one.lock}</td>
              <td data-label="When">{momentWords(one.at.slice(0, 16))}</td>
              <td data-label="Agreed to">{one.consent}</td>
              <td data-label="Sent">{one.sent ? one.gives : 'not sent'}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
