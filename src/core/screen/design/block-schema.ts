import * as z from 'zod';
import { parseSpan, spanExample } from '../../policy/span.js';
import { address, picture, texts, type Texts } from './parts.js';

const span = z.string().refine((text) => parseSpan(text) !== undefined, {
  error: `this is no span of time: write for example ${spanExample}`,
});

const kinds = ['markdown', 'picture', 'links', 'countdown', 'request', 'pictures'] as const;

/** A form in which visitors leave an address and are sent something, as it stands in a design. */
export interface RequestDocument {
  /** What is sent: a password of the lock by its id or label, or an entry link of it; or nothing. */
  readonly gives:
    | { readonly password: string }
    /** An entry link of one's own each, made from this one; `for` is how long it counts. */
    | { readonly link: string; readonly for?: string | undefined }
    /** The address is only kept. */
    | 'nothing';
  /** What is asked for, and what for. */
  readonly text?: Texts | undefined;
  readonly label?: Texts | undefined;
  readonly button?: Texts | undefined;
  /** What the visitor agrees to; kept with the address. */
  readonly consent: Texts;
  readonly subject?: Texts | undefined;
  /** What is sent; `{site}`, `{secret}` and `{address}` become what they are. */
  readonly letter?: Texts | undefined;
}

const request: z.ZodType<RequestDocument> = z.strictObject({
  gives: z
    .union(
      [
        z.strictObject({ password: z.string().min(1) }),
        z.strictObject({ link: z.string().min(1), for: span.optional() }),
        z.literal('nothing'),
      ],
      { error: 'write `password:` or `link:` and its id or label, or `nothing`' },
    )
    .meta({
      description:
        'What is sent: a password of the lock; an entry link of one’s own, made from one of the lock, with ' +
        '`for` as long as each counts; or `nothing`, where addresses are only collected.',
    }),
  text: texts(400).optional().meta({ description: 'What is asked for, and what for.' }),
  label: texts(60).optional(),
  button: texts(60).optional(),
  consent: texts(600).meta({ description: 'What the visitor agrees to; kept with the address.' }),
  subject: texts(120).optional(),
  letter: texts(2000)
    .refine(
      (letter) =>
        (typeof letter === 'string' ? [letter] : Object.values(letter)).every((text) => text.includes('{secret}')),
      {
        error: 'a letter must have `{secret}` in it, which becomes the password or the link',
      },
    )
    .optional()
    .meta({
      description: 'What is sent; `{site}`, `{secret}` and `{address}` become what they are.',
    }),
});

const shape = z.strictObject({
  markdown: texts(4000).optional().meta({
    description: 'Paragraphs, headings, emphasis, lists and links; nothing else of Markdown.',
  }),
  ...picture({}).partial().shape,
  links: z
    .array(z.strictObject({ to: address, text: texts(80) }))
    .min(1)
    .max(12)
    .optional(),
  countdown: z
    .literal('end', { error: 'only `end` can be counted down to, the end of the lock' })
    .optional()
    .meta({ description: 'The time that is left until the `end` of the lock.' }),
  request: request.optional(),
  pictures: z
    .array(picture({ mostHigh: 800 }))
    .min(2)
    .max(6)
    .optional(),
});

type Written = z.output<typeof shape>;
/** A part of a screen above or below the form. */
export type Block =
  | { readonly kind: 'markdown'; readonly text: Texts }
  | { readonly kind: 'picture'; readonly picture: BlockPicture }
  | {
      readonly kind: 'links';
      readonly links: readonly { readonly to: string; readonly text: Texts }[];
    }
  | { readonly kind: 'countdown' }
  | { readonly kind: 'request'; readonly request: RequestDocument }
  | { readonly kind: 'pictures'; readonly pictures: readonly BlockPicture[] };

/** In pixels. */
export interface BlockPicture {
  readonly picture: string;
  readonly alt: Texts;
  readonly width: number;
  readonly height: number;
}

/** One block: an object with the key of its kind. */
export const blockSchema = shape.transform((written, context): Block => {
  const found = kinds.filter((kind) => written[kind] !== undefined);
  const fail = (message: string) => {
    context.addIssue({ code: 'custom', message });
    return z.NEVER;
  };
  if (found.length !== 1) return fail(`a block is exactly one of ${kinds.join(', ')}`);
  const sizes = [written.alt, written.width, written.height];
  if (found[0] !== 'picture' && sizes.some((one) => one !== undefined)) {
    return fail('`alt`, `width` and `height` belong to a `picture`');
  }
  if (found[0] === 'picture' && sizes.includes(undefined)) {
    return fail('a picture needs `alt`, `width` and `height`');
  }
  return blockOf(written);
});

function blockOf(written: Written): Block {
  const { markdown, links, countdown, request, pictures } = written;
  if (markdown !== undefined) return { kind: 'markdown', text: markdown };
  if (links !== undefined) return { kind: 'links', links };
  if (countdown !== undefined) return { kind: 'countdown' };
  if (request !== undefined) return { kind: 'request', request };
  if (pictures !== undefined) return { kind: 'pictures', pictures };
  const { picture = '', alt = '', width = 0, height = 0 } = written;
  return { kind: 'picture', picture: { picture, alt, width, height } };
}
