import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { createPortal } from 'react-dom';
import { call, useKnown, type CallResult, type Session } from './api.js';
import { announce, Choice, Dialog, Field, Form, momentWords, plural, Problem, Times, useAct } from './ui.js';

/** A password that is proposed, shown, judged, and can be typed over. */
export interface Proposal {
  readonly password: string;
  readonly strength: string;
  readonly isWanted: boolean;
  /** Whether none is there yet, and one is on its way. */
  readonly isComing: boolean;
  /** The password as it is, once it is there: who is quicker than the proposal takes it all the same. */
  readonly final: () => Promise<string>;
  readonly set: (password: string) => void;
  readonly renew: () => void;
  readonly want: (is: boolean) => void;
}

export function useProposal(lock: string): Proposal {
  const [password, setPassword] = useState('');
  const [strength, setStrength] = useState('');
  const [made, setMade] = useState('');
  const [isWanted, setWanted] = useState(true);
  const isTyped = useRef(false);
  const [isComing, setComing] = useState(true);
  const asked = useRef(Promise.resolve(''));
  const propose = () => {
    asked.current = call('password.propose', {}).then(
      (one) => {
        setComing(false);
        // Whoever was quicker than the answer keeps what was typed.
        if (isTyped.current) return '';
        setPassword(one.password);
        setMade(one.password);
        setStrength(one.strength);
        return one.password;
      },
      () => {
        setComing(false);
        return '';
      },
    );
  };
  const renew = () => {
    isTyped.current = false;
    propose();
  };
  const set = (text: string) => {
    isTyped.current = true;
    setPassword(text);
  };
  useEffect(propose, []);
  useEffect(() => {
    if (password === made || password === '') return undefined;
    // Judged when nobody types for a moment.
    const timer = setTimeout(() => {
      void call('password.judge', { lock, password }).then(
        (one) => setStrength(one.strength),
        () => setStrength(''),
      );
    }, 300);
    return () => clearTimeout(timer);
  }, [password, made, lock]);
  const final = async () => (password === '' && !isTyped.current ? asked.current : password);
  return { password, strength, isWanted, isComing, final, set, renew, want: setWanted };
}

export function PasswordField({ proposal }: { readonly proposal: Proposal }) {
  const { password, strength, isWanted, isComing } = proposal;
  return (
    <>
      {isWanted && (
        <Field label="The password" hint={strength}>
          {(props) => (
            <span className="with-button">
              <input
                {...props}
                className="secret"
                required={!isComing}
                autoComplete="off"
                spellCheck={false}
                value={password}
                onChange={(event) => proposal.set(event.target.value)}
              />
              <button type="button" className="plain" onClick={proposal.renew}>
                Another
              </button>
            </span>
          )}
        </Field>
      )}
    </>
  );
}

const isKeeper = (session: Session) => session.person?.role === 'keeper';
/** What becomes of a change: keepers have no draft. */
export const CountsWhen = ({ session }: { readonly session: Session }) => (
  <span className="hint">{isKeeper(session) ? 'It counts at once.' : 'Nothing counts before you go live.'}</span>
);

export function AddPassword({
  lock,
  session,
  onClose,
}: {
  readonly lock: string;
  readonly session: Session;
  readonly onClose: () => void;
}) {
  const proposal = useProposal(lock);
  const [label, setLabel] = useState('');
  const [from, setFrom] = useState('');
  const [until, setUntil] = useState('');
  const { act, error, isBusy } = useAct(async () => {
    await call('password.add', {
      lock,
      is: { typed: await proposal.final() },
      ...(label !== '' && { label }),
      ...(from !== '' && { from }),
      ...(until !== '' && { until }),
    });
    announce(`${lock} has one password more.`);
    onClose();
  });
  return (
    <Dialog title={`A password for ${lock}`} onClose={onClose}>
      <Form act={act}>
        <PasswordField proposal={proposal} />
        <Field label="Whom it is for">
          {(props) => (
            <input
              {...props}
              placeholder="The volunteers"
              value={label}
              onChange={(event) => setLabel(event.target.value)}
            />
          )}
        </Field>
        <Times from={from} until={until} onFrom={setFrom} onUntil={setUntil} />
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy}>
            Add it
          </button>
          <CountsWhen session={session} />
        </p>
      </Form>
    </Dialog>
  );
}

const inEnglish = new Intl.DisplayNames('en', { type: 'language' });

type Shown = CallResult<'password.show'> | CallResult<'link.show'>;

/** Where a site is that does not say so: on this machine. */
const localOrigin = ({ about }: Session) => (about?.origin === undefined ? { origin: 'http://localhost:4280' } : {});

/** Looks a password or a link up, with what to send along, and a sheet to print. */
export function HandOut({
  lock,
  which,
  kind,
  languages,
  session,
  onClose,
}: {
  readonly lock: string;
  readonly which: string;
  readonly kind: 'password' | 'link';
  readonly languages: readonly string[];
  readonly session: Session;
  readonly onClose: () => void;
}) {
  const { version } = useKnown();
  const usual = session.about?.languages[0] ?? 'en';
  const [language, setLanguage] = useState(usual);
  const out = { language, ...localOrigin(session) };
  const { data, error } = useQuery({
    queryKey: [kind, lock, which, language, version],
    queryFn: (): Promise<Shown> =>
      kind === 'password' ? call('password.show', { lock, which, out }) : call('link.show', { lock, which, out }),
    retry: false,
    gcTime: 0,
  });
  const handed = data?.handedOut;
  const copy = (text: string, what: string) => {
    void navigator.clipboard.writeText(text).then(
      () => announce(`${what} copied.`),
      () => announce('This browser does not let a page copy. Select it, and copy it by hand.'),
    );
  };
  return (
    <Dialog title={data === undefined ? 'Hand out' : `Hand out: ${data.label}`} onClose={onClose} wide>
      <Problem error={error} />
      {data !== undefined && handed !== undefined && (
        <div className="hand-out">
          <div>
            {'password' in data ? (
              <p className="secret big" data-testid="password">
                {data.password}
              </p>
            ) : (
              <p className="secret">{handed.address}</p>
            )}
            <Field label="In">
              {(props) => (
                <select {...props} value={language} onChange={(event) => setLanguage(event.target.value)}>
                  {[...new Set([usual, ...languages])].map((tag) => (
                    <option key={tag} value={tag}>
                      {inEnglish.of(tag)}
                    </option>
                  ))}
                </select>
              )}
            </Field>
            <pre className="letter" dir="auto" lang={language}>
              {handed.text}
            </pre>
            <p className="buttons">
              <button
                type="button"
                className="main"
                onClick={() =>
                  copy(
                    'password' in data ? data.password : handed.address,
                    'password' in data ? 'The password is' : 'The link is',
                  )
                }
              >
                Copy {'password' in data ? 'the password' : 'the link'}
              </button>
              <button type="button" onClick={() => copy(handed.text, 'The text is')}>
                Copy the text
              </button>
              <a className="button" href={handed.mailto}>
                Mail
              </a>
              <a className="button" href={handed.sms}>
                Message
              </a>
            </p>
          </div>
          {handed.svg !== undefined && <Sheet svg={handed.svg} name={`${lock}-${data.label}`} />}
        </div>
      )}
    </Dialog>
  );
}

/** A sheet to put up, printed alone. */
export function Sheet({ svg, name }: { readonly svg: string; readonly name: string }) {
  const address = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  return (
    <figure className="sheet">
      <img src={address} alt="A sheet to print, with a code to scan" />
      <figcaption>
        <button type="button" onClick={() => printOnly()}>
          Print
        </button>{' '}
        <a href={address} download={`${name.replace(/[^\p{L}\p{N}-]+/gu, '-')}.svg`}>
          Save
        </a>
      </figcaption>
    </figure>
  );
}

/** Prints what is meant for paper alone. */
export function printOnly(onPrinted?: () => void): void {
  const { classList } = document.documentElement;
  const kinds = onPrinted === undefined ? ['printing'] : ['printing', 'printing-letters'];
  classList.add(...kinds);
  const printed = () => {
    classList.remove(...kinds);
    onPrinted?.();
  };
  window.addEventListener('afterprint', printed, { once: true });
  window.print();
}

export function Rotate({
  lock,
  which,
  label,
  session,
  onClose,
}: {
  readonly lock: string;
  readonly which: string;
  readonly label: string;
  readonly session: Session;
  readonly onClose: () => void;
}) {
  const proposal = useProposal(lock);
  const [newLabel, setLabel] = useState(label);
  const [overlap, setOverlap] = useState('none');
  const [days, setDays] = useState('14');
  const { act, error, isBusy } = useAct(async () => {
    await call('password.rotate', {
      lock,
      which,
      is: { typed: await proposal.final() },
      ...(newLabel !== label && { label: newLabel }),
      ...(overlap === 'some' && { overlap: `${days} days` }),
    });
    announce(`${label} has a new password.`);
    onClose();
  });
  const [opened] = useState(() => Date.now());
  const ends = new Date(opened + Math.min(400, Number(days)) * 86_400_000).toISOString().slice(0, 10);
  return (
    <Dialog title={`A new password for ${label}`} onClose={onClose}>
      <Form act={act}>
        <PasswordField proposal={proposal} />
        <Field label="Whom it is for">
          {(props) => <input {...props} required value={newLabel} onChange={(event) => setLabel(event.target.value)} />}
        </Field>
        <Choice
          label="The old one"
          value={overlap}
          onChange={setOverlap}
          options={[
            ['none', 'ends at once, and with it all who came in by it'],
            ['some', 'goes on for a while'],
          ]}
        />
        {overlap === 'some' && (
          <Field label="Days" hint={`It ends on ${momentWords(ends)}.`}>
            {(props) => (
              <input
                {...props}
                type="number"
                min="1"
                max="400"
                required
                value={days}
                onChange={(event) => setDays(event.target.value)}
              />
            )}
          </Field>
        )}
        <Problem error={error} />
        <p className="buttons">
          <button className="main" disabled={isBusy}>
            Put it in the old one’s place
          </button>
          <CountsWhen session={session} />
        </p>
      </Form>
    </Dialog>
  );
}

/** The next months’ passwords in one go. */
export function Plan({
  lock,
  session,
  onClose,
}: {
  readonly lock: string;
  readonly session: Session;
  readonly onClose: () => void;
}) {
  const [every, setEvery] = useState('month');
  const [count, setCount] = useState('12');
  const [overlap, setOverlap] = useState('7');
  const [from, setFrom] = useState('');
  const [made, setMade] = useState<CallResult<'password.plan'>>();
  const [letters, setLetters] = useState<readonly string[]>();
  const drawing = useAct(async () => {
    const out = { language: session.about?.languages[0] ?? 'en', ...localOrigin(session) };
    const shown = await Promise.all(
      (made?.passwords ?? []).map(({ id }) => call('password.show', { lock, which: id, out })),
    );
    setLetters(shown.flatMap(({ handedOut }) => handedOut?.svg ?? []));
  });
  const { act, error, isBusy } = useAct(async () => {
    setMade(
      await call('password.plan', {
        lock,
        order: {
          every,
          count: Number(count),
          ...(Number(overlap) > 0 && { overlap: `${overlap} days` }),
          ...(from !== '' && { from }),
        },
      }),
    );
  });
  return (
    <Dialog
      title={
        made === undefined ? `Passwords of ${lock}, ahead` : `${plural(made.passwords.length, 'password')} of ${lock}`
      }
      onClose={onClose}
      wide
    >
      {made === undefined ? (
        <Form act={act}>
          <Choice
            label="A new one every"
            value={every}
            onChange={setEvery}
            options={[
              ['month', 'every month'],
              ['week', 'every week'],
              ['14 days', 'every fortnight'],
            ]}
          />
          <div className="pair">
            <Field label="How many">
              {(props) => (
                <input
                  {...props}
                  type="number"
                  min="1"
                  max="60"
                  required
                  value={count}
                  onChange={(event) => setCount(event.target.value)}
                />
              )}
            </Field>
            <Field label="Overlap, in days" hint="How long each goes on beside the next.">
              {(props) => (
                <input
                  {...props}
                  type="number"
                  min="0"
                  max="60"
                  required
                  value={overlap}
                  onChange={(event) => setOverlap(event.target.value)}
                />
              )}
            </Field>
          </div>
          <Field label="From" hint={`Empty: with the next ${every === 'month' ? 'month' : 'week'}.`}>
            {(props) => <input {...props} type="date" value={from} onChange={(event) => setFrom(event.target.value)} />}
          </Field>
          <Problem error={error} />
          <p className="buttons">
            <button className="main" disabled={isBusy}>
              Make them
            </button>
            <CountsWhen session={session} />
          </p>
        </Form>
      ) : (
        <>
          <Calendar passwords={made.passwords} />
          <table className="plan for-paper">
            <caption>
              {session.site}: {lock}
            </caption>
            <thead>
              <tr>
                <th scope="col">For</th>
                <th scope="col">From</th>
                <th scope="col">Until</th>
                <th scope="col">Password</th>
              </tr>
            </thead>
            <tbody>
              {made.passwords.map(({ id, label, from: start, until, password }) => (
                <tr key={id}>
                  <td>{label}</td>
                  <td>{momentWords(start)}</td>
                  <td>{momentWords(until)}</td>
                  <td className="secret">{password}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {made.goOn.length > 0 && (
            <p className="hint">
              {made.goOn.join(', ')} {made.goOn.length === 1 ? 'goes' : 'go'} on beside them, without an end.
            </p>
          )}
          <p className="buttons">
            <button type="button" className="main" onClick={() => printOnly()}>
              Print them on one sheet
            </button>
            <button type="button" disabled={drawing.isBusy} onClick={() => void drawing.act()}>
              {drawing.isBusy ? 'Drawing them …' : 'Print a letter for each'}
            </button>
            <button type="button" onClick={onClose}>
              Done
            </button>
          </p>
          <Problem error={drawing.error} />
          {letters !== undefined && <Letters sheets={letters} onPrinted={() => setLetters(undefined)} />}
        </>
      )}
    </Dialog>
  );
}

/** Letters, a page for each, which are there for the printer alone. */
function Letters({ sheets, onPrinted }: { readonly sheets: readonly string[]; readonly onPrinted: () => void }) {
  const left = useRef(sheets.length);
  return createPortal(
    <div className="letters for-paper" aria-hidden="true">
      {sheets.map((svg) => (
        <img
          key={svg}
          src={`data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`}
          alt=""
          // Printed once all of them are there.
          onLoad={() => {
            left.current--;
            if (left.current === 0) printOnly(onPrinted);
          }}
        />
      ))}
    </div>,
    document.body,
  );
}

/** When each counts, one line for each, so that the overlaps are seen. */
function Calendar({ passwords }: { readonly passwords: CallResult<'password.plan'>['passwords'] }) {
  const at = (text: string) => Date.parse(`${text.slice(0, 10)}T00:00:00Z`);
  const start = Math.min(...passwords.map(({ from }) => at(from)));
  const end = Math.max(...passwords.map(({ until }) => at(until)));
  const share = (moment: number) => (100 * (moment - start)) / Math.max(1, end - start);
  return (
    <svg className="calendar" viewBox={`0 0 100 ${passwords.length * 5}`} preserveAspectRatio="none" aria-hidden="true">
      {passwords.map(({ id, from, until }, row) => (
        <rect
          key={id}
          x={share(at(from))}
          width={Math.max(0.6, share(at(until)) - share(at(from)))}
          y={row * 5 + 1}
          height="3"
        />
      ))}
    </svg>
  );
}
