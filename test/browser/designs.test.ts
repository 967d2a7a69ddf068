import assert from 'node:assert/strict';
import { after, before, describe, test } from 'node:test';
import fc from 'fast-check';
import type { Browser, Page } from 'playwright-core';
import { families, roleNames } from '../../src/core/screen/design/roles.js';
import { screenJsonSchema, screenSchema } from '../../src/core/screen/design/schema.js';
import { textKeys } from '../../src/core/screen/design/text-keys.js';
import { screenLanguages } from '../../src/core/screen/languages.js';
import { renderScreen } from '../../src/core/screen/render.js';
import { sampleView, shownStates } from '../../src/core/screen/sample.js';
import { makeScreen } from '../../src/core/screen/screen.js';
import { axeOf, launch, skipBrowser } from '../support/browser.js';

interface Node {
  readonly type?: string;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly properties?: Readonly<Record<string, Node>>;
  readonly anyOf?: readonly Node[];
}

const dot =
  'data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==';
const color = fc.integer({ min: 0, max: 0xffffff }).map((value) => `#${value.toString(16).padStart(6, '0')}`);
/** Words as owners write them: short, long without a gap, from right to left, with marks of HTML. */
const words = (most: number) =>
  fc
    .oneof(
      fc.constantFrom(
        'Good evening',
        'Donaudampfschifffahrtsgesellschaftskapitänsmütze',
        'سجلّ المساء',
        '<b>&"\'',
        '夜の観測記録',
      ),
      fc.lorem({ maxCount: 9 }),
    )
    .map((text) => text.slice(0, most));
const texts = (most: number) => fc.oneof(words(most), fc.record({ en: words(most), ar: words(most) }));
const picture = (mostHigh: number) =>
  fc.record({
    picture: fc.constant(dot),
    alt: fc.oneof(fc.constant(''), words(60)),
    width: fc.integer({ min: 8, max: 2000 }),
    height: fc.integer({ min: 8, max: mostHigh }),
  });
const address = fc.constantFrom('/', '/join', 'mailto:post@kestrelmoor.example');
const blocks = fc.array(
  fc.oneof(
    texts(400).map((markdown) => ({ markdown })),
    fc.constant({ countdown: 'end' }),
    picture(2000),
    fc.array(picture(800), { minLength: 2, maxLength: 6 }).map((pictures) => ({ pictures })),
    fc.array(fc.record({ to: address, text: texts(80) }), { minLength: 1, maxLength: 6 }).map((links) => ({ links })),
  ),
  { maxLength: 4 },
);
const request = fc
  .record({ consent: texts(200), label: texts(60), button: texts(60) })
  .map((said) => [{ request: { gives: 'nothing', ...said } }]);

/** Keys that are more than their schema says. */
const own: Readonly<Record<string, fc.Arbitrary<unknown>>> = {
  text: fc.record(Object.fromEntries(Object.entries(textKeys).map(([key, most]) => [key, texts(most)])), {
    requiredKeys: [],
  }),
  logo: picture(400),
  home: fc.oneof(fc.constant('none'), fc.record({ to: address })),
  picture: fc.oneof(fc.constant('none'), fc.record({ picture: fc.constant(dot), alt: words(60) })),
  above: blocks,
  below: fc.oneof(blocks, request),
  css: fc.constant('h1{letter-spacing:.02em}'),
  'background.picture': fc.constant(dot),
  'type.family': fc.constantFrom(...Object.keys(families), 'Georgia, serif'),
  'type.heading.family': fc.constantFrom(...Object.keys(families)),
  'type.files': fc.constant([{ family: 'Moor', file: '/fonts/moor.woff2' }]),
  ...Object.fromEntries(
    ['light', 'dark'].map((scheme) => [
      `colors.${scheme}`,
      fc.record(Object.fromEntries(roleNames.map((role) => [role, color])), {
        requiredKeys: [],
        noNullPrototype: true,
      }),
    ]),
  ),
};

/** Anything that a key of the schema may be; each key may be left out. */
function anyOf(node: Node, path: readonly string[] = []): fc.Arbitrary<unknown> {
  const said = own[path.join('.')];
  if (said !== undefined) return said;
  if (node.properties !== undefined) {
    const entries = Object.entries(node.properties).map(([key, one]) => [key, anyOf(one, [...path, key])] as const);
    return fc.record(Object.fromEntries(entries), { requiredKeys: [], noNullPrototype: true });
  }
  if (node.enum !== undefined) return fc.constantFrom(...node.enum);
  if (node.anyOf !== undefined) return fc.oneof(...node.anyOf.map((one) => anyOf(one, path)));
  if (node.type === 'boolean') return fc.boolean();
  const { minimum, maximum } = node;
  assert.ok(minimum !== undefined && maximum !== undefined, `nothing is known of ${path.join('.')}`);
  return fc
    .double({ min: minimum, max: maximum, noNaN: true })
    .map((value) => (maximum > 1 ? Math.round(value) : value));
}

describe('whatever an owner designs', { skip: skipBrowser }, () => {
  let browser: Browser;
  let page: Page;
  before(async () => {
    browser = await launch();
    page = await browser.newPage({ viewport: { width: 320, height: 640 } });
  });
  after(() => browser.close());

  test('is valid, is drawn, fits on the smallest phone and is sound to a screen reader', async () => {
    const designs = anyOf(screenJsonSchema() as Node);
    await fc.assert(
      fc.asyncProperty(
        designs,
        fc.constantFrom(...shownStates),
        fc.constantFrom('en', 'ar'),
        async (written, state, tag) => {
          const screen = makeScreen('any', screenSchema.parse(written), 'en');
          const [language] = screenLanguages([tag]);
          const facts = {
            siteName: 'Kestrelmoor Observatory',
            timeZone: 'UTC',
            lock: 'members',
            to: '/',
            signInAt: '/',
          };
          const html = renderScreen(sampleView(facts, screen, state, language, { now: 1.8e9, script: '' }));
          await page.setContent(html, { waitUntil: 'domcontentloaded' });
          const wide = await page.evaluate(() => {
            const { scrollWidth, clientWidth } = document.documentElement;
            if (scrollWidth <= clientWidth) return undefined;
            const outside = [...document.querySelectorAll('main, main *')].find((element) => {
              const { left, right } = element.getBoundingClientRect();
              return (right > clientWidth + 1 || left < -1) && element.children.length === 0;
            });
            return `${scrollWidth - clientWidth} pixels too wide: ${outside?.parentElement?.outerHTML.slice(0, 300) ?? ''}`;
          });
          assert.equal(wide, undefined);
          // An owner may choose colors that cannot be read, and is told so; of all else none is to be wrong.
          assert.deepEqual(await axeOf(page, { without: ['color-contrast', 'link-in-text-block'] }), []);
        },
      ),
      { numRuns: 60, seed: 19, maxSkipsPerRun: 0, interruptAfterTimeLimit: 60_000, markInterruptAsFailure: false },
    );
  });
});
