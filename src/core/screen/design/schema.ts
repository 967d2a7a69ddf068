import * as z from 'zod';
import { lookNames } from '../looks/names.js';
import { blockSchema } from './block-schema.js';
import { readColor, type Color } from './color.js';
import { families, positions, roleNames, colorRoles, shadows, type ColorRole } from './roles.js';
import { address, picture, texts } from './parts.js';
import { textKeys, type TextKey } from './text-keys.js';
import type { ScreenDocument } from './document.js';

const keysOf = <T extends object>(value: T) => Object.keys(value) as (keyof T & string)[];

const color = z.string().transform((text, context): Color => {
  const read = readColor(text);
  if (read !== undefined) return read;
  const message = `\`${text}\` is no color: write three or six hexadecimal digits, such as \`#14383a\``;
  context.addIssue({ code: 'custom', message });
  return z.NEVER;
});

const palette = z.strictObject(
  Object.fromEntries(
    roleNames.map((role) => [role, color.optional().meta({ description: colorRoles[role] })]),
  ) as Record<ColorRole, z.ZodOptional<typeof color>>,
);

const between = (least: number, most: number, unit = 'pixels') =>
  z
    .number({ error: `write a number of ${unit}, from ${least} to ${most}` })
    .min(least, { error: `at least ${least} ${unit}` })
    .max(most, { error: `at most ${most} ${unit}` })
    .meta({ description: `${least} to ${most} ${unit}.` });

const share = between(0, 1, 'parts of one');

const family = z
  .string()
  .min(1)
  .max(400)
  // What could end the declaration it stands in.
  .regex(/^[^;{}<>\\]*$/, { error: 'write names of fonts with commas between, and nothing else' })
  .transform((text) => (text in families ? families[text as keyof typeof families] : text))
  .meta({
    description: `One of ${keysOf(families).join(', ')}, or font families as CSS has them.`,
  });

const fontFile = z.strictObject({
  family: z.string().regex(/^[\w -]{1,60}$/, { error: 'write the name of one font family' }),
  file: z.string().regex(/^\/(?![/\\])[\w./~%-]+\.(woff2?|ttf|otf)$/i, {
    error: 'write the path of a font file on this site, such as `/fonts/moor.woff2`',
  }),
  weight: z
    .string()
    .regex(/^\d{3}( \d{3})?$/, { error: 'write one weight or two: `400`, `300 800`' })
    .optional(),
  style: z.enum(['normal', 'italic']).default('normal'),
});

const shadow = z.enum(keysOf(shadows)).meta({ description: `One of ${keysOf(shadows).join(', ')}.` });

const position = z.enum(positions).meta({ description: `One of ${positions.join(', ')}.` });

const width = z
  .union([z.enum(['full', 'auto']), between(120, 640)], {
    error: 'write `full`, `auto` or a number of pixels, from 120 to 640',
  })
  .meta({ description: '`full`, `auto`, or 120 to 640 pixels.' });

/** What a field and a button have alike. */
const control = z
  .strictObject({
    radius: between(0, 40).optional(),
    border: between(0, 6).optional(),
    padding: between(6, 28).optional(),
    shadow: shadow.optional(),
    width: width.optional(),
  })
  .prefault({});

const css = z
  .string()
  .max(20_000)
  .refine((text) => !/@import|@charset/i.test(text), {
    error: 'a style sheet within a page cannot import another',
  })
  .refine((text) => !/url\(\s*["']?\s*(?!data:|\/(?![/\\])|#|["'\s])/i.test(text), {
    error: 'a screen asks nothing of other sites: only `data:` and paths of this site in `url()`',
  });

const text = z.strictObject(
  Object.fromEntries(
    keysOf(textKeys).map((key) => [
      key,
      texts(textKeys[key])
        .optional()
        .meta({ description: `At most ${textKeys[key]} letters.` }),
    ]),
  ) as Record<TextKey, z.ZodOptional<ReturnType<typeof texts>>>,
);

/** One screen, as the policy has it under `screens`. */
export const screenSchema: z.ZodType<ScreenDocument> = z
  .strictObject({
    look: z.enum(lookNames).default('doorway').meta({ description: 'The look to start from.' }),
    layout: z
      .enum(['side', 'card', 'cover', 'band', 'sheet'])
      .optional()
      .meta({
        description:
          '`side`: text beside a picture; `card`: on a card; `cover`: on a picture that covers all; ' +
          '`band`: in a band across the page; `sheet`: one plain column.',
      }),
    scheme: z.enum(['both', 'light', 'dark']).optional().meta({
      description: 'Whether it follows what the visitor prefers, or is always light or dark.',
    }),
    text: text.prefault({}).meta({
      description: 'Its texts: one for all languages, or by language tag. Others are built in.',
    }),
    logo: picture({ mostHigh: 400 })
      .extend({ link: address.optional().meta({ description: 'Where it leads.' }) })
      .optional(),
    home: z
      .union([z.literal('none'), z.strictObject({ to: address })], {
        error: 'write `none`, or `to:` and an address',
      })
      .optional()
      .meta({ description: 'The way home; else the start page, where that is open.' }),
    colors: z
      .strictObject({ light: palette.prefault({}), dark: palette.prefault({}) })
      .prefault({})
      .meta({ description: 'Colors by what they are for; as hexadecimal digits.' }),
    type: z
      .strictObject({
        family: family.optional(),
        size: between(14, 24).optional(),
        heading: z
          .strictObject({
            family: family.optional(),
            size: between(22, 96).optional(),
            weight: between(300, 900, 'units of weight').optional(),
          })
          .prefault({}),
        files: z.array(fontFile).max(4).default([]).meta({
          description: 'Font files of this site, which must be open to everybody.',
        }),
      })
      .prefault({}),
    card: z
      .strictObject({
        width: between(280, 960).optional(),
        padding: between(0, 96).optional(),
        radius: between(0, 64).optional(),
        border: between(0, 12).optional(),
        shadow: shadow.optional(),
        opacity: share.optional().meta({ description: '0 is clear, 1 hides what is behind.' }),
        position: position.optional(),
      })
      .prefault({}),
    field: control,
    button: control,
    background: z
      .strictObject({
        gradient: between(0, 360, 'degrees').optional().meta({
          description: 'From the color `page` to `pageEnd`, in this direction; 180 is downwards.',
        }),
        picture: picture({}).shape.picture.optional(),
        fit: z.enum(['cover', 'contain', 'own']).optional().meta({
          description: '`cover`, `contain`, or its `own` size.',
        }),
        position: position.optional(),
        repeat: z.boolean().optional().meta({ description: 'Whether it is laid like tiles.' }),
        overlay: share.optional().meta({
          description: 'How much of the color `page` lies over the picture.',
        }),
      })
      .prefault({}),
    picture: z
      .union([
        z.literal('none'),
        z.strictObject({
          picture: picture({}).shape.picture,
          alt: texts(200, 0).default(''),
          position: position.default('center'),
        }),
      ])
      .optional()
      .meta({ description: 'In the place of the look’s drawing: one’s own, or `none`.' }),
    above: z.array(blockSchema).max(8).default([]).meta({ description: 'Above the form.' }),
    below: z.array(blockSchema).max(8).default([]).meta({ description: 'Below it.' }),
    sections: z.enum(['screen', 'site']).default('screen').meta({
      description: 'Whether the form in the place of a section looks like the screen or the site.',
    }),
    css: css.optional().meta({ description: 'More CSS, behind all other.' }),
  })
  .meta({ title: 'Dorlin screen', description: 'What visitors see at a lock.' });

/** The JSON Schema of one screen (draft 2020-12). */
export function screenJsonSchema(): z.core.JSONSchema.BaseSchema {
  return z.toJSONSchema(screenSchema, { io: 'input' });
}
