import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState, type ReactNode } from 'react';
import { call, getSession, type CallResult, type Session } from './api.js';
import { PasswordField, useProposal } from './passwords.js';
import { announce, Choice, Field, Form, listed, plural, Problem, useAct } from './ui.js';

const languages = [
  ['en', 'English'],
  ['fr', 'French'],
  ['de', 'German'],
  ['es', 'Spanish'],
  ['pt', 'Portuguese'],
  ['pl', 'Polish'],
  ['ar', 'Arabic'],
  ['ja', 'Japanese'],
] as const;

type Step = 'site' | 'close' | 'live' | 'seen';
const steps: readonly (readonly [Step, string])[] = [
  ['site', 'What is your site?'],
  ['close', 'What shall be closed?'],
  ['live', 'Make it count'],
  ['seen', 'See it as a stranger'],
];

/** From a site without a policy to one that is locked, live and tried; whoever leaves goes on in the rooms. */
export function FirstHour({
  session,
  onLeave,
}: {
  readonly session: Session;
  /** Goes to the rooms; there has to be a policy. */
  readonly onLeave: (to: string) => void;
}) {
  const isBegun = session.about?.isNew !== true;
  const [step, setStep] = useState<Step>(isBegun ? 'close' : 'site');
  const [locked, setLocked] = useState<Locked>();
  const at = steps.findIndex(([one]) => one === step);
  return (
    <div className="room first-hour">
      <ol className="steps" aria-label="Steps">
        {steps.map(([one, words], place) => (
          <li key={one} aria-current={one === step ? 'step' : undefined} className={place < at ? 'done' : ''}>
            {words}
          </li>
        ))}
      </ol>
      {step === 'site' && <SiteStep session={session} onDone={() => setStep('close')} />}
      {step === 'close' && (
        <CloseStep
          onDone={(done) => {
            setLocked(done);
            setStep('live');
          }}
        />
      )}
      {step === 'live' && locked !== undefined && <LiveStep locked={locked} onDone={() => setStep('seen')} />}
      {step === 'seen' && locked !== undefined && <SeenStep locked={locked} session={session} onLeave={onLeave} />}
      {step !== 'site' && (
        <p className="leave">
          <button type="button" className="plain" onClick={() => onLeave('/')}>
            {step === 'seen' ? 'To all places' : 'Leave this, and go on in the rooms'}
          </button>
        </p>
      )}
    </div>
  );
}

function SiteStep({ session, onDone }: { readonly session: Session; readonly onDone: () => void }) {
  const queries = useQueryClient();
  const { data } = useQuery({ queryKey: ['candidates'], queryFn: () => call('begin.candidates', {}) });
  const found = data?.folders ?? [];
  const [kind, setKind] = useState<'folder' | 'address'>();
  const [folder, setFolder] = useState<string>();
  const [origin, setOrigin] = useState(session.siteUrl ?? '');
  const [name, setName] = useState('');
  const [spoken, setSpoken] = useState<readonly string[]>([navigator.language.split('-')[0] ?? 'en']);
  const shown = kind ?? (found.length > 0 || data === undefined ? 'folder' : 'address');
  const chosen = folder ?? found[0]?.folder ?? '';
  const begin = useAct(async () => {
    const known = spoken.filter((one) => languages.some(([tag]) => tag === one));
    await call('begin', {
      name,
      languages: known.length === 0 ? ['en'] : known,
      timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
      ...(shown === 'folder' ? { folder: chosen } : { origin }),
    });
    await getSession();
    await queries.invalidateQueries({ queryKey: ['session'] });
    onDone();
  });
  return (
    <Form act={begin.act}>
      <Title>What is your site?</Title>
      <Choice
        label="Where it is"
        value={shown}
        onChange={setKind}
        options={[
          ['folder', 'a folder of files here'],
          ['address', 'runs somewhere, at an address'],
        ]}
      />
      {shown === 'folder' ? (
        <Field
          label="Its folder"
          hint={
            found.length > 0
              ? `Found: ${listed(found.map((one) => `${one.folder === '.' ? 'this folder' : one.folder} with ${plural(one.pages, 'page')}`))}.`
              : 'The finished site, as seen from where the console was started.'
          }
        >
          {(props) => (
            <>
              <input
                {...props}
                required
                list="folders"
                value={chosen}
                onChange={(event) => setFolder(event.target.value)}
              />
              <datalist id="folders">
                {found.map((one) => (
                  <option key={one.folder} value={one.folder} />
                ))}
              </datalist>
            </>
          )}
        </Field>
      ) : (
        <Field label="Its address" hint="Scheme and host, as visitors type it.">
          {(props) => (
            <input
              {...props}
              required
              type="url"
              placeholder="https://kestrelmoor.example"
              value={origin}
              onChange={(event) => setOrigin(event.target.value)}
            />
          )}
        </Field>
      )}
      <Field label="What visitors know it by" hint="Stands on every screen.">
        {(props) => <input {...props} required value={name} onChange={(event) => setName(event.target.value)} />}
      </Field>
      <fieldset className="spoken">
        <legend>Languages that its visitors read</legend>
        {languages.map(([tag, words]) => (
          <label key={tag} className="check">
            <input
              type="checkbox"
              checked={spoken.includes(tag)}
              onChange={() => setSpoken(spoken.includes(tag) ? spoken.filter((one) => one !== tag) : [...spoken, tag])}
            />
            {words}
          </label>
        ))}
      </fieldset>
      <Problem error={begin.error} />
      <p className="buttons">
        <button className="main" disabled={begin.isBusy}>
          Go on
        </button>
        <span className="hint">Writes a policy, in which nothing is locked yet.</span>
      </p>
    </Form>
  );
}

const Title = ({ children }: { readonly children: ReactNode }) => <h2 tabIndex={-1}>{children}</h2>;

interface Locked {
  readonly lock: string;
  readonly places: readonly string[];
  readonly password: string;
}

/** What one may close first: everything, a folder, a page. */
function placesIn(view: CallResult<'view'> | undefined): readonly (readonly [place: string, words: string])[] {
  if (view === undefined) return [];
  const folders = new Map<string, number>();
  const pages: [string, string][] = [];
  for (const { path, title } of view.places) {
    if (!/\.html?$/.test(path)) continue;
    const [, first = '', ...rest] = path.split('/');
    if (rest.length > 0) folders.set(`/${first}/`, (folders.get(`/${first}/`) ?? 0) + 1);
    else if (path !== '/index.html') pages.push([path.replace(/\.html?$/, ''), title ?? '']);
  }
  return [
    ...[...folders].map(([place, count]): [string, string] => [place, `the folder ${place}, ${plural(count, 'page')}`]),
    ...pages
      .slice(0, 60)
      .map(([place, title]): [string, string] => [place, title === '' ? place : `${title} (${place})`]),
  ];
}

function CloseStep({ onDone }: { readonly onDone: (locked: Locked) => void }) {
  const { data: view, error } = useQuery({
    queryKey: ['view', '{}', 'first'],
    queryFn: () => call('view', { seenBy: {} }),
  });
  const [what, setWhat] = useState<'site' | 'places'>('places');
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const [typed, setTyped] = useState('');
  const all = useMemo(() => placesIn(view), [view]);
  const places = what === 'site' ? ['/'] : [...chosen, ...(typed === '' ? [] : [typed])];
  const lock = what === 'site' ? 'site' : nameOf(places[0] ?? '');
  const proposal = useProposal(lock);
  const close = useAct(async () => {
    const password = await proposal.final();
    await call('lock.change', {
      lock,
      places,
      dynamic: all.length === 0 || typed !== '',
      password: { is: { typed: password } },
    });
    onDone({ lock, places, password });
  });
  return (
    <Form act={close.act}>
      <Title>What shall be closed?</Title>
      <Choice
        label="What shall be closed"
        value={what}
        onChange={setWhat}
        options={[
          ['places', 'some pages or folders'],
          ['site', 'the whole site'],
        ]}
      />
      <Problem error={error} />
      {what === 'places' && (
        <>
          {all.length > 0 && (
            <fieldset className="first-places">
              <legend>Folders and pages</legend>
              {all.map(([place, words]) => (
                <label key={place} className="check">
                  <input
                    type="checkbox"
                    checked={chosen.includes(place)}
                    onChange={() =>
                      setChosen(chosen.includes(place) ? chosen.filter((one) => one !== place) : [...chosen, place])
                    }
                  />
                  {words}
                </label>
              ))}
            </fieldset>
          )}
          <Field
            label={all.length > 0 ? 'Or another address' : 'Its address on the site'}
            hint="A page such as /about, or a folder such as /members/ with all below it."
          >
            {(props) => (
              <input
                {...props}
                required={chosen.length === 0}
                pattern="/.*"
                placeholder="/members/"
                value={typed}
                onChange={(event) => setTyped(event.target.value)}
              />
            )}
          </Field>
        </>
      )}
      <PasswordField proposal={proposal} />
      <Problem error={close.error} />
      <p className="buttons">
        <button className="main" disabled={close.isBusy || places.length === 0}>
          Close {what === 'site' ? 'the site' : places.length === 1 ? 'it' : 'them'}
        </button>
        <span className="hint">In a draft: nothing counts yet.</span>
      </p>
    </Form>
  );
}

const nameOf = (place: string): string =>
  (place.split(/[#/]/).filter(Boolean).at(-1) ?? 'lock')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 40) || 'lock';

function LiveStep({ locked, onDone }: { readonly locked: Locked; readonly onDone: () => void }) {
  const { data, error } = useQuery({ queryKey: ['first-review'], queryFn: () => call('review', {}), staleTime: 0 });
  const live = useAct(async () => {
    const { closed } = await call('live', {});
    announce(`It is live: ${plural(closed.length, 'place')} closed to strangers.`);
    onDone();
  });
  const closed = data?.review?.closed ?? [];
  return (
    <Form act={live.act}>
      <Title>Make it count</Title>
      <p>
        {closed.length === 0
          ? `Whatever lies at ${listed(locked.places)} is closed to strangers.`
          : `Closes ${plural(closed.length, 'place')} to strangers, and opens none.`}
      </p>
      <p>Whoever has this password comes in:</p>
      <p className="secret big">{locked.password}</p>
      <p className="hint">It can be looked up again among the ways in, on this machine.</p>
      <Problem error={error ?? live.error} />
      <p className="buttons">
        <button className="main" disabled={live.isBusy || data === undefined}>
          Go live
        </button>
      </p>
    </Form>
  );
}

/** The address of a place: a folder by its front page. */
const addressOf = (place: string) => place.replace(/\*.*$/, '');

function SeenStep({
  locked,
  session,
  onLeave,
}: {
  readonly locked: Locked;
  readonly session: Session;
  readonly onLeave: (to: string) => void;
}) {
  const place = addressOf(locked.places[0] ?? '/');
  const { data, error } = useQuery({
    queryKey: ['first-seen', place],
    queryFn: async () => ({
      stranger: await call('explain', { path: encodeURI(place) }),
      guest: await call('explain', { path: encodeURI(place), seenBy: { opened: [locked.lock] } }),
    }),
    staleTime: 0,
  });
  const isRight = data?.stranger.decision === 'shut' && data.guest.decision === 'let-in';
  return (
    <div className="seen-step">
      <Title>See it as a stranger</Title>
      <Problem error={error} />
      {data !== undefined && (
        <>
          <p className={isRight ? 'open' : 'problem'}>
            {isRight ? 'It is as you wanted it.' : 'It is not as you wanted it: look at the place in the rooms.'}
          </p>
          <dl>
            <dt>A stranger at {place}</dt>
            <dd>gets {data.stranger.answer}.</dd>
            <dt>Somebody with the password</dt>
            <dd>gets {data.guest.answer}.</dd>
          </dl>
          <p>
            That is what the policy says. Whether the running site does so, files and search indexes included, is what a
            patrol finds out.
            {session.siteUrl === undefined && session.about?.hasFolder === true && (
              <>
                {' '}
                To serve this folder behind its locks, run <code>npx dorlin serve --console</code>.
              </>
            )}
          </p>
        </>
      )}
      <p className="buttons">
        <button type="button" className="main" onClick={() => onLeave('/patrol')}>
          To the patrol
        </button>
        <button type="button" onClick={() => onLeave('/screens')}>
          Design the screen
        </button>
        <button type="button" onClick={() => onLeave('/ways')}>
          Hand the password out
        </button>
      </p>
    </div>
  );
}
