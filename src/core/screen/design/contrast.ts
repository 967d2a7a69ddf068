import { channelsOf, colorOf, leastContrast, over, type Color } from './color.js';
import type { Design, Palette } from './design.js';
import type { ColorRole } from './roles.js';

/** Two colors that meet on a screen, and how much contrast they have. */
export interface Pair {
  readonly scheme: 'light' | 'dark';
  readonly role: ColorRole;
  /** What it stands on, in words. */
  readonly on: string;
  readonly color: Color;
  /** All that may lie behind it: one color, or the ends of what is possible. */
  readonly behind: readonly Color[];
  /** From 1 to 21 (WCAG 2.2), the least where several things may lie behind. */
  readonly ratio: number;
  /** 4.5 for text (success criterion 1.4.3), 3 for what is no text (1.4.11). */
  readonly wanted: number;
}

/** Of the text in an empty field. */
export const placeholderOpacity = 0.72;

const text = 4.5;
const other = 3;

/** Every pair of colors that meets in a design, for each scheme that visitors can see. */
export function pairsOf(design: Design): Pair[] {
  const schemes = design.scheme === 'both' ? (['light', 'dark'] as const) : [design.scheme];
  return schemes.flatMap((scheme) => {
    const palette = design.colors[scheme];
    const ground = groundOf(design, palette);
    const meet = (role: ColorRole, on: string, behind: readonly Color[], wanted: number): Pair => {
      const color = palette[role];
      return { scheme, role, on, color, behind, ratio: leastContrast(color, behind), wanted };
    };
    const { words } = ground;
    return [
      meet('text', words, ground.colors, text),
      meet('soft', words, ground.colors, text),
      meet('link', words, ground.colors, text),
      meet('fieldText', 'the field', [palette.field], text),
      ...(design.text.placeholder === undefined
        ? []
        : [{ ...meet('fieldText', 'the field', [palette.field], text), ...placeholder(palette) }]),
      meet('buttonText', 'the button', [palette.button], text),
      meet('error', 'its ground', [palette.errorGround], text),
      // Its border tells the field from what it stands on, unless its own color does.
      ...(leastContrast(palette.field, ground.colors) >= other ? [] : [meet('line', words, ground.colors, other)]),
      meet('focus', words, ground.colors, other),
      // In the place of a section the form stands on the card's color alone.
      ...(design.card.opacity === 1 || !design.dressesSections
        ? []
        : [meet('text', 'the form of a section', [palette.card], text)]),
    ];
  });
}

/** What stands in an empty field is the color of what is typed, let through in part. */
function placeholder({ fieldText, field }: Palette): Pick<Pair, 'color' | 'ratio' | 'on'> {
  const color = over(fieldText, placeholderOpacity, field);
  return { color, ratio: leastContrast(color, [field]), on: 'the field, as its placeholder' };
}

/** What text may stand on: the card over the page, or over any picture that lies there. */
function groundOf(
  { card, background, layout, picture }: Design,
  palette: Palette,
): { readonly words: string; readonly colors: readonly Color[] } {
  // In these layouts the owner's picture lies behind the text, and under no overlay.
  const isBehind = typeof picture === 'object' && (layout === 'card' || layout === 'cover');
  const isOnPicture = background.picture !== undefined || isBehind;
  const page: Color[] = isOnPicture
    ? // Any picture may be black here and white there.
      (['#000000', '#ffffff'] as const).map((one) => over(palette.page, isBehind ? 0 : background.overlay, one))
    : background.gradient === undefined
      ? [palette.page]
      : gradient(palette.page, palette.pageEnd);
  const words = card.opacity === 1 ? 'the card' : isOnPicture ? 'the picture' : 'the page';
  const isClear = card.opacity < 1;
  return {
    words: layout === 'cover' || isClear ? words : 'the card',
    colors: isClear ? page.map((one) => over(palette.card, card.opacity, one)) : [palette.card],
  };
}

/** Colors along a gradient, as browsers draw it (in sRGB). */
function gradient(from: Color, to: Color): Color[] {
  const [start, end] = [channelsOf(from), channelsOf(to)];
  return Array.from({ length: 17 }, (_, step) =>
    colorOf(start.map((one, at) => one + ((end[at] ?? 0) - one) * (step / 16))),
  );
}
