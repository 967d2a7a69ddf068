import type { Policy } from 'dorlin';
import { inScheme, pairsOf, renderScreen, sampleFacts, sampleView, screenLanguages, shownStates } from 'dorlin/design';
import { element, offer } from './page.js';

const drawing = element('drawing', HTMLIFrameElement);

const stateWords = {
  ask: 'asks',
  wrong: 'says it was wrong',
  wait: 'asks to wait',
  closed: 'is closed',
  'sign-in': 'asks to sign in',
  sent: 'says it was sent',
} as const;

let shown = '';

/** Draws the chosen screen as visitors meet it. */
export function showScreens(policy: Policy): void {
  const name = offer(
    element('screen', HTMLSelectElement),
    [...policy.screens.keys()].map((one) => [one, one]),
  );
  const state = offer(
    element('state', HTMLSelectElement),
    shownStates.map((one) => [one, stateWords[one]]),
  );
  const languages = screenLanguages(policy.site.languages);
  const tag = offer(
    element('language', HTMLSelectElement),
    languages.map((one) => [one.tag, one.tag]),
  );
  const screen = policy.screens.get(name) ?? policy.defaultScreen;
  const scheme = element('scheme', HTMLSelectElement).value === 'dark' ? 'dark' : 'light';
  const language = languages.find((one) => one.tag === tag) ?? languages[0];
  const chosen = shownStates.find((one) => one === state) ?? 'ask';
  const now = Math.floor(Date.now() / 60_000) * 60;
  const html = renderScreen(
    sampleView(sampleFacts(policy, screen), inScheme(screen, scheme), chosen, language, { now, script: '' }),
  ).replace(/ autofocus|<script[^>]*><\/script>/g, '');
  if (html !== shown) {
    shown = html;
    drawing.srcdoc = html;
  }
  const faint = pairsOf(screen.design).filter(({ ratio, wanted }) => ratio < wanted);
  element('faint', HTMLElement).textContent =
    faint.length === 0
      ? 'Every pair of colors that meets can be read (WCAG 2.2 AA).'
      : `Hard to read: ${faint.map(({ role, on, scheme: of }) => `${role} on ${on}, in ${of}`).join('; ')}.`;
}
