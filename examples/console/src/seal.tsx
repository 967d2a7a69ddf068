import { useState } from 'react';
import { call, useKnown, type Session } from './api.js';
import { when } from './patrol-outcome.js';
import { changeWords, useSealing, type Sealing } from './sealing.js';
import { announce, Field, listed, plain, plural, Problem, useAct } from './ui.js';

type Kept = NonNullable<Sealing['last']>;

/** Makes a copy of the site for a host that only serves files. */
export function Seal({ session }: { readonly session: Session }) {
  const { data, error, refetch } = useSealing(true);
  const { sealed } = useKnown();
  const [typed, setTyped] = useState<{ readonly out?: string; readonly base?: string }>({});
  const [acceptWeak, setAcceptWeak] = useState(false);
  const { out = data?.out ?? 'sealed', base = data?.base ?? '/' } = typed;
  const start = useAct(async (rekey: readonly string[] = []) => {
    await call('seal', { out, base, acceptWeak, ...(rekey.length > 0 && { rekey: [...rekey] }) });
    await refetch();
  });
  const stop = useAct(async () => {
    await call('seal.stop', {});
    announce('It stops. Sealing again goes on from there.');
  });
  if (data === undefined)
    return <div className="empty">{error === null ? <p>One moment …</p> : <Problem error={error} />}</div>;
  const { folder, isRunning, last, problem } = data;
  const isWeak = acceptWeak || problem?.code === 'seal-weak';
  return (
    <div className="room patrol seal">
      <header className="room-head">
        <h2>Sealed files</h2>
        <p className="hint">
          For a host that does nothing but send files: a copy of the site whose locked pages open in the visitor’s
          browser, with the password. Where Dorlin or your own application answers visitors, nothing has to be sealed.
        </p>
      </header>
      {folder === undefined ? (
        <p className="empty">
          The policy does not say where the site’s files are. <a href="/settings">Say it in the settings</a>, and they
          can be sealed.
        </p>
      ) : isRunning ? (
        <div className="under-way" role="status">
          <p>
            Sealing {folder}
            {sealed !== undefined && sealed.phase !== 'sealing' && ', and looking through what was written'}
            {sealed !== undefined && sealed.all > 0 && `: ${sealed.done} of ${sealed.all}`}
          </p>
          <progress
            aria-label="How far it has come"
            {...(sealed !== undefined && sealed.all > 0 && { value: sealed.done, max: sealed.all })}
          />
          <button type="button" onClick={() => void stop.act()}>
            Stop
          </button>
        </div>
      ) : (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            void start.act();
          }}
        >
          <div className="pair">
            <Field label="Folder to write" hint="Beside the policy: what the host is to get.">
              {(props) => (
                <input
                  {...props}
                  required
                  value={out}
                  onChange={(event) => setTyped({ ...typed, out: event.target.value })}
                />
              )}
            </Field>
            <Field label="Where it will lie on the host" hint="A single / for the whole host, else its folder there.">
              {(props) => (
                <input
                  {...props}
                  required
                  value={base}
                  onChange={(event) => setTyped({ ...typed, base: event.target.value })}
                />
              )}
            </Field>
          </div>
          {isWeak && (
            <label className="check">
              <input type="checkbox" checked={acceptWeak} onChange={(event) => setAcceptWeak(event.target.checked)} />
              Seal for passwords too that would not stand
            </label>
          )}
          {session.draft !== undefined && (
            <p className="warning">What waits in the draft is not sealed: go live first.</p>
          )}
          <p className="buttons">
            <button className="main" disabled={start.isBusy}>
              {last === undefined ? 'Seal the site' : 'Seal it again'}
            </button>
          </p>
        </form>
      )}
      <Problem error={start.error ?? stop.error} />
      {problem !== undefined && !isRunning && (
        <p className="problem" role="alert">
          {plain(problem.message)}{' '}
          {problem.code === 'seal-weak'
            ? 'Replace such passwords by made ones, under Ways in; or insist, above.'
            : plain(problem.mend)}
        </p>
      )}
      {last !== undefined && <Outcome last={last} changed={data.changed} isRunning={isRunning} onRekey={start.act} />}
      {last !== undefined && <Links links={data.links} />}
      {folder !== undefined && data.cannot.length > 0 && (
        <section aria-labelledby="cannot">
          <h3 id="cannot">What files alone cannot do</h3>
          <ul>
            {data.cannot.map(({ lock, text }) => (
              <li key={`${lock} ${text}`}>
                {lock !== '' && <strong>{lock}: </strong>}
                {text}
              </li>
            ))}
          </ul>
        </section>
      )}
    </div>
  );
}

function Outcome({
  last,
  changed,
  isRunning,
  onRekey,
}: {
  readonly last: Kept;
  readonly changed: Sealing['changed'];
  readonly isRunning: boolean;
  readonly onRekey: (locks: readonly string[]) => Promise<boolean>;
}) {
  const { leaks, keepOldKey, passwords, notes } = last;
  const locks = [...new Set(keepOldKey.map(({ lock }) => lock))];
  const parts = last.parts === 0 ? '' : ` and ${plural(last.parts, 'part')} of public pages`;
  return (
    <>
      <section aria-labelledby="outcome">
        <h3 id="outcome">{leaks.length === 0 ? 'Nothing locked stands in the clear' : plural(leaks.length, 'leak')}</h3>
        <p className="note">
          {when(last.at)}: {plural(last.files, 'file')}, of which {last.sealed}
          {parts} {last.sealed === 1 && parts === '' ? 'is' : 'are'} sealed, {last.anew} anew.
          {last.atHome > 0 && ` ${plural(last.atHome, 'file')} that nothing opens stayed at home.`}{' '}
          {plural(last.addresses, 'address', 'addresses')} looked through.
        </p>
        {changed !== undefined && <p className="warning">{changeWords[changed]} Seal it again.</p>}
        {leaks.length === 0 && changed === undefined && (
          <p>
            Bring all that lies in <code>{last.out}</code> to the host, hidden files too.
          </p>
        )}
        {leaks.length > 0 && <p className="warning">Do not bring it to the host before this is mended.</p>}
      </section>
      {leaks.length > 0 && (
        <ol className="findings">
          {leaks.map(({ title, lock, place, mend }) => (
            <li key={`${title} ${lock} ${place}`} className="leak">
              <h4>
                {title} <span className="note">{lock}</span>
              </h4>
              <code>{place}</code>
              <p className="note">{plain(mend)}</p>
            </li>
          ))}
        </ol>
      )}
      {locks.length > 0 && (
        <p className="warning">
          A password was taken out of {listed(locks)}. Whoever had got in by it may have kept the key.{' '}
          <button type="button" disabled={isRunning} onClick={() => void onRekey(locks)}>
            Seal it with a new key
          </button>
        </p>
      )}
      {notes.map(({ what, paths }) => (
        <p key={what} className="note">
          {listed(paths.slice(0, 3))}
          {paths.length > 3 && ` and ${paths.length - 3} more`}: {what}.
        </p>
      ))}
      {passwords.length > 0 && (
        <section aria-labelledby="stands">
          <h3 id="stands">What opens it</h3>
          <p className="note">
            Anybody may take the files home and guess there for as long as they like: so long each would stand.
          </p>
          <table className="stands">
            <thead>
              <tr>
                <th scope="col">Password</th>
                <th scope="col">Lock</th>
                <th scope="col">Stands</th>
              </tr>
            </thead>
            <tbody>
              {passwords.map(({ id, label, lock, stands, isWeak }) => (
                <tr key={`${lock} ${id}`}>
                  <th scope="row">{label}</th>
                  <td>{lock}</td>
                  <td className={isWeak ? 'weak' : undefined}>{stands}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
    </>
  );
}

/** Links of the sealed site are others than those of the served one. */
function Links({ links }: { readonly links: Sealing['links'] }) {
  const copy = async (address: string) => {
    await navigator.clipboard.writeText(address);
    announce('Copied.');
  };
  if (links.length === 0) return null;
  return (
    <section aria-labelledby="links">
      <h3 id="links">Entry links of the sealed site</h3>
      <p className="note">What stands behind the # is the key, and is sent to nobody.</p>
      <ul className="links">
        {links.map(({ lock, label, address }) => (
          <li key={address}>
            {label}, <span className="note">{lock}</span>{' '}
            <button type="button" className="plain" onClick={() => void copy(address)}>
              Copy
            </button>
            <code>{address}</code>
          </li>
        ))}
      </ul>
    </section>
  );
}
