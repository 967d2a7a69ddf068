import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { call, useKnown, type CallResult, type Session } from './api.js';
import {
  announce,
  Choice,
  Choices,
  Dialog,
  Field,
  Form,
  listed,
  momentWords,
  plain,
  plural,
  Problem,
  useAct,
} from './ui.js';

type Site = CallResult<'site'>;

const groups: readonly {
  readonly name: string;
  readonly about: string;
  readonly keys: readonly (readonly [string, string])[];
}[] = [
  {
    name: 'The site',
    about: 'What it is called, where it is, and how its addresses are read.',
    keys: [
      ['name', 'Name'],
      ['origin', 'Where it is'],
      ['folder', 'Folder of its files'],
      ['timeZone', 'Time zone'],
      ['languages', 'Languages of the screens'],
      ['hosts', 'Other hosts of yours'],
      ['indexFiles', 'Front pages of folders'],
      ['extensions', 'Endings that may be left out'],
      ['caseSensitive', 'Capitals matter in addresses'],
      ['sitemaps', 'Sitemaps'],
      ['feeds', 'Feeds'],
      ['ribbon', 'A bar for those let in without a password'],
      ['showAddress', 'Visitors may ask for their own address'],
      ['marks', 'Pages may mark sections themselves'],
    ],
  },
  {
    name: 'Guessing',
    about: 'How often passwords may be tried.',
    keys: [
      ['guessing.perVisitor', 'One visitor, at one lock'],
      ['guessing.perLock', 'All unknown visitors together, at one lock'],
    ],
  },
  {
    name: 'Mail',
    about: 'How letters with passwords are sent to those who ask for one.',
    keys: [
      ['mail.from', 'From'],
      ['mail.replyTo', 'Answers go to'],
      ['mail.server', 'Mail server'],
      ['mail.perVisitor', 'Letters for one visitor'],
      ['mail.perLock', 'Letters for one lock'],
      ['mail.perAddress', 'Letters to one address'],
    ],
  },
  {
    name: 'Journal',
    about: 'What is kept of what happens at the locks.',
    keys: [
      ['journal.file', 'File'],
      ['journal.addresses', 'Visitors’ addresses'],
      ['journal.keep', 'Kept for'],
    ],
  },
  {
    name: 'Who people are',
    about: 'Whose word the site believes about addresses, names and roles.',
    keys: [
      ['trustedProxies', 'Proxies that are believed'],
      ['identity.signIn', 'The site’s own sign-in'],
      ['identity.jwt.cookie', 'Cookie with a token'],
      ['identity.jwt.jwks', 'Keys of the tokens'],
      ['identity.jwt.issuer', 'Issuer'],
      ['identity.jwt.audience', 'Audience'],
      ['identity.jwt.roles', 'Claim with the roles'],
      ['identity.jwt.person', 'Claim with the name'],
      ['identity.header.from', 'Headers are believed from'],
      ['identity.header.person', 'Header with the name'],
      ['identity.header.roles', 'Header with the roles'],
    ],
  },
];

/** What a key is now, as it is typed. */
function valueAt(site: Site, key: string): string {
  const path = key.split('.');
  let value: unknown =
    path.length === 1 && !['guessing', 'mail', 'journal', 'identity'].includes(key) ? site.site : site;
  for (const part of path)
    value = typeof value === 'object' && value !== null ? (value as Record<string, unknown>)[part] : undefined;
  if (Array.isArray(value)) return value.join(', ');
  if (typeof value === 'string') return value;
  if (typeof value === 'number' || typeof value === 'boolean') return String(value);
  return typeof value === 'object' && value !== null && 'to' in value && typeof value.to === 'string' ? value.to : '';
}

export function Settings({ session }: { readonly session: Session }) {
  const { version } = useKnown();
  const { data, error } = useQuery({ queryKey: ['site', version], queryFn: () => call('site', {}) });
  return (
    <div className="room settings">
      <h2>Settings</h2>
      <Problem error={error} />
      <People session={session} />
      {data !== undefined && groups.map((group) => <Group key={group.name} group={group} site={data} />)}
      <Steps />
      <Changes />
    </div>
  );
}

function Group({ group, site }: { readonly group: (typeof groups)[number]; readonly site: Site }) {
  const [typed, setTyped] = useState<Readonly<Record<string, string>>>({});
  const { act, error, isBusy } = useAct(async () => {
    await call('site.change', { settings: Object.entries(typed).map(([key, value]) => `${key}=${value}`) });
    announce('In the draft.');
    setTyped({});
  });
  const changed = Object.keys(typed).length;
  return (
    <section aria-label={group.name}>
      <h3>{group.name}</h3>
      <p className="hint">{group.about}</p>
      <Form act={act}>
        {group.keys.map(([key, label]) => {
          const about = site.keys.find((one) => one.key === key);
          const value = typed[key] ?? valueAt(site, key);
          const set = (next: string) => setTyped({ ...typed, [key]: next });
          const isYesNo = typeof (site.site as unknown as Record<string, unknown>)[key] === 'boolean';
          const words = about?.words ?? (isYesNo ? ['true', 'false'] : undefined);
          return (
            <Field key={key} label={label} hint={about?.about === undefined ? undefined : plain(about.about)}>
              {(props) =>
                words !== undefined && words.length > 1 ? (
                  <select {...props} value={value} onChange={(event) => set(event.target.value)}>
                    {value === '' && <option value="">not set</option>}
                    {words.map((word) => (
                      <option key={word} value={word}>
                        {{ true: 'yes', false: 'no' }[word] ?? word}
                      </option>
                    ))}
                  </select>
                ) : (
                  <input {...props} value={value} onChange={(event) => set(event.target.value)} />
                )
              }
            </Field>
          );
        })}
        <Problem error={error} />
        {changed > 0 && (
          <p className="buttons">
            <button className="main" disabled={isBusy}>
              Put {plural(changed, 'change')} in the draft
            </button>
            <button type="button" className="quiet" onClick={() => setTyped({})}>
              As it was
            </button>
          </p>
        )}
      </Form>
    </section>
  );
}

/** Those who may use the console. */
function People({ session }: { readonly session: Session }) {
  const { version } = useKnown();
  const [count, setCount] = useState(0);
  const { data, error } = useQuery({ queryKey: ['people', version, count], queryFn: () => call('people', {}) });
  const ways = useQuery({ queryKey: ['ways', version, 'settings'], queryFn: () => call('ways', {}) });
  const [isInviting, setInviting] = useState(false);
  const [removing, setRemoving] = useState<string>();
  const [changing, setChanging] = useState<{
    readonly id: string;
    readonly name: string;
    readonly locks: readonly string[];
  }>();
  const again = () => setCount(count + 1);
  const end = useAct(async (person?: string) => {
    const done = await call('people.end-sessions', { ...(person !== undefined && { person }) });
    announce(`Signed out: ${listed(done.people)}.`);
    if (person === undefined) location.reload();
    again();
  });
  const remove = useAct(async (person: string) => {
    await call('people.remove', { person });
    setRemoving(undefined);
    again();
  });
  const revoke = useAct(async (id: string) => {
    await call('people.revoke-invite', { id });
    announce('The invitation is revoked.');
    again();
  });
  return (
    <section aria-label="People">
      <header className="lock-head">
        <h3>Who may use this console</h3>
        <span className="buttons">
          <button type="button" className="quiet" onClick={() => setInviting(true)}>
            Invite somebody
          </button>
          <button type="button" className="quiet" onClick={() => void end.act()}>
            Sign everybody out
          </button>
        </span>
      </header>
      <Problem error={error ?? end.error ?? remove.error ?? revoke.error} />
      <table className="ways">
        <thead>
          <tr>
            <th scope="col">Name</th>
            <th scope="col">May</th>
            <th scope="col">Since</th>
            <th scope="col">
              <span className="unseen">What to do</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {data?.people.map(({ id, name, role, locks, since }) => (
            <tr key={id}>
              <th scope="row">
                {name}
                {id === session.person?.id && ' (you)'}
              </th>
              <td data-label="May">
                {role === 'owner' ? 'everything' : `change and hand out the ways in of ${listed(locks)}`}
              </td>
              <td data-label="Since">{momentWords(since.slice(0, 10))}</td>
              <td className="acts">
                {role === 'keeper' && (
                  <button type="button" className="plain" onClick={() => setChanging({ id, name, locks })}>
                    Other locks<span className="unseen"> for {name}</span>
                  </button>
                )}
                <button type="button" className="plain" onClick={() => void end.act(id)}>
                  Sign out<span className="unseen"> {name}</span>
                </button>
                {removing === id ? (
                  <button type="button" className="plain danger" onClick={() => void remove.act(id)}>
                    Yes, take {name} out
                  </button>
                ) : (
                  <button type="button" className="plain" onClick={() => setRemoving(id)}>
                    Take out<span className="unseen"> {name}</span>
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {(data?.invites.length ?? 0) > 0 && (
        <>
          <h4>Invitations that nobody has taken</h4>
          <ul className="invites">
            {data?.invites.map(({ id, role, locks, person, until }) => {
              const what =
                person !== undefined
                  ? `A new password for ${person}`
                  : role === 'owner'
                    ? 'An owner'
                    : `Passwords and links of ${listed(locks)}`;
              return (
                <li key={id}>
                  <span>
                    {what}, until {momentWords(until.slice(0, 16))} UTC
                  </span>
                  <button type="button" className="plain" onClick={() => void revoke.act(id)}>
                    Revoke<span className="unseen"> the invitation: {what}</span>
                  </button>
                </li>
              );
            })}
          </ul>
        </>
      )}
      {changing !== undefined && (
        <KeeperLocks
          person={changing}
          all={ways.data?.locks.map(({ name }) => name) ?? []}
          onClose={() => {
            setChanging(undefined);
            again();
          }}
        />
      )}
      {isInviting && ways.data !== undefined && (
        <Invite
          locks={ways.data.locks.map(({ name }) => name)}
          onClose={() => {
            setInviting(false);
            again();
          }}
        />
      )}
    </section>
  );
}

function KeeperLocks({
  person,
  all,
  onClose,
}: {
  readonly person: { readonly id: string; readonly name: string; readonly locks: readonly string[] };
  readonly all: readonly string[];
  readonly onClose: () => void;
}) {
  const [chosen, setChosen] = useState(person.locks);
  const { act, error, isBusy } = useAct(async () => {
    await call('people.locks', { person: person.id, locks: [...chosen] });
    onClose();
  });
  return (
    <Dialog title={`What ${person.name} looks after`} onClose={onClose}>
      <Form act={act}>
        <Choices legend="Of these locks" all={all} chosen={chosen} onChange={setChosen} />
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy}>
            From now on
          </button>
          <span className="hint">It counts at once.</span>
        </p>
      </Form>
    </Dialog>
  );
}

function Invite({ locks, onClose }: { readonly locks: readonly string[]; readonly onClose: () => void }) {
  // A keeper's part is what is offered, unless there is no lock to keep.
  const [said, setRole] = useState<'keeper' | 'owner'>();
  const role = said ?? (locks.length > 0 ? 'keeper' : 'owner');
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const [link, setLink] = useState<string>();
  const { act, error, isBusy } = useAct(async () => {
    const { token } = await call('people.invite', { role, ...(role === 'keeper' && { locks: [...chosen] }) });
    setLink(`${location.origin}/invited#${token}`);
  });
  return (
    <Dialog title="Invite somebody" onClose={onClose}>
      {link !== undefined ? (
        <>
          <p>Send this to them, and to nobody else. It counts once, within three days, and is not shown again.</p>
          <p className="secret" data-testid="invitation">
            {link}
          </p>
          <p className="buttons">
            <button
              type="button"
              className="main"
              onClick={() => void navigator.clipboard.writeText(link).then(() => announce('Copied.'))}
            >
              Copy it
            </button>
            <button type="button" onClick={onClose}>
              Done
            </button>
          </p>
        </>
      ) : (
        <Form act={act}>
          <Choice
            label="May"
            value={role}
            onChange={setRole}
            options={[
              ['keeper', 'change and hand out passwords of some locks'],
              ['owner', 'do everything'],
            ]}
          />
          {role === 'keeper' && <Choices legend="Of these locks" all={locks} chosen={chosen} onChange={setChosen} />}
          <Problem error={error} />
          <p className="buttons">
            <button className="main" disabled={isBusy}>
              Make an invitation
            </button>
          </p>
        </Form>
      )}
    </Dialog>
  );
}

/** What is done at once: back to before, and closing everything. */
function Steps() {
  const [asking, setAsking] = useState<'back' | 'close'>();
  const back = useAct(async () => {
    const done = await call('back', {});
    announce(
      `Taken back: what was done on ${done.atLocal}. It opens ${done.opened.length} and closes ${done.closed.length}.`,
    );
    setAsking(undefined);
  });
  const close = useAct(async () => {
    const done = await call('lock.change', {
      lock: 'closed-for-now',
      places: ['/'],
      settings: { outsiders: 'closed', enabled: true },
      now: true,
    });
    announce(`Closed: ${plural(done.closed.length, 'place')} that strangers had.`);
    setAsking(undefined);
  });
  return (
    <section aria-label="At once">
      <h3>At once</h3>
      <p className="buttons">
        <button type="button" onClick={() => setAsking('back')}>
          Step back
        </button>
        <button type="button" className="danger" onClick={() => setAsking('close')}>
          Close everything now
        </button>
      </p>
      {asking === 'back' && (
        <Dialog title="Step back?" onClose={() => setAsking(undefined)}>
          <p>
            The last change that went live is taken back, for everybody, at once. Up to thirty steps can be taken back,
            one by one.
          </p>
          <Problem error={back.error} />
          <p className="buttons">
            <button type="button" className="main" disabled={back.isBusy} onClick={() => void back.act()}>
              Take it back
            </button>
          </p>
        </Dialog>
      )}
      {asking === 'close' && (
        <Dialog title="Close everything now?" onClose={() => setAsking(undefined)}>
          <p>
            Whatever strangers get now is closed to them, at once, without a draft. Places under a lock keep it: their
            guests still come in. A lock named closed-for-now does it; release it, or step back, to open again.
          </p>
          <Problem error={close.error} />
          <p className="buttons">
            <button type="button" className="main danger" disabled={close.isBusy} onClick={() => void close.act()}>
              Close everything
            </button>
          </p>
        </Dialog>
      )}
    </section>
  );
}

/** Who did what, newest first. */
function Changes() {
  const { version } = useKnown();
  const { data } = useQuery({ queryKey: ['changes', version], queryFn: () => call('changes', {}) });
  if (data === undefined || data.changes.length === 0) return null;
  return (
    <section aria-label="What was done here">
      <h3>What was done here</h3>
      <ol className="changes">
        {data.changes.slice(0, 30).map(({ at, person, call: name, about }) => (
          <li key={at + name}>
            <time dateTime={at}>
              {new Date(at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}
            </time>{' '}
            <b>{person}</b> {callWords[name] ?? name}
            {about !== '' && <span className="note">: {about}</span>}
          </li>
        ))}
      </ol>
    </section>
  );
}

const callWords: Readonly<Record<string, string>> = {
  accept: 'took an invitation',
  'lock.change': 'locked, or set a lock',
  release: 'released',
  'bypass.add': 'let somebody in',
  'bypass.remove': 'took a rule out',
  'site.change': 'changed settings',
  'password.add': 'added a password',
  'password.change': 'changed a password’s label or times',
  'password.rotate': 'rotated a password',
  'password.retire': 'retired a password',
  'password.plan': 'planned passwords',
  'password.import': 'took in users',
  'link.add': 'made a link',
  'link.revoke': 'ended a link',
  live: 'went live',
  back: 'stepped back',
  'draft.undo': 'undid an edit',
  'draft.drop': 'threw the draft away',
  'draft.carry': 'took a change into the draft',
  'people.invite': 'invited somebody',
  'people.revoke-invite': 'revoked an invitation',
  'people.locks': 'gave a keeper other locks',
  'people.remove': 'took somebody out',
  'people.end-sessions': 'signed somebody out',
};
