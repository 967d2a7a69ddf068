/** An opaque color: six hexadecimal digits behind a `#`, in sRGB. */
export type Color = `#${string}`;

/** Reads a color as hexadecimal digits (CSS Color level 4, section 5.2), without opacity. */
export function readColor(text: string): Color | undefined {
  const digits = /^#([0-9a-f]{3}|[0-9a-f]{6})$/i.exec(text.trim())?.[1]?.toLowerCase();
  if (digits === undefined) return undefined;
  return `#${digits.length === 3 ? digits.replace(/./g, '$&$&') : digits}`;
}

/** Red, green and blue, from 0 to 255. */
export function channelsOf(color: Color): readonly [number, number, number] {
  const value = Number.parseInt(color.slice(1), 16);
  return [value >> 16, (value >> 8) & 255, value & 255];
}

/** A color of red, green and blue, from 0 to 255. */
export const colorOf = (channels: readonly number[]): Color =>
  `#${channels.map((channel) => Math.round(channel).toString(16).padStart(2, '0')).join('')}`;

/** A color of some opacity over another, as browsers blend them (in sRGB). */
export function over(front: Color, opacity: number, back: Color): Color {
  const behind = channelsOf(back);
  return colorOf(channelsOf(front).map((one, at) => one * opacity + (behind[at] ?? 0) * (1 - opacity)));
}

/** Relative luminance, from 0 to 1 (WCAG 2.2, definition). */
export function luminance(color: Color): number {
  const [red, green, blue] = channelsOf(color).map((channel) => {
    const part = channel / 255;
    return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
  }) as [number, number, number];
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}

/** Contrast ratio of two relative luminances (WCAG 2.2, definition), from 1 to 21. */
const ratio = (one: number, other: number) => (Math.max(one, other) + 0.05) / (Math.min(one, other) + 0.05);

/**
 * The least contrast of a color with anything that may lie behind it. Between the darkest and the
 * lightest of what may be there everything else may be, too.
 */
export function leastContrast(color: Color, behind: readonly Color[]): number {
  const own = luminance(color);
  const all = behind.map(luminance);
  const [darkest, lightest] = [Math.min(...all), Math.max(...all)];
  if (own >= darkest && own <= lightest) return 1;
  return Math.min(ratio(own, darkest), ratio(own, lightest));
}
