import { useEffect, useState } from 'react';
import { accept, enter, invited, type Session } from './api.js';
import { Field, Form, listed, Problem, useAct } from './ui.js';

/** The page of whoever is not signed in: with an invitation, or a name and a password. */
export function SignIn({
  session,
  onEntered,
}: {
  readonly session: Session;
  readonly onEntered: () => Promise<unknown>;
}) {
  // Behind the `#`, which no server is ever sent.
  const token = location.pathname === '/invited' ? location.hash.slice(1) : '';
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [isShown, setShown] = useState(false);
  const [offer, setOffer] = useState<Awaited<ReturnType<typeof invited>>>();
  const look = useAct(async () => {
    const found = await invited(token);
    setOffer(found);
    if (found.name !== undefined) setName(found.name);
  });
  const { act, error, isBusy } = useAct(async () => {
    await (token === '' ? enter(name, password) : accept(token, name, password));
    if (token !== '') history.replaceState(null, '', '/');
    await onEntered();
  });
  useEffect(() => {
    if (token !== '') void look.act();
    // Once: the address does not change under the page.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  const isInvited = token !== '' && look.error === undefined;
  return (
    <main className="sign-in">
      <h1>{session.site || 'The console'}</h1>
      {isInvited ? (
        <p>
          {offer?.name !== undefined
            ? 'Choose a new password.'
            : offer?.role === 'keeper'
              ? `You are asked to look after the passwords of ${listed(offer.locks)}. Choose a name and a password of your own.`
              : 'You are to look after this site. Choose a name and a password of your own: whoever has it may open every lock.'}
        </p>
      ) : session.isBegun ? (
        <p>Sign in to look after this site.</p>
      ) : (
        <p>Nobody has set this console up yet. The address that does so is printed where it was started.</p>
      )}
      <Problem error={look.error} />
      {(isInvited || session.isBegun) && (
        <Form act={act}>
          <Field label="Name">
            {(props) => (
              <input
                {...props}
                required
                autoComplete="username"
                readOnly={offer?.name !== undefined}
                value={name}
                onChange={(event) => setName(event.target.value)}
              />
            )}
          </Field>
          <Field
            label="Password"
            hint={
              isInvited
                ? 'Four words that have nothing to do with each other are easy to keep and hard to guess.'
                : undefined
            }
          >
            {(props) => (
              <span className="with-button">
                <input
                  {...props}
                  required
                  type={isShown ? 'text' : 'password'}
                  autoComplete={isInvited ? 'new-password' : 'current-password'}
                  value={password}
                  onChange={(event) => setPassword(event.target.value)}
                />
                <button type="button" className="plain" aria-pressed={isShown} onClick={() => setShown(!isShown)}>
                  {isShown ? 'Hide' : 'Show'}
                </button>
              </span>
            )}
          </Field>
          <Problem error={error} />
          <p className="buttons">
            <button className="main" disabled={isBusy}>
              {isInvited ? 'Begin' : 'Sign in'}
            </button>
          </p>
        </Form>
      )}
    </main>
  );
}
