/** Smaller ones are marks and icons, which are alike everywhere. */
const smallest = 48;
const columns = 17;
const rows = 16;
const bits = (columns - 1) * rows;

/**
 * What a picture looks like in 256 bits, in hexadecimal: for each of 16 by 16 fields whether it is
 * brighter than the one to its left (a difference hash). Another size, format or quality of the
 * same picture differs in a few of them.
 *
 * @returns undefined for what cannot be read, is small, or shows nothing to go by
 */
export async function fingerprintOf(bytes: Buffer): Promise<string | undefined> {
  try {
    // Loaded here, as most calls meet no picture.
    const { default: sharp } = await import('sharp');
    const picture = sharp(bytes, { failOn: 'none', limitInputPixels: 2 ** 27 });
    const { width, height } = await picture.metadata();
    if (width < smallest || height < smallest) return undefined;
    const pixels = await picture
      .flatten({ background: '#808080' })
      .greyscale()
      .resize(columns, rows, { fit: 'fill' })
      .raw()
      .toBuffer();
    let print = 0n;
    let steps = 0;
    for (let row = 0; row < rows; row++) {
      for (let column = 1; column < columns; column++) {
        const here = pixels[row * columns + column] ?? 0;
        const before = pixels[row * columns + column - 1] ?? 0;
        print = (print << 1n) | (here > before ? 1n : 0n);
        if (Math.abs(here - before) > 3) steps++;
      }
    }
    // A plain color, or a slope of one: many pictures look like that.
    return steps < bits / 8 ? undefined : print.toString(16).padStart(bits / 4, '0');
  } catch {
    return undefined;
  }
}

/** Of how many bits two pictures may differ that are the same one. */
const mostDifferent = 20;

/** Whether two fingerprints are of the same picture. */
export function isSamePicture(one: string, other: string): boolean {
  let different = BigInt(`0x${one}`) ^ BigInt(`0x${other}`);
  let count = 0;
  while (different !== 0n) {
    different &= different - 1n;
    if (++count > mostDifferent) return false;
  }
  return true;
}
