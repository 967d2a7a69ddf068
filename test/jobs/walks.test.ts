import assert from 'node:assert/strict';
import { test } from 'node:test';
import { goWalk, mostCommands } from '../support/walk.js';
import aPasswordEach from './a-password-each.js';
import closedForAWeek from './closed-for-a-week.js';
import everybodyOrNot from './everybody-or-not.js';
import fiftyPages from './fifty-pages.js';
import hundredPages from './hundred-pages.js';
import inReturnForAnAddress from './in-return-for-an-address.js';
import landingPage from './landing-page.js';
import monthly from './monthly.js';
import onePage from './one-page.js';
import openingSoon from './opening-soon.js';
import pageFolderSite from './page-folder-site.js';
import patrons from './patrons.js';
import remembered from './remembered.js';
import richSection from './rich-section.js';
import scatteredPages from './scattered-pages.js';
import secondDoor from './second-door.js';
import siteInTheMaking from './site-in-the-making.js';
import whoMayComeAtAll from './who-may-come-at-all.js';
import withoutLeavingThePage from './without-leaving-the-page.js';
import wordsAndDesign from './words-and-design.js';

// What owners come to do, by commands alone, seen as visitors see it. One after the other, as what
// commands print is listened to.
for (const walk of [
  onePage,
  closedForAWeek,
  inReturnForAnAddress,
  patrons,
  aPasswordEach,
  whoMayComeAtAll,
  pageFolderSite,
  everybodyOrNot,
  withoutLeavingThePage,
  scatteredPages,
  remembered,
  fiftyPages,
  landingPage,
  siteInTheMaking,
  hundredPages,
  openingSoon,
  wordsAndDesign,
  richSection,
  monthly,
  secondDoor,
]) {
  test(`walk: ${walk.name}`, async (t) => {
    const { commands } = await goWalk(walk);
    t.diagnostic(`${commands} commands`);
    assert.ok(commands <= mostCommands, `${commands} commands`);
  });
}
