import { useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { call, setKnown, useKnown, type CallResult, type Session } from './api.js';
import { Door } from './door.js';
import { outcomeWords, usePatrol, when } from './patrol-outcome.js';
import { changeWords, useSealing } from './sealing.js';
import type { Seen } from './seen-by.js';
import { SiteView } from './site-view.js';
import { Tree } from './tree.js';
import { closedAtFirst, rowsOf, treeOf, type Row, type Shown } from './tree-model.js';
import { announce, Choice, momentWords, plural, Problem, useAct } from './ui.js';

const filters: readonly (readonly [Shown['only'], string])[] = [
  ['all', 'everything'],
  ['locked', 'what is shut'],
  ['got', 'what is got'],
  ['hidden', 'what is hidden'],
  ['idle', 'locks that do not count'],
  ['changed', 'changed in the draft'],
];

/** Where one chooses: the site as a list or as itself, and beside it the door of what is chosen. */
export function Places({
  view,
  ways,
  seen,
  session,
}: {
  readonly view: CallResult<'view'>;
  readonly ways: CallResult<'ways'>;
  readonly seen: Seen;
  readonly session: Session;
}) {
  const [as, setAs] = useState<'list' | 'site'>('list');
  const [search, setSearch] = useState('');
  const [only, setOnly] = useState<Shown['only']>('all');
  const [selected, setSelected] = useState<ReadonlySet<string>>(new Set());
  const [picked, setPicked] = useState<Row>();
  const [isDoorOpen, setDoorOpen] = useState(false);
  const tree = useMemo(() => treeOf(view), [view]);
  const [toggles, setToggles] = useState<ReadonlyMap<string, boolean>>(new Map());
  const closed = useMemo(() => {
    const all = closedAtFirst(tree);
    for (const [place, isClosed] of toggles)
      if (isClosed) all.add(place);
      else all.delete(place);
    return all;
  }, [tree, toggles]);
  const rows = useMemo(() => rowsOf(view, tree, { closed, search, only }), [view, tree, closed, search, only]);
  const endings = useMemo(
    () =>
      new Map(
        ways.locks.flatMap(({ name, until }) =>
          until === undefined ? [] : [[name, `ends ${momentWords(until)}`] as const],
        ),
      ),
    [ways],
  );
  const everything = useMemo(() => {
    const open = rowsOf(view, tree, { closed: new Set(), search: '', only: 'all' });
    return new Map([...open, siteRow(view, tree)].map((row) => [row.place, row]));
  }, [view, tree]);
  const chosen =
    as === 'site'
      ? picked === undefined
        ? []
        : [everything.get(picked.place) ?? picked]
      : [...selected].flatMap((place) => everything.get(place) ?? []);
  const select = (places: ReadonlySet<string>) => {
    setSelected(places);
    setDoorOpen(places.size > 0);
  };
  const changed = view.places.filter(({ before }) => before !== undefined).length;
  return (
    <div className={`places${isDoorOpen && chosen.length > 0 ? ' with-door' : ''}`}>
      <section className="list" aria-label="Places">
        <div className="tools">
          {as === 'list' && (
            <>
              <input
                type="search"
                aria-label="Find a page"
                placeholder="Find a page"
                value={search}
                onChange={(event) => setSearch(event.target.value)}
              />
              <select aria-label="Show" value={only} onChange={(event) => setOnly(event.target.value as Shown['only'])}>
                {filters.map(([value, words]) => (
                  <option key={value} value={value}>
                    {value === 'changed' ? `${words} · ${changed}` : words}
                  </option>
                ))}
              </select>
              <button type="button" className="quiet" onClick={() => select(new Set(['/']))}>
                The whole site
              </button>
              {search !== '' && rows.length > 0 && (
                <button type="button" className="quiet" onClick={() => select(new Set(rows.map(({ place }) => place)))}>
                  Select these {rows.length}
                </button>
              )}
            </>
          )}
          {as === 'site' && <p className="hint">Follow its links: the door is that of the page you are on.</p>}
          {session.hasFrame === true && (
            <Choice
              label="Show places"
              value={as}
              onChange={(next) => {
                setAs(next);
                setDoorOpen(false);
              }}
              options={[
                ['list', 'as a list'],
                ['site', 'as the site'],
              ]}
            />
          )}
        </div>
        {session.person?.role === 'owner' && (
          <>
            <LastPatrol />
            <LastSealing />
          </>
        )}
        {as === 'site' ? (
          <SiteView
            seen={seen}
            known={everything}
            onPick={(row) => {
              setPicked(row);
              setDoorOpen(true);
            }}
          />
        ) : rows.length === 0 ? (
          <Nothing isSearching={search !== '' || only !== 'all'} view={view} session={session} />
        ) : (
          <Tree
            rows={rows}
            selected={selected}
            closed={closed}
            endings={endings}
            onSelect={select}
            onToggle={(place, isClosed) => setToggles(new Map([...toggles, [place, isClosed]]))}
            onOpen={() => document.querySelector<HTMLElement>('.door button')?.focus()}
          />
        )}
        {as === 'list' && <Source view={view} session={session} />}
      </section>
      <aside className="door" aria-label="The door of what is chosen">
        <button type="button" className="plain back" onClick={() => setDoorOpen(false)}>
          Back to the places
        </button>
        <Door
          // Another choice, another door: nothing half typed is carried along.
          key={chosen.map(({ place }) => place).join('\n')}
          chosen={chosen}
          ways={ways}
          seen={seen}
          session={session}
        />
      </aside>
    </div>
  );
}

/** How the last patrol ended, where one has run. */
function LastPatrol() {
  const { data } = usePatrol(true);
  if (data?.failed !== undefined) {
    return (
      <p className="last-patrol leaking">
        The patrol of {when(data.failed.at)} told nobody anything. <a href="/patrol">See why</a>
      </p>
    );
  }
  if (data?.standing === undefined) return null;
  const isLeaking = data.standing.last.leaks > 0;
  return (
    <p className={`last-patrol${isLeaking ? ' leaking' : ''}`}>
      {outcomeWords(data.standing)} <a href="/patrol">See it</a>
    </p>
  );
}

/** Whether the sealed files are the site as it is, where there are any. */
function LastSealing() {
  const { data } = useSealing(true);
  if (data?.last === undefined) return null;
  const isLeaking = data.last.leaks.length > 0;
  if (!isLeaking && data.changed === undefined) return null;
  return (
    <p className={`last-patrol${isLeaking ? ' leaking' : ''}`}>
      {isLeaking ? 'Something locked can be read in the sealed files.' : changeWords[data.changed ?? 'policy']}{' '}
      <a href="/seal">Seal it again</a>
    </p>
  );
}

/** The whole site as one place. */
function siteRow(view: CallResult<'view'>, tree: ReturnType<typeof treeOf>): Row {
  const start = view.places.find(({ path }) => path === '/index.html');
  return {
    place: '/',
    kind: 'site',
    name: '/',
    title: 'The whole site',
    level: 1,
    outcome: start?.outcome ?? 'open',
    locks: start?.locks ?? [],
    because: start?.because ?? [],
    idle: start?.idle ?? [],
    before: undefined,
    pages: tree.pages,
    files: tree.files,
    gets: tree.gets,
    hasChildren: true,
    posinset: 1,
    setsize: 1,
  };
}

function Nothing({
  isSearching,
  view,
  session,
}: {
  readonly isSearching: boolean;
  readonly view: CallResult<'view'>;
  readonly session: Session;
}) {
  if (isSearching) return <p className="empty">No page is like that. Search for a part of its title or its address.</p>;
  return (
    <div className="empty">
      <p>
        {view.source === 'folder'
          ? 'The folder of the site has no pages yet. Build the site, and they appear here.'
          : 'Nothing is known of this site’s pages yet. Let the console walk over it, as a stranger would.'}
      </p>
      {view.source !== 'folder' && session.person?.role === 'owner' && <Walk session={session} />}
    </div>
  );
}

/** Where the addresses are from, and a walk where they are from none. */
function Source({ view, session }: { readonly view: CallResult<'view'>; readonly session: Session }) {
  return (
    <div className="source">
      {view.source === 'folder'
        ? `${plural(view.pages, 'page')} from the folder of the site.`
        : view.source === 'links'
          ? `${plural(view.pages, 'address', 'addresses')} that a stranger can reach by links, and what the policy names`
          : view.source === 'sitemap'
            ? `${plural(view.pages, 'address', 'addresses')} that the sitemap or the policy names`
            : `${plural(view.pages, 'address', 'addresses')} that the policy names.`}
      {view.found !== undefined &&
        `, as found at ${clockWords(view.found.at)}${view.found.isCutShort ? '; there is more' : ''}.`}
      {view.source !== 'folder' && session.person?.role === 'owner' && view.places.length > 0 && (
        <Walk session={session} />
      )}
    </div>
  );
}

function Walk({ session }: { readonly session: Session }) {
  const [address, setAddress] = useState(session.about?.origin ?? 'http://localhost:4280');
  const [by, setBy] = useState<'links' | 'sitemap'>('links');
  const { walked } = useKnown();
  const queries = useQueryClient();
  const { act, isBusy, error } = useAct(async () => {
    setKnown({ walked: undefined });
    const { addresses, isCutShort } = await call('walk', { address, by });
    await queries.invalidateQueries({ queryKey: ['view'] });
    announce(`${plural(addresses, 'address', 'addresses')} found${isCutShort ? ', and there is more' : ''}.`);
  });
  return (
    <form
      className="walk"
      onSubmit={(event) => {
        event.preventDefault();
        void act();
      }}
    >
      <input
        aria-label="Where the site runs"
        type="url"
        required
        value={address}
        onChange={(event) => setAddress(event.target.value)}
      />
      <select aria-label="How" value={by} onChange={(event) => setBy(event.target.value as typeof by)}>
        <option value="links">by its links</option>
        <option value="sitemap">by its sitemap</option>
      </select>
      {isBusy ? (
        <>
          <button type="button" onClick={() => void call('walk.stop', {})}>
            Stop
          </button>
          <span className="hint" role="status">
            {plural(walked ?? 0, 'address', 'addresses')} found so far
          </span>
        </>
      ) : (
        <button>{by === 'links' ? 'Walk over the site' : 'Read the sitemap'}</button>
      )}
      <Problem error={error} />
    </form>
  );
}

/** A time of this day by the clock here, and the day where it is another. */
const clockWords = (seconds: number): string => {
  const at = new Date(seconds * 1000);
  const isToday = at.toDateString() === new Date().toDateString();
  return new Intl.DateTimeFormat(
    'en-GB',
    isToday ? { timeStyle: 'short' } : { dateStyle: 'medium', timeStyle: 'short' },
  ).format(at);
};
