import { useMemo, useState } from 'react';
import type { SampleFacts, Screen } from '../../../../dist/design.js';
import { Choice } from '../ui.js';
import { drawnHtml, Drawing, stateWords, type Drawn, type Shown } from './drawing.js';
import { languageName } from './language-words.js';

const shownStates = Object.keys(stateWords) as Shown[];

/** Everything that a screen can look like, side by side. */
export function Sheet({
  screen,
  facts,
  drawn,
  languages,
}: {
  readonly screen: Screen;
  readonly facts: SampleFacts;
  readonly drawn: Drawn;
  readonly languages: readonly string[];
}) {
  const [by, setBy] = useState<'state' | 'language'>('state');
  const rows = useMemo(() => {
    const all: readonly (readonly [string, Drawn])[] =
      by === 'state'
        ? shownStates.map((state) => [stateWords[state], { ...drawn, state }])
        : languages.map((language) => [languageName(language), { ...drawn, language }]);
    return all.map(([words, one]) => ({
      words,
      light: drawnHtml(screen, facts, { ...one, scheme: 'light' }),
      dark: drawnHtml(screen, facts, { ...one, scheme: 'dark' }),
    }));
  }, [by, drawn, facts, languages, screen]);
  const { scheme } = screen.design;
  const schemes = scheme === 'both' ? (['light', 'dark'] as const) : ([scheme] as const);
  return (
    <div className="sheet">
      {languages.length > 1 && (
        <Choice
          label="Side by side"
          value={by}
          onChange={setBy}
          options={[
            ['state', 'every state'],
            ['language', 'every language'],
          ]}
        />
      )}
      {rows.map(({ words, ...html }) => (
        <figure key={words}>
          <figcaption>{words}</figcaption>
          <div className="row-of-drawings">
            {schemes.flatMap((one) => [
              <Drawing
                key={`${one} desk`}
                html={html[one]}
                title={`${words}, ${one}, at a desk`}
                of="desk"
                scale={0.225}
              />,
              <Drawing
                key={`${one} phone`}
                html={html[one]}
                title={`${words}, ${one}, on a phone`}
                of="phone"
                scale={0.225}
              />,
            ])}
          </div>
        </figure>
      ))}
    </div>
  );
}
