import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { readDesignTokens, tokensOf } from '../../src/core/screen/design/tokens.js';
import { lookNames } from '../../src/core/screen/looks/names.js';
import { screenOf } from '../support/screens.js';

const read = (tokens: unknown, mapped: Record<string, string> = {}) => {
  const { values, unused } = readDesignTokens(JSON.stringify(tokens), new Map(Object.entries(mapped)));
  return { said: Object.fromEntries(values.map(({ key, value }) => [key, value])), unused };
};

/** Keys with dots as an object of objects. */
function nested(said: Record<string, unknown>): object {
  const all: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(said)) {
    const steps = key.split('.');
    let at = all;
    for (const step of steps.slice(0, -1)) at = (at[step] ??= {}) as Record<string, unknown>;
    at[steps.at(-1) ?? ''] = value;
  }
  return all;
}

test('what one screen exports is all there in another that imports it', () => {
  for (const look of lookNames) {
    const { design } = screenOf({ look });
    const { said, unused } = read(tokensOf(design));
    assert.deepEqual(unused, []);
    const { design: copy } = screenOf({ look: 'doorway', ...nested(said) });
    assert.deepEqual(copy.colors, design.colors);
    const shape = ({ type, card, field, button }: typeof design) => [
      type.size,
      type.heading.size,
      type.heading.weight,
      ...[card, field, button].map(({ radius, shadow }) => [radius, shadow]),
    ];
    assert.deepEqual(shape(copy), shape(design));
    assert.equal(copy.type.family.replaceAll('"', ''), design.type.family.replaceAll('"', ''));
    assert.deepEqual(
      tokensOf(copy),
      tokensOf({
        ...design,
        type: { ...design.type, heading: { ...design.type.heading, family: copy.type.heading.family } },
      }),
    );
  }
});

const color = (value: unknown) => ({ $type: 'color', $value: value });

describe('a brand’s own file', () => {
  test('colors of any space, older spellings, aliases, pointers, inherited types', () => {
    const { said, unused } = read({
      moss: { $type: 'color', 500: { $value: { colorSpace: 'oklch', components: [0.45, 0.09, 140] } } },
      color: {
        $type: 'color',
        primary: { $value: '{moss.500}' },
        'on-primary': { $value: { $ref: '#/color/paper/$value' } },
        paper: { $value: '#fff' },
        text: { primary: { $value: { colorSpace: 'hsl', components: [200, 50, 'none'] } }, muted: { $value: '#555' } },
        border: { default: { $value: { colorSpace: 'display-p3', components: [0.5, 0.5, 0.5] } } },
        dark: { background: { $value: '#101418' } },
        overlay: { $value: { colorSpace: 'srgb', components: [0, 0, 0], alpha: 0.4 } },
      },
      radius: { md: { $type: 'dimension', $value: '0.5rem' } },
      type: {
        heading: {
          $type: 'typography',
          $value: { fontFamily: ['Moor Serif', 'serif'], fontSize: { value: 3, unit: 'rem' }, fontWeight: 'semi-bold' },
        },
      },
    });
    assert.deepEqual(said, {
      'colors.light.button': '#38612f',
      'colors.light.buttonText': '#ffffff',
      'colors.light.card': '#ffffff',
      'colors.light.text': '#000000',
      'colors.light.soft': '#555555',
      'colors.light.line': '#808080',
      'colors.dark.page': '#101418',
      'field.radius': 8,
      'button.radius': 8,
      'type.heading.family': '"Moor Serif",serif',
      'type.heading.size': 48,
      'type.heading.weight': 600,
    });
    assert.deepEqual(unused, ['moss.500', 'color.overlay']);
  });
  test('what is mapped by hand goes before what is guessed, and numbers stay within limits', () => {
    const tokens = {
      a: color('#123456'),
      color: { primary: color('#ff0000') },
      radius: { $type: 'dimension', card: { $value: { value: 400, unit: 'px' } } },
    };
    const { said } = read(tokens, { 'colors.light.button': 'a' });
    assert.deepEqual(said, { 'colors.light.button': '#123456', 'card.radius': 64 });
  });
  for (const [name, text, problem] of [
    ['no JSON', '{', /no JSON/],
    ['no object', '[]', /one JSON object/],
    ['no token', '{"a":{}}', /no token/],
    ['an alias of nothing', JSON.stringify({ a: color('{b}') }), /`a` is said to be `b`, which is no token/],
    ['a circle', JSON.stringify({ a: color('{b}'), b: color('{a}') }), /a → b → a/],
    ['what is no color', JSON.stringify({ text: color('url(x)') }), /`text` is no color/],
    [
      'a color space without parts',
      JSON.stringify({ text: color({ colorSpace: 'srgb', components: [1] }) }),
      /no color/,
    ],
  ] as const) {
    test(`${name} is an error that says so`, () => {
      assert.throws(() => readDesignTokens(text), { code: 'tokens-invalid', message: problem });
    });
  }
  test('a font family cannot end the rule it stands in', () => {
    const family = { body: { $type: 'fontFamily', $value: ['x;}</style>', 'serif'] } };
    assert.throws(() => readDesignTokens(JSON.stringify(family), new Map([['type.family', 'body']])), {
      code: 'tokens-invalid',
    });
    assert.deepEqual(read(family).said, {});
  });
});
