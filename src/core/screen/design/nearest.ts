import { clampChroma, differenceEuclidean, formatHex, oklch } from 'culori';
import { leastContrast, type Color } from './color.js';

const distance = differenceEuclidean('oklab');

/**
 * The color nearest to one, by eye, that has some contrast with all that may lie behind it: of the
 * same hue, lighter or darker. Undefined where no color has.
 */
export function nearestPassing(color: Color, behind: readonly Color[], wanted: number): Color | undefined {
  const from = oklch(color);
  if (from === undefined) return undefined;
  const at = (l: number) => formatHex(clampChroma({ ...from, l }, 'oklch', 'rgb')) as Color;
  const passing = [0, 1].flatMap((end) => {
    let [fails, passes] = [from.l, end];
    if (leastContrast(at(passes), behind) < wanted) return [];
    for (let step = 0; step < 20; step++) {
      const middle = (fails + passes) / 2;
      if (leastContrast(at(middle), behind) >= wanted) passes = middle;
      else fails = middle;
    }
    return [at(passes)];
  });
  return passing.sort((one, other) => distance(color, one) - distance(color, other))[0];
}
