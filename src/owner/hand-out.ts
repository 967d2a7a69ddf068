import { access } from 'node:fs/promises';
import { writeFileWhole } from '../stores/whole-file.js';
import { DorlinError } from '../core/errors.js';
import { handOut, type HandOut, type HandOutSubject } from '../core/hand-out/hand-out.js';
import { handOutLanguages } from '../core/hand-out/words.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { openKeys } from '../stores/keeping.js';
import { loadPolicy } from '../stores/policy-file.js';
import { recallPassword } from '../stores/recall-file.js';
import { lockNamed, passwordNamed } from './named.js';

/** How something is handed out. */
export interface HandOutOrder {
  /** The language of the text; else the site's first. */
  readonly language?: string | undefined;
  /** Scheme and host of the site; else `site.origin`. */
  readonly origin?: string | undefined;
  /** A file for a sheet to print, with a QR code. */
  readonly sheet?: string | undefined;
  /** Whether the sheet itself is wanted, as SVG. */
  readonly drawn?: boolean | undefined;
}

/** What is handed out, as texts that are ready to send. */
export interface HandedOut extends HandOut {
  /** What its visitors call it: the lock's title, or its address. */
  readonly place: string;
  /** Where it is opened: what a QR code holds. */
  readonly address: string;
  /** The file of the sheet, where one was written. */
  readonly sheet?: string | undefined;
  /** The sheet itself, where it was asked for. */
  readonly svg?: string | undefined;
}

/**
 * The address of a path on the live site.
 * @throws DorlinError `origin-missing`, `origin-invalid`
 */
export function addressOn({ site }: Policy, path: string, origin: string | undefined): string {
  if (origin !== undefined && !/^https?:\/\/[^/?#\s\\@]+\/?$/.test(origin)) {
    throw new DorlinError('origin-invalid', `\`${origin}\` is no scheme and host.`);
  }
  const base = origin ?? site.origin;
  if (base === undefined) {
    throw new DorlinError('origin-missing', 'The policy does not say where the site is.');
  }
  return base.replace(/\/$/, '') + path;
}

/** The path of a lock's first place that can be opened. */
export function pathOf({ covers }: Lock): string {
  const place = covers.find(({ kind }) => kind === 'page' || kind === 'folder' || kind === 'section');
  return place === undefined ? '/' : encodeURI(place.text);
}

/** What of something handed out is the caller's own; the policy says the rest. */
type Given = Pick<HandOutSubject, 'address' | 'password' | 'user' | 'until' | 'uses'>;

/**
 * The ready text for a password or link of a lock, and its sheet where one is asked for.
 * @throws DorlinError `language-unknown`, `file-exists`
 */
export async function handOutOf(
  lock: Lock,
  { site }: Policy,
  given: Given,
  { language, sheet, drawn = false }: HandOutOrder,
): Promise<HandedOut> {
  refuseUnspoken(language);
  const host = new URL(given.address).host;
  const place = lock.title ?? `${host}${decodeURI(pathOf(lock))}`;
  const common = { siteName: site.name, timeZone: site.timeZone };
  const spoken = language ?? site.languages[0] ?? 'en';
  const out = { place, ...handOut({ ...common, place, ...given, language: spoken }) };
  if (sheet !== undefined) await mustBeFree(sheet);
  const svg = sheet !== undefined || drawn ? await drawSheet(out, given, site.name) : undefined;
  if (sheet !== undefined && svg !== undefined) await writeFileWhole(sheet, svg);
  return { ...out, address: given.address, sheet, ...(drawn && { svg }) };
}

/** @throws DorlinError `language-unknown` */
function refuseUnspoken(language: string | undefined): void {
  const primary = language?.toLowerCase().split('-')[0] ?? 'en';
  if (handOutLanguages.includes(primary)) return;
  throw new DorlinError('language-unknown', `There are no texts in \`${language ?? ''}\` here.`, {
    mend: `There are ${handOutLanguages.join(', ')}, each with regions, such as \`en-IE\`.`,
  });
}

async function drawSheet(out: HandOut & { readonly place: string }, given: Given, siteName: string): Promise<string> {
  const { sheetSvg } = await import('./sheet.js');
  const notes = (out.text.split('\n').at(-1) ?? '').split(/(?<=\.) /);
  const showsAddress = given.password !== undefined && !given.address.endsWith(out.place);
  const password = [given.user, given.password].filter((word) => word !== undefined).join('  ');
  const sheet = { siteName, place: out.place, address: given.address, showsAddress, notes };
  return sheetSvg(password === '' ? sheet : { ...sheet, password });
}

/** @throws DorlinError `file-exists` */
export async function mustBeFree(file: string): Promise<void> {
  const isThere = await access(file).then(
    () => true,
    () => false,
  );
  if (isThere) throw new DorlinError('file-exists', `${file} is there already.`);
}

/** A password that was looked up, and what to hand out with it. */
export interface PasswordShown {
  readonly lock: string;
  readonly id: string;
  readonly label: string;
  readonly password: string;
  /** Where that was asked for. */
  readonly handedOut?: HandedOut | undefined;
}

/**
 * Looks a password up, and hands it out.
 *
 * @param handingOut - how; without it, the password is looked up alone
 * @throws DorlinError `lock-unknown`, `password-unknown`, `password-not-recallable`, and those of
 * {@link addressOn} and {@link handOutOf}
 */
export async function showPassword(
  policyFile: string,
  name: string,
  which: string | undefined,
  handingOut?: HandOutOrder,
): Promise<PasswordShown> {
  const policy = await loadPolicy(policyFile);
  const lock = lockNamed(policy, name);
  const { id, label, window } = passwordNamed(lock, which);
  const password = await recallPassword(policyFile, name, id, await openKeys(policyFile));
  const shown = { lock: name, id, label, password };
  if (handingOut === undefined) return shown;
  const address = addressOn(policy, pathOf(lock), handingOut.origin);
  const user = lock.basic === 'always' ? label : undefined;
  const given = { address, password, user, until: window.until };
  return { ...shown, handedOut: await handOutOf(lock, policy, given, handingOut) };
}
