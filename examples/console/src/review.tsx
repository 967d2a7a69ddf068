import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { call, useKnown, type Session } from './api.js';
import { DoorSign } from './signs.js';
import { sentenceOf } from './strip.js';
import { announce, Dialog, listed, plain, plural, Problem, useAct } from './ui.js';

const changeWords = {
  closed: 'Closed to strangers',
  opened: 'Opened to everybody',
  moved: 'Under another lock',
} as const;
const byLocks = (locks: readonly string[]) =>
  locks.length === 0 ? 'open' : listed(locks.map((one) => one || 'refused'));

/** What the draft does, page by page, and the step that makes it count. */
export function ReviewRoom({ onClose, session }: { readonly onClose: () => void; readonly session: Session }) {
  const { version } = useKnown();
  const { data, error } = useQuery({ queryKey: ['review', version], queryFn: () => call('review', {}), retry: false });
  const review = data?.review;
  const checked = useQuery({ queryKey: ['check', version], queryFn: () => call('check', {}), retry: false });
  const live = useAct(async (over: boolean) => {
    const done = await call('live', { ...(over && { over }) });
    announce(`Live: ${plural(done.closed.length, 'place')} closed, ${done.opened.length} opened.`);
    onClose();
  });
  const carry = useAct(async () => {
    await call('draft.carry', {});
    announce('The change is in the draft as well now.');
  });
  const drop = useAct(async () => {
    await call('draft.drop', {});
    announce('The draft is gone. Nothing has changed.');
    onClose();
  });
  const [isDropping, setDropping] = useState(false);
  const [isAll, setAll] = useState<ReadonlySet<string>>(new Set());
  const fresh = checked.data?.kinds.filter(({ isNew }) => isNew) ?? [];
  return (
    <Dialog title="Before it counts" onClose={onClose} wide>
      <Problem error={error} />
      {data !== undefined && data.draft === undefined && <p>Everything is live. There is no draft.</p>}
      {data?.draft?.isBehind === true && (
        <div className="warning">
          <p>
            Somebody has changed the policy itself since this draft was begun. Take that change into the draft first, so
            that going live does not undo it.
          </p>
          <Problem error={carry.error} />
          <p className="buttons">
            <button type="button" disabled={carry.isBusy} onClick={() => void carry.act()}>
              Take the change in
            </button>
            {carry.error?.code === 'draft-conflict' && (
              <button type="button" className="danger" disabled={live.isBusy} onClick={() => void live.act(true)}>
                Go live all the same, and undo that change
              </button>
            )}
          </p>
        </div>
      )}
      {review !== undefined && (
        <>
          <p className="prose">It {sentenceOf(review)}.</p>
          {review.putsOut && (
            <p className="warning">
              Everybody who is in must type the password again, and every link ends: the site’s id changes.
            </p>
          )}
          {review.groups.map((group) => {
            const key = `${group.change} ${group.before.join()} ${group.after.join()}`;
            const all = review[group.change];
            return (
              <section key={key} className="change">
                <h3>
                  <DoorSign
                    sign={group.change === 'opened' ? 'open' : group.change === 'closed' ? 'closed' : 'asked'}
                  />{' '}
                  {changeWords[group.change]}: {group.addresses}
                </h3>
                <p className="hint">
                  {byLocks(group.before)} → {byLocks(group.after)}
                </p>
                <ul>
                  {(isAll.has(key) ? all.map((place) => ({ place, addresses: 1 })) : group.places.slice(0, 12)).map(
                    ({ place, addresses }) => (
                      <li key={place}>
                        {decodeURI(place)}
                        {addresses > 1 && <span className="note"> all {addresses} in it</span>}
                      </li>
                    ),
                  )}
                </ul>
                {!isAll.has(key) && (group.places.length > 12 || group.addresses > group.places.length) && (
                  <button type="button" className="plain" onClick={() => setAll(new Set([...isAll, key]))}>
                    One by one
                  </button>
                )}
              </section>
            );
          })}
          {review.ways.length > 0 && (
            <section className="change">
              <h3>Ways in</h3>
              <ul>
                {review.ways.map(({ change, lock, kind, label }) => (
                  <li key={`${change}${lock}${kind}${label}`}>
                    {lock}: the {kind === 'bypass' ? 'rule' : kind} {label}{' '}
                    {{ added: 'is new', ended: 'ends', changed: 'changes' }[change]}
                  </li>
                ))}
              </ul>
            </section>
          )}
          <section className="change">
            <h3>What looks like a mistake</h3>
            {checked.isPending ? (
              <p className="hint">Looking …</p>
            ) : fresh.length === 0 ? (
              <p className="hint">
                Nothing that this draft would bring.
                {(checked.data?.findings ?? 0) > 0 &&
                  ` ${plural(checked.data?.findings ?? 0, 'older finding')} in all.`}
              </p>
            ) : (
              <ul>
                {fresh.map(({ code, title, groups }) => (
                  <li key={code}>
                    <b>{title}</b>{' '}
                    {groups
                      .slice(0, 3)
                      .map(({ text }) => plain(text))
                      .join(' ')}
                  </li>
                ))}
              </ul>
            )}
          </section>
        </>
      )}
      <Problem error={live.error ?? drop.error} />
      {data?.draft !== undefined && (
        <p className="buttons">
          <button
            type="button"
            className="main"
            autoFocus
            disabled={live.isBusy || data.draft.isBehind}
            onClick={() => void live.act(false)}
          >
            Go live
          </button>
          {isDropping ? (
            <>
              <button type="button" className="danger" disabled={drop.isBusy} onClick={() => void drop.act()}>
                Yes, throw it away
              </button>
              <span className="hint">That cannot be taken back.</span>
            </>
          ) : (
            <button type="button" className="quiet" onClick={() => setDropping(true)}>
              Throw the draft away
            </button>
          )}
          <span className="hint">In {session.site}, for everybody, at once. Step back undoes it.</span>
        </p>
      )}
    </Dialog>
  );
}
