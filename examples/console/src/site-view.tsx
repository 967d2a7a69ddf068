import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { call, useKnown } from './api.js';
import type { Seen } from './seen-by.js';
import { pagePath, type Row } from './tree-model.js';
import { Choice, plural, Problem } from './ui.js';

interface Part {
  readonly id: string;
  readonly tag: string;
  readonly text: string;
}

const isPart = (one: unknown): one is Part =>
  typeof one === 'object' &&
  one !== null &&
  ['id', 'tag', 'text'].every((key) => {
    const value = (one as Record<string, unknown>)[key];
    return typeof value === 'string' && value.length < 300;
  });

/** The site itself, as the one gets it whose eyes one looks through; parts of it can be pointed at. */
export function SiteView({
  seen,
  known,
  onPick,
}: {
  readonly seen: Seen;
  readonly known: ReadonlyMap<string, Row>;
  readonly onPick: (row: Row) => void;
}) {
  const { version } = useKnown();
  const { data, error } = useQuery({
    queryKey: ['play', JSON.stringify(seen), version],
    queryFn: () => call('play', { seenBy: seen }),
    staleTime: Infinity,
  });
  const frame = useRef<HTMLIFrameElement>(null);
  const [path, setPath] = useState('/');
  const [shown, setShown] = useState<{ readonly origin: string; readonly path: string; readonly count: number }>();
  const [parts, setParts] = useState<readonly Part[]>([]);
  const [mode, setMode] = useState<'page' | 'part'>('page');
  const [told, setTold] = useState('');

  const rowFor = (place: string, title: string): Row =>
    known.get(place) ?? {
      place,
      kind: place.includes('#') ? 'section' : 'address',
      name: place,
      title,
      level: 1,
      outcome: known.get(place.split('#', 1)[0] ?? '')?.outcome ?? 'open',
      locks: [],
      because: [],
      idle: [],
      before: undefined,
      pages: 0,
      files: 0,
      gets: 0,
      hasChildren: false,
      posinset: 1,
      setsize: 1,
    };
  const placeAt = (address: string) => {
    const bare = pagePath(decodeURI(address)).replace(/\/index$/, '/');
    if (bare === '/') return '/index.html';
    return known.has(bare) ? bare : known.has(bare.replace(/\/$/, '')) ? bare.replace(/\/$/, '') : bare;
  };
  // Anew where it is seen by somebody else, at the page that one is on.
  if (data?.origin !== undefined && shown?.origin !== data.origin) setShown({ origin: data.origin, path, count: 0 });
  const send = (message: object) => {
    frame.current?.contentWindow?.postMessage(message, '*');
  };
  const pickPart = (part: Part) => {
    send({ type: 'show', id: part.id });
    const page = placeAt(path).replace(/^\/index\.html$/, '/index.html');
    onPick(rowFor(`${page}#${part.id}`, part.text));
  };

  useEffect(() => {
    const listener = ({ source, data: message }: MessageEvent<unknown>) => {
      // Its origin is none, so that only the window itself tells that it is ours.
      if (source !== frame.current?.contentWindow || typeof message !== 'object' || message === null) return;
      const { from, type, path: at, title, parts: all } = message as Record<string, unknown>;
      if (from !== 'dorlin-picker') return;
      if (type === 'page' && typeof at === 'string' && at.startsWith('/') && at.length < 2000) {
        setPath(at);
        setParts(Array.isArray(all) ? all.slice(0, 300).filter(isPart) : []);
        send({ type: 'pick', on: mode === 'part' });
        if (mode === 'page') onPick(rowFor(placeAt(at), typeof title === 'string' ? title.slice(0, 160) : ''));
      } else if (type === 'picked' && isPart(message)) {
        setTold('');
        pickPart(message);
      } else if (type === 'nothing')
        setTold('That part has no name (id) of its own, by which a lock could find it. Point at what is around it.');
    };
    window.addEventListener('message', listener);
    return () => window.removeEventListener('message', listener);
  });

  return (
    <div className="site-view">
      <form
        className="address"
        onSubmit={(event) => {
          event.preventDefault();
          const typed = new FormData(event.currentTarget).get('path');
          const next = typeof typed === 'string' && typed.startsWith('/') ? typed : '/';
          if (shown !== undefined) setShown({ ...shown, path: next, count: shown.count + 1 });
        }}
      >
        <input key={path} name="path" aria-label="Address on the site" defaultValue={path} />
        <button className="quiet">Go</button>
        <Choice
          label="Choose"
          value={mode}
          onChange={(next) => {
            setMode(next);
            send({ type: 'pick', on: next === 'part' });
          }}
          options={[
            ['page', 'the page'],
            ['part', 'a part of it'],
          ]}
        />
        {mode === 'part' && parts.length > 0 && (
          <select
            aria-label="Parts of this page"
            defaultValue=""
            onChange={(event) => {
              const part = parts.find(({ id }) => id === event.target.value);
              if (part !== undefined) pickPart(part);
            }}
          >
            <option value="" disabled>
              {plural(parts.length, 'part')}, by name
            </option>
            {parts.map(({ id, text }) => (
              <option key={id} value={id}>
                {text === '' ? id : text}
              </option>
            ))}
          </select>
        )}
      </form>
      <Problem error={error} />
      {told !== '' && <p className="hint">{told}</p>}
      {shown !== undefined && (
        <iframe
          key={`${shown.origin} ${shown.count}`}
          ref={frame}
          title="The site"
          sandbox="allow-scripts allow-forms"
          referrerPolicy="no-referrer"
          src={shown.origin + shown.path}
        />
      )}
    </div>
  );
}
