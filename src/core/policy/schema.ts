import * as z from 'zod';
import { isAddressRange } from '../bypass/address.js';
import { isImportedHash } from '../passwords/htpasswd.js';
import { hashAlgorithms, parsePhc } from '../passwords/phc.js';
import { isZone, parseMoment } from '../windows/moment.js';
import { momentExample } from '../windows/window.js';
import type { PolicyDocument, Remember, SignIn } from './document.js';
import { budgetSchema, mailbox, mailSchema } from './mail-schema.js';
import { parseSpan, spanExample } from './span.js';
import { screenSchema } from '../screen/design/schema.js';

const addressRange = z.string().refine(isAddressRange, {
  error: 'write an address or a range, such as `127.0.0.1` or `2001:db8:40::/48`',
});

const span = z.string().refine((text) => parseSpan(text) !== undefined, {
  error: `this is no span of time: write for example ${spanExample}`,
});

const remember = z
  .union([z.literal('visit'), span, z.strictObject({ choice: span })], {
    error: `write \`visit\`, a span such as ${spanExample}, or \`choice: 30 days\``,
  })
  .default('visit')
  .transform((value): Remember => {
    if (value === 'visit') return { kind: 'visit' };
    return typeof value === 'string'
      ? { kind: 'span', seconds: parseSpan(value) ?? 0 }
      : { kind: 'choice', seconds: parseSpan(value.choice) ?? 0 };
  })
  .meta({
    description: 'How long a right password counts: `visit`, `30 days`, or `choice: 30 days`.',
  });

const place = z.string().min(1).meta({
  description: 'A page `/about`, a folder `/press/`, the whole site `/`, or with `*` and `**`.',
});

const moment = z.string().refine((text) => parseMoment(text, 'UTC', 'earlier') !== undefined, {
  error: `this is no moment: write ${momentExample}`,
});

const window = {
  from: moment.optional().meta({ description: 'Counts from this moment; a date is its start.' }),
  until: moment.optional().meta({ description: 'Counts up to this moment; a date is its start.' }),
};

/** A text of one line that is shown to owners and visitors: no letter that moves a cursor. */
const line = (most: number) =>
  z
    .string()
    .min(1)
    .max(most)
    .regex(/^[^\x00-\x1f\x7f-\x9f\u2028\u2029]*$/, {
      error: 'this has a control character in it: write plain text on one line',
    });

const id = z
  .string()
  .regex(/^[a-z0-9]{2,16}$/, { error: 'an id is 2 to 16 small letters and digits' })
  .meta({ description: 'A short name that passes refer to. Never used twice.' });

const localPath = z.string().regex(/^\/(?![/\\])[\x21-\x7e]*$/, {
  error: 'write a path on this site, such as `/join`',
});

const password = z.strictObject({
  id,
  label: line(120).meta({ description: 'Whom the password is for; the user name of HTTP Basic.' }),
  hash: z
    .string()
    .refine((text) => parsePhc(text) !== undefined || isImportedHash(text), {
      error:
        'this is no hash that can be checked: write none by hand, run `dorlin password add`, ' + '`rotate` or `import`',
    })
    .meta({
      description:
        'An argon2id or PBKDF2 hash as a PHC string; all of one lock share a salt. Or a bcrypt or apr1 hash ' +
        'from an htpasswd file, which counts for HTTP Basic alone.',
    }),
  ...window,
});

const link = z.strictObject({
  id,
  label: line(120).meta({ description: 'Whom the link is for.' }),
  from: window.from,
  until: moment.meta({ description: 'When it ends, and with it every pass it gave.' }),
  to: localPath.optional().meta({ description: 'Where it lands; else as `after` says.' }),
  uses: z.int().min(1).max(100_000).optional().meta({
    description: 'How many browsers it may let in; without it, any number.',
  }),
});

const bypass = z
  .strictObject({
    addresses: z.array(addressRange).min(1).optional().meta({
      description: 'Addresses and ranges (CIDR), IPv4 and IPv6.',
    }),
    roles: z.array(z.string().min(1)).min(1).optional().meta({ description: 'Any of these roles.' }),
    people: z.array(z.string().min(1)).min(1).optional().meta({
      description: 'Any of these people, by the name or e-mail address they sign in with.',
    }),
    signedIn: z.literal(true).optional().meta({ description: 'Whoever is signed in.' }),
    ...window,
    everyLock: z.boolean().default(false).meta({
      description: 'Whether it counts at every lock, not only at those that name it.',
    }),
    ribbon: z.boolean().default(true).meta({
      description: 'Whether whom it lets in sees the bar that says so.',
    }),
  })
  .refine(({ addresses, roles, people, signedIn }) => addresses ?? roles ?? people ?? signedIn, {
    error: 'a bypass without a condition would let in everybody',
  });

/** An address of the site, or of another host of the owner's, which `site.hosts` names. */
const ownAddress = z.union([localPath, z.string().regex(/^https:\/\/[^\s/?#\\@]+(?:\/[\x21-\x7e]*)?$/)], {
  error: 'write a path on this site, such as `/join`, or `https://…` of a host in `site.hosts`',
});

const redirect = z.strictObject({ redirect: ownAddress });

const lock = z.strictObject({
  covers: z.array(place).meta({ description: 'The places under this lock.' }),
  except: z.array(place).default([]).meta({ description: 'Places inside them that this lock leaves alone.' }),
  title: line(120).optional().meta({
    description: 'What its visitors call it; said in hand-out texts and as the realm of HTTP Basic.',
  }),
  passwords: z.array(password).default([]).meta({ description: 'The passwords that open it.' }),
  links: z.array(link).default([]).meta({
    description: 'The entry links that open it; taken out of here, one opens nothing any more.',
  }),
  remember,
  bypass: z
    .array(z.string())
    .default([])
    .meta({ description: 'The bypasses that let somebody in without a password.' }),
  requires: z.array(z.string()).default([]).meta({ description: 'Other locks that must be open as well.' }),
  screen: z.string().optional().meta({
    description: 'The screen that visitors meet; without it, `default`.',
  }),
  outsiders: z
    .union([z.enum(['screen', 'not-found', 'closed']), redirect], {
      error: 'write `screen`, `not-found`, `closed` or `redirect: /join`',
    })
    .default('screen')
    .meta({ description: 'What those get who are not let in.' }),
  wrong: z
    .strictObject({ after: z.number().int().min(1).max(1000), redirect: ownAddress })
    .optional()
    .meta({
      description:
        'Where a visitor is sent after so many wrong passwords, instead of being told so once more: ' +
        '`{ after: 3, redirect: /join }`.',
    }),
  basic: z
    .union([z.boolean(), z.literal('always')], { error: 'write `true`, `false` or `always`' })
    .default(false)
    .meta({
      description:
        'Whether HTTP Basic (RFC 7617) is taken as well, a label being the user name; `always` ' +
        'asks everybody in the browser’s own prompt.',
    }),
  after: z
    .union([z.literal('same'), localPath], {
      error: 'write `same`, or a path on this site such as `/members/welcome`',
    })
    .default('same')
    .meta({ description: 'Where a right password lands: the `same` place, or this one.' }),
  ...window,
  enabled: z
    .boolean()
    .default(true)
    .meta({ description: 'Whether the lock is on. Off, it is as if it were not there.' }),
});

const isLanguage = (tag: string) => {
  try {
    return Intl.getCanonicalLocales(tag).length === 1;
  } catch {
    return false;
  }
};

const path = z.string().startsWith('/', { error: 'write a path that begins with a slash' });

const site = z.strictObject({
  name: line(200).meta({ description: 'The name that visitors know it by.' }),
  id: line(200)
    .optional()
    .meta({
      description:
        'What passes and entry links are bound to, made by `dorlin init`: while it stays, the name and the ' +
        'origin may change and nobody is put out. Without it they are bound to the origin, or the name.',
    }),
  origin: z
    .string()
    .regex(/^https?:\/\/[^/?#\s\\@]+$/, {
      error: 'write scheme and host and nothing more, such as `https://kestrelmoor.example`',
    })
    .optional()
    .meta({
      description: 'Scheme and host of the live site: what its links begin with, and from where forms are taken.',
    }),
  hosts: z
    .array(
      z.string().regex(/^[a-z0-9.-]+(?::\d{1,5})?$/i, {
        error: 'write the name of a host, such as `id.kestrelmoor.example`',
      }),
    )
    .default([])
    .meta({ description: 'Other hosts of the owner’s, to which visitors may be sent.' }),
  folder: z
    .string()
    .min(1)
    .optional()
    .meta({ description: 'The folder of the finished files, seen from the policy file.' }),
  timeZone: z
    .string()
    .refine(isZone, { error: 'write an IANA time zone, such as `Europe/Dublin`' })
    .default('UTC')
    .meta({ description: 'In which dates and times are read and printed.' }),
  indexFiles: z
    .array(z.string().regex(/^[^/\\]+$/, { error: 'write a file name without slashes' }))
    .default(['index.html'])
    .meta({ description: 'What a folder answers with.' }),
  extensions: z
    .array(z.string().regex(/^\.[^/\\]+$/, { error: 'write an ending with its dot: `.html`' }))
    .default(['.html'])
    .meta({ description: 'Endings that an address may leave out.' }),
  caseSensitive: z.boolean().default(false).meta({ description: 'Whether `/About` and `/about` are two places.' }),
  sitemaps: z.array(path).default([]).meta({
    description: 'Where the site lists its pages for search engines; locked ones are left out.',
  }),
  feeds: z.array(path).default([]).meta({ description: 'Where the site has feeds; what is locked is left out.' }),
  languages: z
    .array(z.string().refine(isLanguage, { error: 'write a language tag, such as `fr` or `pt-BR`' }))
    .min(1)
    .default(['en'])
    .meta({ description: 'In which the screen may speak; the first is the fallback.' }),
  trustedProxies: z
    .array(addressRange)
    .default([])
    .meta({ description: 'Whose word about the visitor’s address and scheme is believed.' }),
  showAddress: z
    .boolean()
    .default(false)
    .meta({ description: 'Whether `/_dorlin/address` tells visitors their own address.' }),
  hash: z
    .enum(hashAlgorithms)
    .default('argon2id')
    .meta({
      description:
        'How new passwords are hashed. `pbkdf2-sha512` for sites that are guarded in workers, Deno or Bun, ' +
        'where argon2id takes the better part of a second; in Node, argon2id stands longer.',
    }),
  marks: z
    .boolean()
    .default(true)
    .meta({
      description:
        'Whether pages are looked through for sections that their authors have marked, and answers for ' +
        'sitemaps and feeds that are not named here. Where neither is there, not to look is quicker.',
    }),
  ribbon: z.boolean().default(true).meta({
    description: 'Whether those let in by a bypass see a bar that says so, and what the public sees.',
  }),
  prefix: z
    .string()
    .regex(/^(\/[a-z0-9_-]+)+$/i, { error: 'write a path such as `/_dorlin`, without end slash' })
    .default('/_dorlin')
    .meta({ description: 'Where Dorlin’s own addresses lie.' }),
});

const guessing = z.strictObject({
  perVisitor: budgetSchema.prefault('10 per 15 minutes').meta({
    description: 'How often one visitor may try at one lock; a browser known there has its own.',
  }),
  perLock: budgetSchema.prefault('100 per hour').meta({
    description: 'How often all unknown visitors together may try at one lock.',
  }),
});

const headerName = z.string().regex(/^[a-z0-9-]+$/i, { error: 'write the name of a header' });

/** How tokens may be signed: with keys of which the verifier holds the public half only. */
const tokenAlgorithms = [
  'RS256',
  'RS384',
  'RS512',
  'PS256',
  'PS384',
  'PS512',
  'ES256',
  'ES384',
  'ES512',
  'EdDSA',
  'Ed25519',
] as const;

/** A file, or an address that nobody on the way can change. */
const isKeySource = (text: string) =>
  !/^[a-z][a-z0-9+.-]*:/i.test(text) ||
  /^https:\/\/[^/\s]/i.test(text) ||
  /^http:\/\/(127\.0\.0\.1|\[::1\]|localhost)(:\d+)?\//i.test(text);

const jwt = z
  .strictObject({
    cookie: z
      .string()
      .regex(/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/, { error: 'write the name of a cookie' })
      .optional()
      .meta({ description: 'The cookie that the token is in.' }),
    bearer: z.boolean().default(false).meta({
      description: 'Whether it may be in `Authorization: Bearer` (RFC 6750).',
    }),
    jwks: z
      .string()
      .min(1)
      .refine(isKeySource, {
        error: 'write an https address, or a file seen from the policy file',
      })
      .meta({ description: 'The public keys (RFC 7517): an https address or a file.' }),
    issuer: z.string().min(1).optional().meta({ description: 'Whose tokens count (`iss`).' }),
    audience: z.string().min(1).optional().meta({
      description: 'For whom they must be (`aud`). Without it, tokens for other sites count too.',
    }),
    algorithms: z
      .array(z.enum(tokenAlgorithms))
      .min(1)
      .default([...tokenAlgorithms])
      .meta({ description: 'How they may be signed; never with a shared secret, or not at all.' }),
    person: z.string().min(1).default('sub').meta({
      description: 'The claim with the name of the person.',
    }),
    roles: z.string().min(1).default('roles').meta({
      description: 'The claim with the roles, or the way to it: `realm.roles`.',
    }),
  })
  .refine(({ cookie, bearer }) => cookie !== undefined || bearer, {
    error: 'say where the token is: `cookie: session`, or `bearer: true`',
  });

const signIn = z
  .union([
    ownAddress,
    z.strictObject({
      to: ownAddress,
      returnAs: z.string().regex(/^[\w.-]{1,40}$/, { error: 'write the name of a parameter' }),
    }),
  ])
  .transform((value): SignIn => (typeof value === 'string' ? { to: value, returnAs: 'return' } : value));

const identity = z.strictObject({
  signIn: signIn.optional().meta({
    description:
      'The site’s own sign-in, to which screens of locks without passwords lead; the address that was ' +
      'asked for is handed on as `return`, or by the name in `{ to: /login, returnAs: next }`.',
  }),
  jwt: jwt.optional().meta({
    description: 'Who a visitor is, told by a signed token (RFC 7519) that must have an expiry.',
  }),
  header: z
    .strictObject({
      from: z.literal('trustedProxies', { error: 'only `trustedProxies` can be believed' }),
      person: headerName.optional().meta({ description: 'The header with the name of the person.' }),
      roles: headerName.optional().meta({ description: 'The header with roles, and commas between.' }),
    })
    .optional()
    .meta({ description: 'Who a visitor is, told by a proxy that has asked.' }),
});

const journal = z
  .strictObject({
    file: z.string().min(1).default('.dorlin/journal.jsonl').meta({
      description: 'Where it is written, seen from the policy file; past days lie beside it.',
    }),
    addresses: z
      .enum(['masked', 'none'], {
        error: 'write `masked` or `none`; whole addresses are never kept',
      })
      .default('masked')
      .meta({
        description: 'Whether visitors’ addresses are kept without their last part, or not.',
      }),
    keep: span.default('90 days').meta({ description: 'How long entries are kept.' }),
  })
  .transform(({ keep, ...rest }) => ({ ...rest, keepSeconds: parseSpan(keep) ?? 0 }));

const patrol = z.strictObject({
  nightly: z
    .string()
    .regex(/^(?:[01]\d|2[0-3]):[0-5]\d$/, { error: 'write a time of the day, such as `03:00`' })
    .optional()
    .meta({ description: 'When it runs, in the time zone of the site; left out, it does not.' }),
  url: z
    .string()
    .regex(/^https?:\/\/[^/?#\s]+\/?$/, { error: 'write scheme and host, such as `https://kestrelmoor.example`' })
    .optional()
    .meta({ description: 'Where it walks; left out, on the server that runs it.' }),
  mail: z.array(mailbox).max(20).default([]).meta({ description: 'Who is sent a letter when something leaks.' }),
});

const name = z.string().regex(/^[a-z][a-z0-9_-]{0,63}$/, {
  error: 'a name is small letters, digits, `-` and `_`, beginning with a letter',
});

/** The format of `dorlin.yaml`. */
export const policySchema: z.ZodType<PolicyDocument> = z
  .strictObject({
    dorlin: z.literal(1, { error: 'the first line of a policy is `dorlin: 1`' }),
    site,
    locks: z.record(name, lock).default({}),
    bypasses: z.record(name, bypass).default({}),
    identity: identity.optional(),
    guessing: guessing.prefault({}),
    screens: z.record(name, screenSchema).default({}).meta({
      description: 'The designs of the password screen; `default` is that of locks that name none.',
    }),
    patrol: patrol.prefault({}).meta({
      description: 'The patrol that `dorlin serve` runs by itself every night.',
    }),
    mail: mailSchema.meta({
      description: 'How visitors who ask for it are sent a password or a link.',
    }),
    journal: journal.optional().meta({
      description: 'The record of what happened at the locks. Without this key none is kept.',
    }),
  })
  .meta({ title: 'Dorlin policy', description: 'What is locked on a site, and who gets in.' });

/** The JSON Schema of the policy file (draft 2020-12), for editors. */
export function policyJsonSchema(): z.core.JSONSchema.BaseSchema {
  return (jsonSchema ??= z.toJSONSchema(policySchema, { io: 'input' }));
}

/** Made once, as it takes a while, and a policy may have many keys that nobody knows. */
let jsonSchema: z.core.JSONSchema.BaseSchema | undefined;
