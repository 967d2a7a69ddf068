import { formatHex, parse, clampChroma } from 'culori';
import { channelsOf, type Color } from './color.js';
import type { Design } from './design.js';
import { broken, isObject, readTokens, type Json, type JsonObject, type Token } from './token-file.js';
import { roleNames, shadows, type ColorRole, type Shadow } from './roles.js';

/**
 * Design Tokens as the W3C community group has them (Design Tokens Format Module 2025.10). Colors
 * as hexadecimal strings and lengths as `8px`, which earlier drafts had, are read as well.
 */

/** A value with the key of the screen it is for. */
export interface DesignValue {
  /** As in the policy: `colors.light.page`. */
  readonly key: string;
  readonly value: string | number;
  /** The token that it comes from. */
  readonly token: string;
}

const colorToken = (color: Color) => ({
  $value: {
    colorSpace: 'srgb',
    components: channelsOf(color).map((channel) => Number((channel / 255).toFixed(5))),
    hex: color,
  },
});

const pixels = (value: number) => ({ value, unit: 'px' });

/** Colors, type, radius and shadow of a design as tokens. */
export function tokensOf(design: Design): JsonObject {
  const palette = (scheme: 'light' | 'dark') =>
    Object.fromEntries(roleNames.map((role) => [role, colorToken(design.colors[scheme][role])]));
  const shadowToken = (name: Shadow) => {
    const { across, down, blur, opacity } = shadows[name];
    const color = { colorSpace: 'srgb', components: [0, 0, 0], alpha: opacity };
    const lengths = { offsetX: pixels(across), offsetY: pixels(down), blur: pixels(blur) };
    return { $value: { color, ...lengths, spread: pixels(0) } };
  };
  const familyToken = (family: string) => ({
    $type: 'fontFamily',
    $value: family.split(',').map((name) => name.trim().replace(/^["']|["']$/g, '')),
  });
  const { type, card, field, button } = design;
  return {
    screen: {
      color: { $type: 'color', light: palette('light'), dark: palette('dark') },
      font: {
        family: familyToken(type.family),
        size: { $type: 'dimension', $value: pixels(type.size) },
        heading: {
          ...(type.heading.family === 'inherit' ? {} : { family: familyToken(type.heading.family) }),
          size: { $type: 'dimension', $value: pixels(type.heading.size) },
          weight: { $type: 'fontWeight', $value: type.heading.weight },
        },
      },
      radius: {
        $type: 'dimension',
        card: { $value: pixels(card.radius) },
        field: { $value: pixels(field.radius) },
        button: { $value: pixels(button.radius) },
      },
      shadow: {
        $type: 'shadow',
        card: shadowToken(card.shadow),
        field: shadowToken(field.shadow),
        button: shadowToken(button.shadow),
      },
    },
  };
}

/** What two words at the end of a token's name tell it is for. First come first. */
const pairGuesses: readonly (readonly [RegExp, ColorRole])[] = [
  [
    /\bon (primary|accent|brand|action|button)$|\b(primary|accent|action|button) (text|foreground|contrast|label)$/,
    'buttonText',
  ],
  [/\b(error|danger|critical|negative) (ground|background|bg|surface|container|soft)$/, 'errorGround'],
  [/\b(input|field) (background|bg|fill|ground)$/, 'field'],
  [
    /\b(muted|subtle|secondary|soft|faint) (text|foreground|ink)$|\b(text|foreground|ink) (muted|subtle|secondary|soft|faint)$/,
    'soft',
  ],
  [/\b(text|foreground|ink) (primary|default|base|body)$/, 'text'],
  [/\b(background|bg|page|canvas) (primary|default|base)$/, 'page'],
];

/** The same of one word. */
const guesses: readonly (readonly [RegExp, ColorRole])[] = [
  [/^(error|danger|critical|negative)$/, 'error'],
  [/^(focus|ring)$/, 'focus'],
  [/^link$/, 'link'],
  [/^(muted|subtle)$/, 'soft'],
  [/^(border|outline|stroke|line|divider)$/, 'line'],
  [/^(primary|accent|brand|action|button)$/, 'button'],
  [/^(surface|card|panel|paper)$/, 'card'],
  [/^(background|bg|page|canvas)$/, 'page'],
  [/^(text|foreground|ink)$/, 'text'],
];

function guessedRole(words: string): ColorRole | undefined {
  const pair = pairGuesses.find(([shape]) => shape.test(words));
  if (pair !== undefined) return pair[1];
  const [last = '', before = ''] = words.split(' ').reverse();
  const ofWord = (word: string) => guesses.find(([shape]) => shape.test(word))?.[1];
  // A group of all colors of a brand says nothing of those in it.
  const isVariant = /^(\d+|default|base|main|light|dark)$/.test(last);
  return ofWord(last) ?? (isVariant ? ofWord(before) : undefined);
}

/**
 * What a tokens file says of a screen. Tokens with the names that {@link tokensOf} gives are taken
 * as they are; of others it is guessed by their names what they are for, unless `mapped` says.
 *
 * @param mapped - key of the screen → path of the token
 * @returns the values, and the tokens that were of no use
 * @throws DorlinError `tokens-invalid`
 */
export function readDesignTokens(
  text: string,
  mapped: ReadonlyMap<string, string> = new Map(),
): { readonly values: DesignValue[]; readonly unused: string[] } {
  const tokens = readTokens(text);
  const values = new Map<string, DesignValue>();
  const used = new Set<string>();
  const take = (key: string, token: Token) => {
    const value = valueFor(key, token);
    if (value === undefined) return false;
    values.set(key, { key, value, token: token.path });
    used.add(token.path);
    return true;
  };
  for (const [key, path] of mapped) {
    const token = tokens.find((one) => one.path === path);
    if (token === undefined) throw broken(`There is no token \`${path}\`.`);
    if (!take(key, token)) throw broken(`The token \`${path}\` is of no use for \`${key}\`.`);
  }
  const byName = tokens.map((token) => ({ token, key: ownKey(token) }));
  for (const { token, key } of byName) if (key !== undefined && !values.has(key)) take(key, token);
  for (const { token, key } of byName) {
    if (key !== undefined) continue;
    for (const guess of guessedKeys(token)) if (!values.has(guess)) take(guess, token);
  }
  return {
    values: [...values.values()],
    unused: tokens.map(({ path }) => path).filter((path) => !used.has(path)),
  };
}

/** Keys of a screen that tokens can say. */
const keyShapes: readonly RegExp[] = [
  new RegExp(`^colors\\.(light|dark)\\.(${roleNames.join('|')})$`),
  /^type\.(family|size|heading\.(family|size|weight))$/,
  /^(card|field|button)\.(radius|shadow)$/,
];

export const isDesignKey = (key: string) => keyShapes.some((shape) => shape.test(key));

function ownKey({ path }: Token): string | undefined {
  const own = /^screen\.(.*)$/.exec(path)?.[1];
  if (own === undefined) return undefined;
  const key = own
    .replace(/^color\./, 'colors.')
    .replace(/^font\./, 'type.')
    .replace(/^(radius|shadow)\.(\w+)$/, '$2.$1');
  return isDesignKey(key) ? key : undefined;
}

function guessedKeys({ path, type }: Token): string[] {
  const words = path
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/[^a-zA-Z0-9]+/g, ' ')
    .toLowerCase();
  if (type === 'color') {
    const role = guessedRole(words);
    const scheme = /\b(dark|night)\b/.test(words) ? 'dark' : 'light';
    return role === undefined ? [] : [`colors.${scheme}.${role}`];
  }
  const isHeading = /\b(heading|headline|display|title|h1)\b/.test(words);
  const isOfText = /\b(body|base|text|default|sans|primary)\b/.test(words);
  if (type === 'typography') {
    if (isHeading) return ['type.heading.family', 'type.heading.size', 'type.heading.weight'];
    return isOfText ? ['type.family', 'type.size'] : [];
  }
  if (type === 'fontFamily') return isHeading ? ['type.heading.family'] : isOfText ? ['type.family'] : [];
  if (type === 'fontWeight') return isHeading ? ['type.heading.weight'] : [];
  const part = (['card', 'field', 'button'] as const).find(
    (one) => words.includes(one === 'field' ? 'input' : one) || words.includes(one),
  );
  if (type === 'shadow') return [`${part ?? 'card'}.shadow`];
  if (type !== 'dimension') return [];
  if (/\b(radius|rounded|corner)\b/.test(words)) {
    return part === undefined ? ['field.radius', 'button.radius'] : [`${part}.radius`];
  }
  if (!/\b(font|text|type) ?size|\bsize\b.*\b(body|heading)\b/.test(words)) return [];
  return isHeading ? ['type.heading.size'] : isOfText ? ['type.size'] : [];
}

/** The least and the most of each number, as a screen takes them. */
const limits: Readonly<Record<string, readonly [number, number]>> = {
  'type.size': [14, 24],
  'type.heading.size': [22, 96],
  'type.heading.weight': [300, 900],
  'card.radius': [0, 64],
  'field.radius': [0, 40],
  'button.radius': [0, 40],
};

/** A token's value as a screen has it; undefined where it is of another kind. */
function valueFor(key: string, token: Token): string | number | undefined {
  const value = partFor(key, token);
  if (key.startsWith('colors.')) return colorOf(value, token.path);
  if (key.endsWith('.shadow')) return shadowOf(value);
  if (key.endsWith('family')) {
    const names = Array.isArray(value) ? value : [value];
    if (!names.every((name) => typeof name === 'string' && /^[^;{}<>\\"]+$/.test(name))) return undefined;
    return (names as string[]).map((name) => (/^[\w-]+$/.test(name) ? name : `"${name}"`)).join(',');
  }
  const number = key.endsWith('weight') ? weightOf(value) : pixelsOf(value);
  const [least, most] = limits[key] ?? [0, 0];
  return number === undefined ? undefined : Math.min(most, Math.max(least, number));
}

function partFor(key: string, { type, value }: Token): Json {
  if (type !== 'typography' || !isObject(value)) return value;
  const part = key.endsWith('family') ? 'fontFamily' : key.endsWith('weight') ? 'fontWeight' : 'fontSize';
  return value[part] ?? null;
}

function pixelsOf(value: Json): number | undefined {
  const [, digits, ending] = (typeof value === 'string' && /^(-?[\d.]+)(px|rem)$/.exec(value)) || [];
  const [number, unit] = isObject(value) ? [value['value'], value['unit']] : [Number(digits), ending];
  if (typeof number !== 'number' || !Number.isFinite(number)) return undefined;
  return unit === 'px' ? number : unit === 'rem' ? number * 16 : undefined;
}

const weightNames: Readonly<Record<string, number>> = {
  light: 300,
  normal: 400,
  regular: 400,
  book: 400,
  medium: 500,
  'semi-bold': 600,
  'demi-bold': 600,
  bold: 700,
  'extra-bold': 800,
  black: 900,
  heavy: 900,
};

const weightOf = (value: Json) =>
  typeof value === 'string' ? weightNames[value.toLowerCase()] : typeof value === 'number' ? value : undefined;

/** The nearest of the shadows that screens have. */
function shadowOf(value: Json): Shadow | undefined {
  const first = Array.isArray(value) ? (value as readonly Json[])[0] : value;
  if (!isObject(first)) return undefined;
  const { color } = first;
  const alpha = isObject(color) && typeof color['alpha'] === 'number' ? color['alpha'] : 1;
  const [blur, down] = [pixelsOf(first['blur'] ?? null) ?? 0, pixelsOf(first['offsetY'] ?? null) ?? 0];
  if (alpha === 0 || (blur === 0 && down === 0)) return 'none';
  if (blur === 0) return 'hard';
  return blur >= 40 ? 'deep' : 'soft';
}

const percent = (part: number | 'none' = 'none') => (part === 'none' ? part : `${part}%`);

const cssSpaces: Readonly<Record<string, (parts: readonly (number | 'none')[]) => string>> = {
  hsl: ([h, s, l]) => `hsl(${h} ${percent(s)} ${percent(l)})`,
  hwb: ([h, w, b]) => `hwb(${h} ${percent(w)} ${percent(b)})`,
  lab: (parts) => `lab(${parts.join(' ')})`,
  lch: (parts) => `lch(${parts.join(' ')})`,
  oklab: (parts) => `oklab(${parts.join(' ')})`,
  oklch: (parts) => `oklch(${parts.join(' ')})`,
};

/** A color token of any color space in sRGB, without its opacity. */
function colorOf(value: Json, path: string): Color | undefined {
  const css = typeof value === 'string' ? value : isObject(value) ? cssOf(value) : undefined;
  const color = css === undefined ? undefined : parse(css);
  if (color === undefined) throw broken(`\`${path}\` is no color that can be read.`);
  if (color.alpha !== undefined && color.alpha < 1) return undefined;
  return formatHex(clampChroma(color, 'oklch', 'rgb')) as Color;
}

function cssOf({ colorSpace, components, alpha }: JsonObject): string | undefined {
  if (typeof colorSpace !== 'string' || !Array.isArray(components)) return undefined;
  const parts = components as readonly Json[];
  const isPart = (part: Json): part is number | 'none' => typeof part === 'number' || part === 'none';
  if (parts.length !== 3 || !parts.every(isPart)) return undefined;
  const css = cssSpaces[colorSpace]?.(parts) ?? `color(${colorSpace} ${parts.join(' ')})`;
  return typeof alpha === 'number' && alpha < 1 ? css.replace(')', ` / ${alpha})`) : css;
}
