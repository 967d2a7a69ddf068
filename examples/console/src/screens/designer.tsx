import { useQuery } from '@tanstack/react-query';
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { useStore } from 'zustand';
import {
  lookNames,
  looks,
  pairsOf,
  screenLanguages,
  type SampleFacts,
  type Screen,
  type ScreenWords,
} from '../../../../dist/design.js';
import { call, useKnown, type CallResult } from '../api.js';
import { announce, Choice, Choices, listed, plural, Problem, useAct } from '../ui.js';
import { begin, change, chooseLocks, isChanged, rebase, replace, settle, useDesign } from './design-store.js';
import { drawnHtml, Drawing, readDesign, sizeOf, stateWords, type Drawn, type Shown, type Size } from './drawing.js';
import { Control, logoAt } from './groups.js';
import { controlId, type Desk } from './controls.js';
import { languageName } from './language-words.js';
import { groupOf, groups, partOf, textGroups } from './properties.js';
import { Sheet } from './sheet.js';
import { Handing } from './handing.js';
import { isSame, valueAt, type Written } from './written.js';

export type Design = CallResult<'screens.design'>;
export type ScreenToDesign = Design['screens'][number];

/** One screen, drawn as it is designed: on the one side as visitors meet it, on the other what it is made of. */
export function Designer({
  design,
  screen,
  onBack,
}: {
  readonly design: Design;
  readonly screen: ScreenToDesign;
  readonly onBack: () => void;
}) {
  const state = useDesign();
  const written = screen.written;
  // Another screen, or the same one after somebody else changed it and nothing of one’s own is at stake.
  const text = JSON.stringify([written, screen.locks]);
  useEffect(() => {
    const now = useDesign.getState();
    const isAsKnown = isSame([written, screen.locks], [now.base.written, now.base.locks]);
    if (now.name !== screen.name || (!isAsKnown && !isChanged(now))) begin(screen.name, written, screen.locks);
    // What it is made of is in its text.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [screen.name, text]);
  if (state.name !== screen.name) return null;
  return <Desktop design={design} screen={screen} onBack={onBack} />;
}

/** The last design that could be drawn: what is being typed may be no color yet. */
function useLastGood(read: ReturnType<typeof readDesign>): Screen | undefined {
  const [last, setLast] = useState(read.screen);
  if (read.screen !== undefined && read.screen !== last) setLast(read.screen);
  return read.screen ?? last;
}

function Desktop({
  design,
  screen,
  onBack,
}: {
  readonly design: Design;
  readonly screen: ScreenToDesign;
  readonly onBack: () => void;
}) {
  const state = useDesign();
  const { written, name } = state;
  const { languages } = design.site;
  const ownTag = languages[0] ?? 'en';
  const [drawn, setDrawn] = useState<Drawn>({
    state: screen.sample.opensAt !== undefined && screen.locks.length === 0 ? 'closed' : 'ask',
    scheme: 'light',
    language: ownTag,
  });
  const [size, setSize] = useState<Size>(() => (window.innerWidth < 600 ? 'phone' : 'desk'));
  const [view, setView] = useState<'one' | 'sheet' | 'compare'>('one');
  const [panel, setPanel] = useState<'picture' | 'properties'>('picture');
  const [open, setOpen] = useState<string>('look');
  const [chosen, setChosen] = useState<string>();
  const read = useMemo(() => readDesign(name, written, ownTag), [name, written, ownTag]);
  const good = useLastGood(read);
  const html = useMemo(
    () => (good === undefined ? '' : drawnHtml(good, screen.sample, drawn)),
    [good, screen.sample, drawn],
  );
  const known = useKnown();
  const kept = useQuery({
    queryKey: ['kept', known.version],
    queryFn: () => call('screens.design', {}),
    select: ({ kept: all }) => all,
  });
  const pairs = useMemo(() => (good === undefined ? [] : pairsOf(good.design)), [good]);
  const failing = pairs.filter(({ ratio, wanted }) => ratio < wanted);

  const pick = (property: string) => {
    setChosen(property);
    setOpen(groupOf(property) ?? open);
    setPanel('properties');
    requestAnimationFrame(() => {
      const control = document.getElementById(controlId(property));
      control?.scrollIntoView({ block: 'center' });
      control?.focus({ preventScroll: true });
    });
  };
  const desk: Desk | undefined = good && {
    design: good.design,
    valueOf: (key) => valueAt(written, key),
    set: change,
    problems: read.problems,
    pairs,
    language: drawn.language,
    languages,
    ownTag,
    builtIn: (key) => {
      const [{ words }] = screenLanguages([drawn.language]);
      return (words as Partial<ScreenWords>)[key as keyof ScreenWords] ?? '';
    },
    kept: kept.data ?? design.kept,
    onKept: () => void kept.refetch(),
  };
  const pickedPart = chosen === undefined ? undefined : partOf(chosen);
  return (
    <div className={`designer show-${panel}`}>
      <Bar
        name={name}
        theirs={{ written: screen.written, locks: screen.locks }}
        problems={read.problems.size}
        failing={failing.length}
        onBack={onBack}
        panel={panel}
        onPanel={setPanel}
      />
      <section className="picture" aria-label="The screen as visitors see it">
        <div className="tools">
          <Choice
            label="What is shown"
            value={view}
            onChange={setView}
            options={[
              ['one', 'one'],
              ['sheet', 'all'],
              ['compare', 'beside live'],
            ]}
          />
          <select
            aria-label="State"
            value={drawn.state}
            onChange={(event) => setDrawn({ ...drawn, state: event.target.value as Shown })}
          >
            {Object.entries(stateWords).map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
          <select
            aria-label="Scheme"
            value={drawn.scheme}
            onChange={(event) => setDrawn({ ...drawn, scheme: event.target.value as Drawn['scheme'] })}
          >
            <option value="light">in light</option>
            <option value="dark">in the dark</option>
          </select>
          {languages.length > 1 && (
            <select
              aria-label="Language"
              value={drawn.language}
              onChange={(event) => setDrawn({ ...drawn, language: event.target.value })}
            >
              {languages.map((tag) => (
                <option key={tag} value={tag}>
                  in {languageName(tag)}
                </option>
              ))}
            </select>
          )}
          {view !== 'sheet' && <WidthChoice size={size} onChange={setSize} />}
        </div>
        {good !== undefined && view === 'sheet' ? (
          <Sheet screen={good} facts={screen.sample} drawn={drawn} languages={languages} />
        ) : (
          <Stage
            html={html}
            size={size}
            isCompared={view === 'compare'}
            screen={name}
            drawn={drawn}
            pointing={{
              chosen: pickedPart,
              onPick: pick,
              onLogo: (width) => {
                const logo = valueAt(useDesign.getState().written, 'logo');
                if (logo !== undefined) change('logo', logoAt(logo as Parameters<typeof logoAt>[0], width));
              },
            }}
          />
        )}
      </section>
      <section className="properties" aria-label="What it is made of">
        {desk !== undefined &&
          groups.map(({ id, name: title, properties }) => (
            <details
              key={id}
              open={open === id}
              onToggle={(event) => {
                const isNow = event.currentTarget.open;
                if (isNow && open !== id) setOpen(id);
                else if (!isNow && open === id) setOpen('');
              }}
            >
              <summary>{title}</summary>
              {open === id && (
                <div
                  className="group"
                  onFocus={({ target }) => {
                    const key = target.closest<HTMLElement>('[data-key]')?.dataset['key'];
                    if (key !== undefined) setChosen(key);
                  }}
                >
                  {id === 'look' && <LookChoice written={written} design={design} screen={screen} drawn={drawn} />}
                  {id === 'words' ? (
                    <WordGroups
                      desk={desk}
                      state={drawn.state}
                      onState={(next) => setDrawn({ ...drawn, state: next })}
                    />
                  ) : (
                    properties.map((property) => <Control key={property.key} property={property} desk={desk} />)
                  )}
                </div>
              )}
            </details>
          ))}
        <details open={open === 'locks'} onToggle={(event) => event.currentTarget.open && setOpen('locks')}>
          <summary>Use, copy, take along</summary>
          {open === 'locks' && (
            <div className="group">
              <Choices
                legend="Locks that show it"
                all={design.locks.map((lock) => lock.name)}
                chosen={state.locks}
                empty="There is no lock yet."
                onChange={chooseLocks}
              />
              <Handing name={name} design={design} screen={good} drawn={drawn} onGone={onBack} />
            </div>
          )}
        </details>
      </section>
    </div>
  );
}

/** What is done with the design as a whole: back, forth, into the draft. */
function Bar({
  name,
  theirs,
  problems,
  failing,
  onBack,
  panel,
  onPanel,
}: {
  readonly name: string;
  /** The screen as the draft has it now, whoever wrote it. */
  readonly theirs: { readonly written: Written; readonly locks: readonly string[] };
  readonly problems: number;
  readonly failing: number;
  readonly onBack: () => void;
  readonly panel: 'picture' | 'properties';
  readonly onPanel: (panel: 'picture' | 'properties') => void;
}) {
  const state = useDesign();
  const { undo, redo, pastStates, futureStates } = useStore(useDesign.temporal);
  const changed = isChanged(state);
  const save = useAct(async () => {
    const { written, locks, base } = useDesign.getState();
    await call('screen.change', { screen: name, written, before: base.written, locks: [...locks] });
    settle();
    announce(`The screen ${name} is in the draft.`);
  });
  useEffect(() => {
    const keys = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return;
      event.preventDefault();
      if (event.shiftKey) redo();
      else undo();
    };
    const leaving = (event: BeforeUnloadEvent) => {
      if (isChanged(useDesign.getState())) event.preventDefault();
    };
    window.addEventListener('keydown', keys);
    window.addEventListener('beforeunload', leaving);
    return () => {
      window.removeEventListener('keydown', keys);
      window.removeEventListener('beforeunload', leaving);
    };
  }, [undo, redo]);
  return (
    <header className="design-bar">
      <button type="button" className="plain" onClick={onBack}>
        All screens
      </button>
      <h2>{name}</h2>
      <p className="standing">
        {problems > 0
          ? `${plural(problems, 'mistake')}, named beside it: the picture is as it was before`
          : `${changed ? 'Changed here, not in the draft yet' : 'As the draft has it'}${
              failing > 0 ? `; ${plural(failing, 'pair')} of colors hard to read` : ''
            }`}
      </p>
      <div className="buttons">
        <span className="tabs">
          <Choice
            label="Side"
            value={panel}
            onChange={onPanel}
            options={[
              ['picture', 'the screen'],
              ['properties', 'what it is made of'],
            ]}
          />
        </span>
        <button
          type="button"
          className="quiet"
          aria-label="Undo in the design"
          disabled={pastStates.length === 0}
          onClick={() => undo()}
        >
          Undo
        </button>
        <button
          type="button"
          className="quiet"
          aria-label="Redo in the design"
          disabled={futureStates.length === 0}
          onClick={() => redo()}
        >
          Redo
        </button>
        <button
          type="button"
          className="main"
          disabled={!changed || problems > 0 || save.isBusy}
          onClick={() => void save.act()}
        >
          Put it in the draft
        </button>
      </div>
      <Problem error={save.error} />
      {save.error?.code === 'policy-changed' && (
        <p className="buttons">
          <button
            type="button"
            className="quiet"
            onClick={() => {
              begin(name, theirs.written, theirs.locks);
              save.clear();
            }}
          >
            Take theirs
          </button>
          <button
            type="button"
            className="quiet"
            onClick={() => {
              rebase(theirs.written, theirs.locks);
              void save.act();
            }}
          >
            Write mine over it
          </button>
        </p>
      )}
    </header>
  );
}

function WidthChoice({ size, onChange }: { readonly size: Size; readonly onChange: (size: Size) => void }) {
  return (
    <>
      <select
        aria-label="Width"
        value={typeof size === 'number' ? 'own' : size}
        onChange={({ target }) => onChange(target.value === 'own' ? 768 : (target.value as Size))}
      >
        <option value="desk">at a desk</option>
        <option value="phone">on a phone</option>
        <option value="own">as wide as …</option>
      </select>
      {typeof size === 'number' && (
        <input
          type="number"
          className="narrow"
          aria-label="Width in pixels"
          min={320}
          max={2560}
          value={size}
          onChange={(event) => onChange(Math.max(320, Math.min(2560, Number(event.target.value) || 320)))}
        />
      )}
    </>
  );
}

/** The drawing as large as there is room for it; beside what is live, with a line between the two that is moved. */
function Stage({
  html,
  size,
  isCompared,
  screen,
  drawn,
  pointing,
}: {
  readonly html: string;
  readonly size: Size;
  readonly isCompared: boolean;
  readonly screen: string;
  readonly drawn: Drawn;
  readonly pointing: Parameters<typeof Drawing>[0]['pointing'];
}) {
  const room = useRef<HTMLDivElement>(null);
  const [scale, setScale] = useState(0.5);
  const [at, setAt] = useState(50);
  const { width, height } = sizeOf(size);
  useLayoutEffect(() => {
    const element = room.current;
    if (element === null) return undefined;
    const fit = () => {
      const { clientWidth, clientHeight } = element;
      setScale(Math.max(0.2, Math.min(1, (clientWidth - 32) / width, (clientHeight - 24) / height)));
    };
    fit();
    const observer = new ResizeObserver(fit);
    observer.observe(element);
    return () => observer.disconnect();
  }, [width, height]);
  const live = useQuery({
    queryKey: ['live-screens'],
    queryFn: () => call('screens.design', { live: true }),
    enabled: isCompared,
    staleTime: 0,
  });
  const before = live.data?.screens.find(({ name }) => name === screen);
  const beforeHtml = useMemo(() => {
    if (before === undefined) return undefined;
    const read = readDesign(screen, before.written, live.data?.site.languages[0] ?? 'en');
    return read.screen === undefined ? undefined : drawnHtml(read.screen, before.sample, drawn);
  }, [before, drawn, live.data, screen]);
  return (
    <div className="stage" ref={room}>
      <div className="stage-inner">
        <Drawing
          html={html}
          title={`The screen ${screen}, which ${stateWords[drawn.state]}`}
          of={size}
          scale={scale}
          pointing={isCompared ? undefined : pointing}
        />
        {isCompared && beforeHtml !== undefined && (
          <>
            <div className="before" style={{ clipPath: `inset(0 ${100 - at}% 0 0)` }}>
              <Drawing html={beforeHtml} title="The same as it is live" of={size} scale={scale} />
            </div>
            <div className="seam" style={{ insetInlineStart: `${at}%` }} aria-hidden="true" />
          </>
        )}
      </div>
      {isCompared &&
        (beforeHtml === undefined ? (
          <p className="hint">{live.isFetching ? 'One moment …' : 'Nothing of this screen is live yet.'}</p>
        ) : (
          <label className="seam-choice">
            Live{' '}
            <input
              type="range"
              min={0}
              max={100}
              value={at}
              onChange={(event) => setAt(Number(event.target.value))}
              aria-label="How much of what is live is seen"
            />{' '}
            as it would be
          </label>
        ))}
    </div>
  );
}

const small = 0.141;

/** The looks there are, each drawn as this very screen would be with it. */
function LookChoice({
  written,
  design,
  screen,
  drawn,
}: {
  readonly written: Written;
  readonly design: Design;
  readonly screen: { readonly name: string; readonly sample: SampleFacts };
  readonly drawn: Drawn;
}) {
  const now = (written['look'] as string | undefined) ?? 'doorway';
  const said = ['layout', 'scheme', 'colors', 'type', 'card', 'field', 'button', 'background', 'picture', 'css'].filter(
    (key) => written[key] !== undefined,
  );
  const ownTag = design.site.languages[0] ?? 'en';
  const drawnLooks = useMemo(
    () =>
      lookNames.map((look) => {
        const read = readDesign(screen.name, { ...written, look }, ownTag);
        return { look, html: read.screen === undefined ? '' : drawnHtml(read.screen, screen.sample, drawn) };
      }),
    [written, screen, ownTag, drawn],
  );
  return (
    <div className="look-choice" role="radiogroup" aria-label="Look">
      {drawnLooks.map(({ look, html }) => (
        <label key={look} className={look === now ? 'on' : undefined} title={looks[look].about}>
          <input type="radio" name="look" checked={look === now} onChange={() => change('look', look)} />
          <Drawing html={html} title={`The look ${look}`} of="desk" scale={small} />
          <span>{look}</span>
        </label>
      ))}
      {said.length > 0 && (
        <p className="hint">
          Of your own beside the look: {listed(said)}.{' '}
          <button
            type="button"
            className="plain"
            onClick={() => replace(Object.fromEntries(Object.entries(written).filter(([key]) => !said.includes(key))))}
          >
            Take all that from the look
          </button>
        </p>
      )}
    </div>
  );
}

/** The texts, by the state in which they are met. */
function WordGroups({
  desk,
  state,
  onState,
}: {
  readonly desk: Desk;
  readonly state: Shown;
  readonly onState: (state: Shown) => void;
}) {
  const properties = groups.find(({ id }) => id === 'words')?.properties ?? [];
  return (
    <>
      <p className="hint">
        Written in {languageName(desk.language)}
        {desk.languages.length > 1 ? '; choose another language over the picture' : ''}. Where nothing is written, the
        words in grey are shown.
      </p>
      {textGroups.map(({ state: of, name, texts }) => (
        <fieldset key={of} className={of === state ? 'words now' : 'words'}>
          <legend>
            {name}
            {of !== state && of !== 'section' && (
              <button type="button" className="plain" onClick={() => onState(of as Shown)}>
                show it
              </button>
            )}
          </legend>
          {texts.map(([key]) => {
            const property = properties.find((one) => one.key === `text.${key}`);
            return property && <Control key={key} property={property} desk={desk} />;
          })}
        </fieldset>
      ))}
    </>
  );
}
