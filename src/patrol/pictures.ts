/** Smaller ones are marks and icons, which are alike everywhere. */
const smallest = 48;
/** Pictures are compared as this many by as many gray fields. */
const side = 24;
/** How much the fields of a picture must differ, of 255, to be told from others. */
const leastContrast = 4;
/**
 * How alike two pictures are that are the same one in another size, format or quality: 1 is the
 * same. Of those of the demo and of a documentation with many alike, different ones reach 0.94.
 */
const alike = 0.965;

/** Pictures are read by a part that is not installed with the rest: it is larger than all of that. */
const loadReader = async () => (await import('sharp')).default;

/** Whether pictures can be compared here. */
export const canReadPictures = () =>
  loadReader().then(
    () => true,
    () => false,
  );

/**
 * What a picture looks like, as 24 by 24 gray fields in base64.
 *
 * @returns undefined for what cannot be read, is small, or shows nothing to go by
 */
export async function fingerprintOf(bytes: Buffer): Promise<string | undefined> {
  try {
    // Loaded here, as most calls meet no picture.
    const sharp = await loadReader();
    const picture = sharp(bytes, { failOn: 'none', limitInputPixels: 2 ** 27 });
    const { width, height } = await picture.metadata();
    if (width < smallest || height < smallest) return undefined;
    const fields = await picture
      .flatten({ background: '#fff' })
      .greyscale()
      .resize(side, side, { fit: 'fill' })
      .raw()
      .toBuffer();
    const { length } = centered(fields);
    return length / side < leastContrast ? undefined : fields.toString('base64');
  } catch {
    return undefined;
  }
}

/** Whether two fingerprints are of the same picture, by the correlation of their fields. */
export function isSamePicture(one: string, other: string): boolean {
  const [a, b] = [one, other].map((print) => centered(Buffer.from(print, 'base64')));
  if (a === undefined || b === undefined || a.fields.length !== b.fields.length) return false;
  const product = a.fields.reduce((sum, field, at) => sum + field * (b.fields[at] ?? 0), 0);
  return product / (a.length * b.length) >= alike;
}

/** The fields without their mean, and the length of them as a vector. */
function centered(fields: Buffer): { readonly fields: Float64Array; readonly length: number } {
  const mean = fields.reduce((sum, field) => sum + field, 0) / fields.length;
  const around = Float64Array.from(fields, (field) => field - mean);
  return { fields: around, length: Math.hypot(...around) };
}
