import { access } from 'node:fs/promises';
import type { Command } from 'commander';
import writeFileAtomic from 'write-file-atomic';
import { DorlinError } from '../core/errors.js';
import { handOut, type HandOut, type HandOutSubject } from '../core/hand-out/hand-out.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { paint, print } from './output.js';

/** The options of commands that hand something out. */
export interface HandingOutOptions {
  readonly text?: boolean;
  readonly qr?: boolean;
  readonly svg?: string;
  readonly language?: string;
  readonly origin?: string;
}

export function withHandingOut(made: Command): Command {
  return made
    .option('--text', 'a text ready to send, and addresses that open it as mail or message')
    .option('--qr', 'a QR code in the terminal')
    .option('--svg <file>', 'a sheet to print, with the QR code')
    .option('--language <tag>', 'the language of the text; else the site’s first')
    .option('--origin <url>', 'scheme and host of the site; else `site.origin`');
}

/**
 * The address of a path on the live site.
 * @throws DorlinError `origin-missing`, `call-wrong`
 */
export function addressOn({ site }: Policy, path: string, origin: string | undefined): string {
  if (origin !== undefined && !/^https?:\/\/[^/?#\s\\@]+\/?$/.test(origin)) {
    throw new DorlinError('call-wrong', `\`${origin}\` is no scheme and host.`, {
      mend: 'Write it such as `https://kestrelmoor.example`.',
    });
  }
  const base = origin ?? site.origin;
  if (base === undefined) {
    throw new DorlinError('origin-missing', 'The policy does not say where the site is.');
  }
  return base.replace(/\/$/, '') + path;
}

/** The path of a lock's first place that can be opened. */
export function pathOf({ covers }: Lock): string {
  const place = covers.find(
    ({ kind }) => kind === 'page' || kind === 'folder' || kind === 'section',
  );
  return place === undefined ? '/' : encodeURI(place.text);
}

/** What of something handed out is the command's own; the policy says the rest. */
type Given = Pick<HandOutSubject, 'address' | 'password' | 'user' | 'until' | 'uses'>;

/** The ready text for a password or link of a lock. */
export function handOutOf(
  lock: Lock,
  { site }: Policy,
  given: Given,
  { language }: HandingOutOptions,
): HandOut & { readonly place: string } {
  const host = new URL(given.address).host;
  const place = lock.title ?? `${host}${decodeURI(pathOf(lock))}`;
  const common = { siteName: site.name, timeZone: site.timeZone };
  return {
    place,
    ...handOut({ ...common, place, ...given, language: language ?? site.languages[0] ?? 'en' }),
  };
}

/** Prints and writes what the options ask for. */
export async function giveOut(
  out: HandOut & { readonly place: string },
  given: Given,
  { site }: Policy,
  options: HandingOutOptions,
): Promise<void> {
  if (options.text === true) {
    print();
    print(out.text.replace(/^(?=.)/gm, '  '));
    print();
    print(`${paint.dim('as mail   ')} ${out.mailto}`);
    print(`${paint.dim('as message')} ${out.sms}`);
  }
  if (options.qr === true) {
    const { terminalQr } = await import('./qr.js');
    print();
    print(await terminalQr(given.address));
  }
  if (options.svg !== undefined)
    print(`\nWritten to ${await writeSheet(out, given, site.name, options.svg)}`);
}

/** @throws DorlinError `file-exists` */
export async function writeSheet(
  out: HandOut & { readonly place: string },
  given: Given,
  siteName: string,
  file: string,
): Promise<string> {
  await mustBeFree(file);
  const { sheetSvg } = await import('./qr.js');
  const notes = (out.text.split('\n').at(-1) ?? '').split(/(?<=\.) /);
  const showsAddress = given.password !== undefined && !given.address.endsWith(out.place);
  const password = [given.user, given.password].filter((word) => word !== undefined).join('  ');
  const sheet = { siteName, place: out.place, address: given.address, showsAddress, notes };
  await writeFileAtomic(file, sheetSvg(password === '' ? sheet : { ...sheet, password }));
  return file;
}

/** @throws DorlinError `file-exists` */
export async function mustBeFree(file: string): Promise<void> {
  const isThere = await access(file).then(
    () => true,
    () => false,
  );
  if (isThere) throw new DorlinError('file-exists', `${file} is there already.`);
}
