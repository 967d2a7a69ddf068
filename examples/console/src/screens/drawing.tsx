import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import {
  inScheme,
  makeScreen,
  renderScreen,
  sampleView,
  screenLanguages,
  screenSchema,
  type SampleFacts,
  type Screen,
} from '../../../../dist/design.js';
import { listenTo, makeSheets, mark, paint, type Pointing, type Sheets } from './frame.js';
import type { Written } from './written.js';

export type Shown = 'ask' | 'wrong' | 'wait' | 'closed' | 'sign-in' | 'sent';

export const stateWords: Readonly<Record<Shown, string>> = {
  ask: 'asks',
  wrong: 'says it was wrong',
  wait: 'asks to wait',
  closed: 'is closed',
  'sign-in': 'asks to sign in',
  sent: 'says it was sent',
};

/** What a screen is drawn as. */
export interface Drawn {
  readonly state: Shown;
  readonly scheme: 'light' | 'dark';
  readonly language: string;
}

/** A design read: a screen, or what is wrong and at which key. */
export type Read =
  | { readonly screen: Screen; readonly problems: ReadonlyMap<string, string> }
  | { readonly screen: undefined; readonly problems: ReadonlyMap<string, string> };

/** Reads a design as the policy does. */
export function readDesign(name: string, written: Written, ownTag: string): Read {
  const read = screenSchema.safeParse(written);
  if (read.success) return { screen: makeScreen(name, read.data, ownTag), problems: new Map() };
  return {
    screen: undefined,
    problems: new Map(read.error.issues.map(({ path, message }) => [path.join('.'), message])),
  };
}

/** The HTML of a screen, as the guard sends it. */
export function drawnHtml(screen: Screen, facts: SampleFacts, { state, scheme, language }: Drawn): string {
  const [spoken] = screenLanguages([language]);
  // At a time of its own, so that what is drawn depends on the design alone.
  const now = Math.floor(Date.now() / 60_000) * 60;
  return renderScreen(sampleView(facts, inScheme(screen, scheme), state, spoken, { now, script: '' }));
}

const size = { desk: { width: 1280, height: 800 }, phone: { width: 390, height: 780 } } as const;
export type Size = keyof typeof size | number;
export const sizeOf = (of: Size): { readonly width: number; readonly height: number } =>
  typeof of === 'number' ? { width: of, height: 800 } : size[of];

/**
 * A screen drawn in a frame without scripts, scaled to a width. The frame stays, and only what has changed in it
 * is drawn anew.
 *
 * @param scale - how large it is shown
 */
export function Drawing({
  html,
  title,
  of,
  scale,
  pointing,
}: {
  readonly html: string;
  readonly title: string;
  readonly of: Size;
  readonly scale: number;
  readonly pointing?: Pointing | undefined;
}) {
  const [frame, setFrame] = useState<{ readonly inner: Document; readonly sheets: Sheets }>();
  const latest = useRef(pointing);
  useEffect(() => {
    latest.current = pointing;
  });
  const { width, height } = sizeOf(of);
  const isPointed = pointing !== undefined;
  const chosen = pointing?.chosen;
  useEffect(() => frame && listenTo(frame.inner, () => latest.current), [frame]);
  useLayoutEffect(() => {
    if (frame !== undefined) paint(frame.inner, frame.sheets, html, isPointed);
  }, [html, frame, isPointed]);
  useLayoutEffect(() => {
    if (frame !== undefined && isPointed) mark(frame.inner, chosen);
  }, [chosen, html, frame, isPointed]);
  const box = useMemo(() => ({ width: `${width * scale}px`, height: `${height * scale}px` }), [width, height, scale]);
  return (
    <div className="drawing" style={box}>
      <iframe
        title={title}
        tabIndex={-1}
        sandbox="allow-same-origin"
        srcDoc="<!doctype html><html lang=en><title>The screen</title><body></body></html>"
        onLoad={({ currentTarget: { contentDocument: inner, contentWindow: view } }) => {
          if (inner !== null && view !== null)
            setFrame({ inner, sheets: makeSheets(view as Window & typeof globalThis) });
        }}
        style={{ width: `${width}px`, height: `${height}px`, transform: `scale(${scale})` }}
      />
    </div>
  );
}
