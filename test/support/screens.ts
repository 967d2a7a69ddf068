import { screenSchema } from '../../src/core/screen/design/schema.js';
import { screenLanguages } from '../../src/core/screen/languages.js';
import type { ScreenView } from '../../src/core/screen/view.js';
import { makeScreen } from '../../src/core/screen/screen.js';

/** A screen as a policy would write it, on a site whose first language is English. */
export const screenOf = (written: object = {}) => makeScreen('evening', screenSchema.parse(written), 'en');

/** What a screen shows, unless a test says otherwise. */
export const view: ScreenView = {
  state: 'ask',
  screen: screenOf(),
  siteName: 'Kestrelmoor Observatory',
  language: screenLanguages(['en'])[0],
  lock: 'members',
  title: 'The members’ pages',
  to: '/members/log?night=12',
  action: '/_dorlin/unlock',
  script: '/_dorlin/assets/screen.js',
  isHomeOpen: true,
  waitSeconds: 540,
  opensAt: 1_805_500_000,
  timeZone: 'Europe/Dublin',
  staySeconds: 30 * 86_400,
  sentTo: 'ines@rowan-school.example',
};
