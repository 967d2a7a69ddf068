import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useState, type MouseEvent } from 'react';
import { call, getSession, leave, listen, onSignedOut, setKnown, useKnown, type Session } from './api.js';
import { Places } from './places.js';
import { Strip } from './strip.js';
import { SeenBy, type Seen } from './seen-by.js';
import { SignIn } from './sign-in.js';
import { Announcer, announce, Problem } from './ui.js';

// Loaded when they are entered.
const WaysIn = lazy(() => import('./ways.js').then(({ WaysIn: room }) => ({ default: room })));
const Settings = lazy(() => import('./settings.js').then(({ Settings: room }) => ({ default: room })));
const Screens = lazy(() => import('./screens/room.js').then(({ Screens: room }) => ({ default: room })));
const Log = lazy(() => import('./log.js').then(({ Log: room }) => ({ default: room })));
const Patrol = lazy(() => import('./patrol.js').then(({ Patrol: room }) => ({ default: room })));
const Seal = lazy(() => import('./seal.js').then(({ Seal: room }) => ({ default: room })));
const FirstHour = lazy(() => import('./first-hour.js').then(({ FirstHour: room }) => ({ default: room })));
const ReviewRoom = lazy(() => import('./review.js').then(({ ReviewRoom: room }) => ({ default: room })));

const rooms = [
  ['/', 'Places'],
  ['/ways', 'Ways in'],
  ['/screens', 'Screens'],
  ['/log', 'Log'],
  ['/patrol', 'Patrol'],
  ['/seal', 'Seal'],
  ['/settings', 'Settings'],
] as const;

/** Rooms that keepers do not see; what is in them is refused them by the server. */
const forOwners = new Set<string>(['/screens', '/patrol', '/seal', '/settings']);

export function App() {
  const { version } = useKnown();
  const queries = useQueryClient();
  const {
    data: session,
    error,
    refetch,
  } = useQuery({
    queryKey: ['session', version],
    queryFn: getSession,
    placeholderData: keepPreviousData,
  });
  useEffect(() => {
    const out = () => {
      queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'session' });
      void queries.invalidateQueries({ queryKey: ['session'] });
    };
    onSignedOut.add(out);
    return () => {
      onSignedOut.delete(out);
    };
  }, [queries]);
  useEffect(() => {
    if (session !== undefined) document.title = session.site === '' ? 'Console' : `${session.site}, the console`;
  }, [session]);
  return (
    <>
      {session === undefined ? (
        <main className="sign-in">{error === null ? <p>One moment …</p> : <Problem error={error} />}</main>
      ) : session.person === undefined ? (
        <SignIn session={session} onEntered={refetch} />
      ) : (
        <FirstOrHouse session={session} name={session.person.name} />
      )}
      <Announcer />
    </>
  );
}

/** Where there is no policy yet, its owner is led to one; and on, once it is there, until that is left. */
function FirstOrHouse({ session, name }: { readonly session: Session; readonly name: string }) {
  // As it is at first: one that goes later is a matter for whoever took it away, not for beginning anew.
  const [isFirst] = useState(session.about?.isNew === true);
  if (!isFirst) return <House session={session} name={name} />;
  return (
    <div className="house">
      <header className="top">
        <h1 className="site">{session.site || 'A new site'}</h1>
      </header>
      <main id="room">
        {session.person?.role === 'owner' ? (
          <Suspense fallback={<p className="empty">One moment …</p>}>
            <FirstHour
              session={session}
              // Loaded anew: what a page may frame is settled when it comes.
              onLeave={(to) => location.assign(to)}
            />
          </Suspense>
        ) : (
          <p className="empty">There is no policy yet. An owner has to begin it.</p>
        )}
      </main>
    </div>
  );
}

function House({ session, name }: { readonly session: Session; readonly name: string }) {
  const { version, isOnline, events, changedBy } = useKnown();
  const [path, setPath] = useState(location.pathname);
  const [seen, setSeen] = useState<Seen>({});
  const [isReviewing, setReviewing] = useState(false);
  const isOwner = session.person?.role === 'owner';
  useEffect(() => listen(name), [name]);
  useEffect(() => {
    if (changedBy === undefined) return;
    announce(`${changedBy} has changed something. This is how it is now.`);
    setKnown({ changedBy: undefined });
  }, [changedBy]);
  useEffect(() => {
    const moved = () => setPath(location.pathname);
    window.addEventListener('popstate', moved);
    return () => window.removeEventListener('popstate', moved);
  }, []);
  const view = useQuery({
    queryKey: ['view', JSON.stringify(seen), version],
    queryFn: () => call('view', { seenBy: seen }),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const ways = useQuery({
    queryKey: ['ways', version, events],
    queryFn: () => call('ways', {}),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const go = (event: MouseEvent<HTMLAnchorElement>, to: string) => {
    if (event.ctrlKey || event.metaKey || event.shiftKey) return;
    event.preventDefault();
    history.pushState(null, '', to);
    setPath(to);
  };
  const broken = session.about?.isNew === true ? 'The policy is not there any more.' : session.about?.broken;
  return (
    <div className="house">
      <header className="top">
        <a className="skip" href="#room">
          To the room
        </a>
        <h1 className="site">{session.site || 'The console'}</h1>
        <nav aria-label="Rooms">
          {rooms
            .filter(([to]) => isOwner || !forOwners.has(to))
            .map(([to, words]) => (
              <a key={to} href={to} aria-current={path === to ? 'page' : undefined} onClick={(event) => go(event, to)}>
                {words}
              </a>
            ))}
        </nav>
        <details className="person">
          <summary>{name}</summary>
          <button type="button" className="plain" onClick={() => void leave().then(() => location.assign('/'))}>
            Sign out
          </button>
        </details>
        <SeenBy seen={seen} view={view.data} ways={ways.data} session={session} onChange={setSeen} />
      </header>
      {!isOnline && (
        <p className="offline" role="alert">
          The console does not answer. It is asked again and again; what you have typed stays here.
        </p>
      )}
      <main id="room" tabIndex={-1}>
        {broken !== undefined ? (
          <Broken text={broken} isGone={session.about?.isNew === true} />
        ) : (
          <Suspense fallback={<p className="empty">One moment …</p>}>
            {path === '/ways' ? (
              ways.data === undefined ? (
                <Waiting error={ways.error} />
              ) : (
                <WaysIn ways={ways.data} session={session} />
              )
            ) : path === '/log' ? (
              ways.data === undefined ? (
                <Waiting error={ways.error} />
              ) : (
                <Log session={session} locks={ways.data.locks.map((lock) => lock.name)} />
              )
            ) : path === '/patrol' && isOwner ? (
              <Patrol session={session} />
            ) : path === '/seal' && isOwner ? (
              <Seal session={session} />
            ) : path === '/settings' && isOwner ? (
              <Settings session={session} />
            ) : path === '/screens' && isOwner ? (
              <Screens session={session} />
            ) : view.data === undefined || ways.data === undefined ? (
              <Waiting error={view.error ?? ways.error} />
            ) : (
              <Places view={view.data} ways={ways.data} seen={seen} session={session} />
            )}
            {isReviewing && <ReviewRoom session={session} onClose={() => setReviewing(false)} />}
          </Suspense>
        )}
      </main>
      {isOwner && broken === undefined && <Strip session={session} onReview={() => setReviewing(true)} />}
    </div>
  );
}

const Waiting = ({ error }: { readonly error: Error | null }) => (
  <div className="empty">{error === null ? <p>Reading the site …</p> : <Problem error={error} />}</div>
);

/** The policy on disk has a mistake, or is not there any more: where, and the way out. */
function Broken({ text, isGone }: { readonly text: string; readonly isGone: boolean }) {
  return (
    <div className="empty broken" role="alert">
      <h2>{isGone ? 'The policy is gone' : 'The policy has a mistake'}</h2>
      <p>
        {isGone ? 'Somebody has moved or removed the file.' : 'Somebody has edited the file by hand.'} The running site
        goes on with the last policy that was right; nothing can be changed here before it is mended.
      </p>
      <pre>{text}</pre>
      <p>
        {isGone
          ? 'Put the file back where it was: this page then goes on by itself.'
          : 'Mend the line that is named, and save the file: this page then goes on by itself.'}
      </p>
    </div>
  );
}
