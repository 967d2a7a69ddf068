import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef, useState, type KeyboardEvent } from 'react';
import { OutcomeSign } from './signs.js';
import type { Row } from './tree-model.js';
import { plural } from './ui.js';

const rowHeight = 40;

/** The tree of places: ten thousand of them, of which only those in sight are drawn. */
export function Tree({
  rows,
  selected,
  closed,
  endings,
  onSelect,
  onToggle,
  onOpen,
}: {
  readonly rows: readonly Row[];
  readonly selected: ReadonlySet<string>;
  readonly closed: ReadonlySet<string>;
  /** What is to be said at the end of a lock’s rows: when it ends. */
  readonly endings: ReadonlyMap<string, string>;
  readonly onSelect: (places: ReadonlySet<string>) => void;
  readonly onToggle: (place: string, isClosed: boolean) => void;
  readonly onOpen: () => void;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const [active, setActive] = useState(0);
  const [anchor, setAnchor] = useState(0);
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  });
  const at = Math.min(active, Math.max(0, rows.length - 1));
  useEffect(() => {
    if (active >= rows.length) setActive(Math.max(0, rows.length - 1));
  }, [active, rows.length]);

  const between = (one: number, other: number) =>
    rows.slice(Math.min(one, other), Math.max(one, other) + 1).map(({ place }) => place);
  const toggled = (place: string) => {
    const next = new Set(selected);
    if (!next.delete(place)) next.add(place);
    return next;
  };
  const go = (to: number, { extend = false, keep = false } = {}) => {
    const next = Math.max(0, Math.min(rows.length - 1, to));
    const row = rows[next];
    if (row === undefined) return;
    setActive(next);
    virtual.scrollToIndex(next);
    if (extend) onSelect(new Set(between(anchor, next)));
    else if (!keep) {
      setAnchor(next);
      onSelect(new Set([row.place]));
    }
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const row = rows[at];
    if (row === undefined) return;
    const { key, shiftKey, ctrlKey, metaKey } = event;
    const isCommand = ctrlKey || metaKey;
    const how = { extend: shiftKey, keep: isCommand };
    const page = Math.max(1, Math.floor((scroller.current?.clientHeight ?? 400) / rowHeight) - 1);
    const parent = () => {
      for (let up = at - 1; up >= 0; up--) if ((rows[up]?.level ?? 0) < row.level) return up;
      return at;
    };
    const isClosed = closed.has(row.place);
    const moves: Record<string, () => void> = {
      ArrowDown: () => go(at + 1, how),
      ArrowUp: () => go(at - 1, how),
      Home: () => go(0, how),
      End: () => go(rows.length - 1, how),
      PageDown: () => go(at + page, how),
      PageUp: () => go(at - page, how),
      ArrowRight: () => {
        if (row.kind === 'folder' && row.hasChildren && isClosed) onToggle(row.place, false);
        else if ((rows[at + 1]?.level ?? 0) > row.level) go(at + 1, { keep: true });
      },
      ArrowLeft: () => {
        if (row.kind === 'folder' && row.hasChildren && !isClosed) onToggle(row.place, true);
        else go(parent(), { keep: true });
      },
      ' ': () => {
        setAnchor(at);
        onSelect(toggled(row.place));
      },
      Enter: () => {
        if (!selected.has(row.place)) onSelect(new Set([row.place]));
        onOpen();
      },
      Escape: () => onSelect(new Set()),
    };
    if (isCommand && key.toLowerCase() === 'a') onSelect(new Set(rows.map(({ place }) => place)));
    else if (moves[key] !== undefined) moves[key]();
    else return;
    event.preventDefault();
  };

  return (
    <div
      ref={scroller}
      className="tree"
      role="tree"
      aria-label="Places of the site"
      aria-multiselectable="true"
      aria-activedescendant={rows.length > 0 ? `row-${at}` : undefined}
      tabIndex={0}
      onKeyDown={onKeyDown}
    >
      <div
        className="rows"
        ref={(element) => element?.style.setProperty('height', `${virtual.getTotalSize()}px`)}
        role="none"
      >
        {virtual.getVirtualItems().map(({ index, start }) => {
          const row = rows[index];
          if (row === undefined) return null;
          const isSelected = selected.has(row.place);
          const isFolder = row.kind === 'folder' && row.hasChildren;
          return (
            <div
              key={row.place}
              id={`row-${index}`}
              role="treeitem"
              aria-level={row.level}
              aria-posinset={row.posinset}
              aria-setsize={row.setsize}
              aria-selected={isSelected}
              aria-expanded={isFolder ? !closed.has(row.place) : undefined}
              aria-label={labelOf(row)}
              className={`row ${row.kind}${isSelected ? ' selected' : ''}${index === at ? ' active' : ''}`}
              ref={(element) => {
                element?.style.setProperty('transform', `translateY(${start}px)`);
                element?.style.setProperty('--level', String(row.level - 1));
              }}
              onClick={(event) => {
                setActive(index);
                if (event.shiftKey) onSelect(new Set(between(anchor, index)));
                else {
                  setAnchor(index);
                  const isMore = event.ctrlKey || event.metaKey;
                  onSelect(isMore ? toggled(row.place) : new Set([row.place]));
                }
              }}
              onDoubleClick={() => {
                if (isFolder) onToggle(row.place, !closed.has(row.place));
              }}
            >
              <span
                className="tick"
                aria-hidden="true"
                title="Select beside what is selected"
                onClick={(event) => {
                  event.stopPropagation();
                  setActive(index);
                  if (event.shiftKey) onSelect(new Set([...selected, ...between(anchor, index)]));
                  else {
                    setAnchor(index);
                    onSelect(toggled(row.place));
                  }
                }}
              >
                <span className={isSelected ? 'box on' : 'box'} />
              </span>
              <span className="what">
                {isFolder && (
                  <span
                    className={closed.has(row.place) ? 'fold shut' : 'fold'}
                    aria-hidden="true"
                    onClick={(event) => {
                      event.stopPropagation();
                      onToggle(row.place, !closed.has(row.place));
                    }}
                  />
                )}
                {row.title !== '' && <b>{row.title}</b>}
                <span className="path">{row.name}</span>
                {row.kind === 'folder' && (
                  <span className="count">
                    {[row.pages > 0 && plural(row.pages, 'page'), row.files > 0 && plural(row.files, 'file')]
                      .filter(Boolean)
                      .join(', ')}
                  </span>
                )}
              </span>
              <OutcomeSign outcome={row.outcome} />
              <span className="by">
                {row.locks.length > 0 ? (
                  <b>{row.locks.join(', ')}</b>
                ) : (
                  <span>{row.idle.length > 0 ? row.idle.join(', ') : 'no lock'}</span>
                )}
              </span>
              <span className="note">
                {row.before !== undefined
                  ? 'changed in the draft'
                  : row.locks.length === 0 && row.idle.length > 0
                    ? 'does not count'
                    : (row.locks.map((lock) => endings.get(lock)).find(Boolean) ?? '')}
              </span>
            </div>
          );
        })}
      </div>
    </div>
  );
}

function labelOf({ title, place, outcome, locks, idle }: Row): string {
  const words = {
    open: 'open',
    'let-in': 'let in',
    asked: 'asks for a password',
    prompted: 'asked by the browser',
    closed: 'closed',
    hidden: 'not found',
    'sent-away': 'sent elsewhere',
    refused: 'refused',
  };
  return `${title === '' ? '' : `${title}, `}${place}, ${words[outcome]}${locks.length > 0 ? `, ${locks.join(', ')}` : ''}${idle.length > 0 ? `, ${idle.join(', ')} not counting` : ''}`;
}
