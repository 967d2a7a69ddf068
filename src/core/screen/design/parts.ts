import * as z from 'zod';

/** A text of a screen: one for all languages, or by language tag (BCP 47). */
export type Texts = string | Readonly<Record<string, string>>;

const languageTag = z.string().regex(/^[a-z]{2,3}(-[a-z0-9]{2,8})*$/i, {
  error: 'write a language tag, such as `fr` or `pt-BR`',
});

/** Reads a text of so many letters at most, in one language or by language. */
export const texts = (most: number, least = 1): z.ZodType<Texts> => {
  const one = z
    .string()
    .min(least, { error: 'write something, or leave the key out' })
    .max(most, { error: `at most ${most} letters` });
  return z.union([one, z.record(languageTag, one)], {
    error: (issue) =>
      typeof issue.input === 'string'
        ? `write 1 to ${most} letters`
        : `write a text of 1 to ${most} letters, or texts by language: \`{ en: …, fr: … }\``,
  });
};

/** Where a link may lead: to this site, to another, to a mailbox or a telephone. */
export const address = z
  .string()
  .max(500)
  .regex(/^(?:\/(?![/\\])|https?:\/\/|mailto:|tel:)[\x21-\x7e]*$/i, {
    error: 'write a path on this site, or `https://…`, `mailto:…`, `tel:…`',
  });

const picturePath = /^\/(?![/\\])[^\s"'()\\<>?#&]+\.(?:avif|gif|jpe?g|png|svg|webp)$/i;
const pictureData = /^data:image\/(?:avif|gif|jpeg|png|svg\+xml|webp);base64,[a-z0-9+/]+={0,2}$/i;

/** A picture of the site itself, with its size, so that nothing moves when it comes. */
export const picture = ({ mostHigh = 2000 }: { readonly mostHigh?: number }) =>
  z.strictObject({
    picture: z
      .string()
      .max(200_000)
      .refine((text) => picturePath.test(text) || pictureData.test(text), {
        error: 'write the path of a picture on this site, such as `/pictures/moor.jpg`, or `data:image/…;base64,…`',
      })
      .meta({ description: 'A picture of this site that is open to everybody, or `data:`.' }),
    alt: texts(200, 0).meta({ description: 'What it shows, for those who do not see it.' }),
    width: z.int().min(8).max(2000).meta({ description: 'In pixels.' }),
    height: z.int().min(8).max(mostHigh).meta({ description: 'In pixels.' }),
  });
