import { gzipSync } from 'node:zlib';
import { screenSchema } from '../src/core/screen/design/schema.js';
import { screenLanguages } from '../src/core/screen/languages.js';
import { lookNames } from '../src/core/screen/looks/names.js';
import { renderScreen } from '../src/core/screen/render.js';
import { makeScreen } from '../src/core/screen/screen.js';
import { screenStates } from '../src/core/screen/view.js';
import { ownAssets, scriptName } from '../src/guard/answers/assets.js';
import { median, report, type Figure } from './figures.js';

/** Screens a second on one core, and what the heaviest look costs a visitor. */
export function benchScreens(): Figure[] {
  const languages = screenLanguages(['en', 'fr', 'de', 'ar']);
  const screens = lookNames.map((look) =>
    makeScreen(look, screenSchema.parse({ look, text: { heading: 'Members’ evening log' } }), 'en'),
  );
  const [first] = screens;
  if (first === undefined) throw new Error('there are no looks');
  // Different each time, as the addresses that visitors ask for are.
  const draw = (at: number): string =>
    renderScreen({
      state: screenStates[at % screenStates.length] ?? 'ask',
      screen: screens[at % screens.length] ?? first,
      siteName: 'Kestrelmoor Observatory',
      language: languages[at % languages.length] ?? languages[0],
      lock: 'members',
      to: `/members/log?night=${at}`,
      action: '/_dorlin/unlock',
      script: `/_dorlin/assets/${scriptName}`,
      isHomeOpen: true,
      waitSeconds: 540,
      opensAt: 1_805_500_000 + at,
      staySeconds: 30 * 86_400,
      sentTo: 'ines@rowan-school.example',
    });
  let letters = 0;
  const rates = Array.from({ length: 7 }, () => {
    const count = 10_000;
    const start = process.hrtime.bigint();
    for (let at = 0; at < count; at++) letters += draw(at).length;
    return (count / Number(process.hrtime.bigint() - start)) * 1e9;
  });
  if (letters === 0) throw new Error('nothing was drawn');
  const script = gzipSync(ownAssets.get(scriptName)?.body ?? '').length;
  const heaviest = Math.max(...screens.map((_, at) => gzipSync(draw(at)).length)) + script;
  return [
    report('screens drawn, looks, states and languages by turns', median(rates), 'a second', { atLeast: 20_000 }),
    report('the heaviest look with its script, gzipped', heaviest / 1000, 'kB', { atMost: 8 }),
  ];
}
