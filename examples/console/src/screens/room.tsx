import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { beginning, lookNames, looks, type LookName, type SampleFacts } from '../../../../dist/design.js';
import { call, useKnown, type CallResult, type Session } from '../api.js';
import { Dialog, Field, Form, listed, Problem, useAct } from '../ui.js';
import { Designer } from './designer.js';
import { drawnHtml, Drawing, readDesign, type Drawn } from './drawing.js';
import type { Written } from './written.js';

type Design = CallResult<'screens.design'>;

const asked = () => new URLSearchParams(location.search).get('screen') ?? '';

/** The screens of the site, each as it is met; and the designer of the one that is chosen. */
export function Screens({ session }: { readonly session: Session }) {
  const { version } = useKnown();
  const { data, error } = useQuery({
    queryKey: ['screens.design', version],
    queryFn: () => call('screens.design', {}),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const [name, setName] = useState(asked);
  const [isMaking, setMaking] = useState(false);
  const go = (next: string) => {
    setName(next);
    history.replaceState(null, '', next === '' ? '/screens' : `/screens?screen=${encodeURIComponent(next)}`);
  };
  if (data === undefined)
    return <div className="empty">{error === null ? <p>Reading the screens …</p> : <Problem error={error} />}</div>;
  const chosen = data.screens.find((screen) => screen.name === name);
  if (chosen !== undefined) return <Designer key={chosen.name} design={data} screen={chosen} onBack={() => go('')} />;
  return (
    <div className="room screens">
      <header className="room-head">
        <h2>Screens</h2>
        <p className="hint">What visitors meet at a lock. Choose one to design it.</p>
        <button type="button" className="main" onClick={() => setMaking(true)}>
          New screen
        </button>
      </header>
      <ul className="screen-list">
        {data.screens.map((screen) => (
          <li key={screen.name}>
            <button type="button" onClick={() => go(screen.name)} aria-label={`Design ${screen.name}`}>
              <Small written={screen.written} name={screen.name} facts={screen.sample} design={data} />
            </button>
            <h3>{screen.name}</h3>
            <p className="note">
              {screen.locks.length === 0 ? 'No lock shows it.' : `Shown at ${listed(screen.locks)}.`}
              {screen.failingPairs > 0 && (
                <span className="warning"> {screen.failingPairs} pairs of colors are hard to read.</span>
              )}
            </p>
          </li>
        ))}
      </ul>
      {isMaking && (
        <NewScreen
          design={data}
          session={session}
          onClose={() => setMaking(false)}
          onMade={(made) => {
            setMaking(false);
            go(made);
          }}
        />
      )}
    </div>
  );
}

function Small({
  written,
  name,
  facts,
  design,
  drawn,
}: {
  readonly written: Written;
  readonly name: string;
  readonly facts: SampleFacts;
  readonly design: Design;
  readonly drawn?: Drawn;
}) {
  const language = design.site.languages[0] ?? 'en';
  const isDark = window.matchMedia('(prefers-color-scheme: dark)').matches;
  const html = useMemo(() => {
    const read = readDesign(name, written, language);
    if (read.screen === undefined) return '';
    return drawnHtml(read.screen, facts, drawn ?? { state: 'ask', scheme: isDark ? 'dark' : 'light', language });
  }, [name, written, facts, language, drawn, isDark]);
  return <Drawing html={html} title={`The screen ${name}`} of="desk" scale={0.22} />;
}

/** A screen of one’s own: which look it starts from, shown as it would be here, and what it is called. */
function NewScreen({
  design,
  session,
  onClose,
  onMade,
}: {
  readonly design: Design;
  readonly session: Session;
  readonly onClose: () => void;
  readonly onMade: (name: string) => void;
}) {
  const [look, setLook] = useState<LookName>('doorway');
  const [name, setName] = useState('');
  const [lock, setLock] = useState('');
  const { languages, timeZone } = design.site;
  const facts: SampleFacts = useMemo(() => {
    const chosen = design.locks.find((one) => one.name === lock);
    return {
      siteName: session.site,
      timeZone,
      lock: lock === '' ? 'lock' : lock,
      title: chosen?.title,
      to: '/',
      signInAt: '/',
    };
  }, [design.locks, lock, session.site, timeZone]);
  const drawn = useMemo(
    () =>
      (of: LookName): Drawn => ({
        state: of === 'daybreak' ? 'closed' : 'ask',
        scheme: 'light',
        language: languages[0] ?? 'en',
      }),
    [languages],
  );
  const started = useMemo(
    () => lookNames.map((of) => ({ of, written: beginning(of, languages), drawn: drawn(of) })),
    [languages, drawn],
  );
  const { act, error, isBusy } = useAct(async () => {
    const written = beginning(look, languages);
    await call('screen.change', { screen: name, written, isNew: true, ...(lock !== '' && { locks: [lock] }) });
    onMade(name);
  });
  return (
    <Dialog title="A new screen" onClose={onClose} wide>
      <Form act={act}>
        <div className="look-choice large" role="radiogroup" aria-label="The look it starts from">
          {started.map(({ of, written, drawn: as }) => (
            <label key={of} className={of === look ? 'on' : undefined}>
              <input type="radio" name="look" checked={of === look} onChange={() => setLook(of)} />
              <Small written={written} name={of} facts={facts} design={design} drawn={as} />
              <span>
                <b>{of}</b> {looks[of].about}
              </span>
            </label>
          ))}
        </div>
        <div className="pair">
          <Field label="Its name">
            {(props) => (
              <input
                {...props}
                required
                value={name}
                placeholder="evening"
                onChange={(event) => setName(event.target.value)}
              />
            )}
          </Field>
          <Field label="Shown at">
            {(props) => (
              <select {...props} value={lock} onChange={(event) => setLock(event.target.value)}>
                <option value="">no lock yet</option>
                {design.locks.map((one) => (
                  <option key={one.name} value={one.name}>
                    {one.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
        </div>
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy}>
            Make it
          </button>
        </p>
      </Form>
    </Dialog>
  );
}
