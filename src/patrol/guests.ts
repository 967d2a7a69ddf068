import type { Lock } from '../core/policy/types.js';
import { countsAt } from '../core/policy/lock-state.js';
import { isWithin } from '../core/windows/window.js';
import type { Asker } from './asker.js';
import type { Who } from './expectation.js';
import { factsOf, type Facts } from './facts.js';
import type { PasswordForm } from './forms.js';
import { makeJar, type Jar } from './jar.js';
import type { SiteAddresses } from './site-addresses.js';

/** What lets in: passwords, tokens of entry links, credentials. All of it is secret. */
export interface Keys {
  /** By lock; without a policy, all under `''`. */
  readonly passwords: ReadonlyMap<string, readonly string[]>;
  /** Passwords that no longer count, or not yet. */
  readonly endedPasswords: readonly { readonly lock: string; readonly password: string }[];
  /** Targets of entry links. */
  readonly links: readonly { readonly lock: string; readonly label: string; readonly target: string }[];
  /** Targets of links that must not let in: ended ones. */
  readonly deadLinks: readonly { readonly lock: string; readonly target: string }[];
  readonly credentials: readonly { readonly lock: string; readonly user: string; readonly password: string }[];
}

/** Somebody who was let in, with the browser it happened in. */
export interface Guest {
  /** The name of the lock that was opened; without a policy, that on its form. */
  readonly lock: string;
  /** What a policy would go by; undefined without one. */
  readonly who: Who | undefined;
  /** All locks that were opened on the way; without a policy, none is known. */
  readonly opened: readonly Lock[];
  readonly jar: Jar;
  /** What the browser sends along: the credentials of its own prompt. */
  readonly headers: Readonly<Record<string, string>>;
  /** Where the password was typed. */
  readonly door: string;
}

/** What a browser sends with a request for a guest. */
export const asGuest = ({ jar, headers }: Guest) => ({ jar: jar.copy(), headers });

/** The header of HTTP Basic (RFC 7617). */
export const basicHeader = (user: string, password: string) => ({
  authorization: `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}`,
});

/** How it went to open a door. */
export interface Entering {
  readonly jar: Jar;
  readonly isIn: boolean;
  /** What stands at the door in the end. */
  readonly facts: Facts;
  /** Where the last right password led. */
  readonly landed: string | undefined;
  /** The answer to the last password that was sent. */
  readonly answer: Facts | undefined;
  /** The locks of the forms that were filled in, in order. */
  readonly opened: readonly string[];
}

/** Most forms that are filled in one after the other, as locks may require others. */
const mostForms = 6;

/**
 * Opens a door as somebody would in a browser: asks for the page, fills in the form that comes,
 * sends it, follows where that leads.
 *
 * @param passwordFor - what to type at the form of a lock; undefined to give up
 * @param section - the lock of the section that is to be opened, where it is one
 */
export async function enter(
  { asker, site }: { readonly asker: Asker; readonly site: SiteAddresses },
  door: string,
  passwordFor: (lock: string | undefined) => string | undefined,
  section?: string,
): Promise<Entering> {
  const jar = makeJar();
  let landed: string | undefined;
  let answer: Facts | undefined;
  const opened: string[] = [];
  for (let forms = 0; ; forms++) {
    const facts = factsOf(door, await followed(asker, site, door, jar), site);
    // A section lies in a page that may be locked itself.
    const form = formAt(facts, facts.seen === 'let in' ? section : undefined);
    const isIn = facts.seen === 'let in' && (section === undefined || form === undefined);
    const isSame = form !== undefined && forms > 0 && (form.lock ?? '') === opened.at(-1);
    const password = form === undefined || isSame ? undefined : passwordFor(form.lock);
    if (isIn || form === undefined || password === undefined || forms === mostForms) {
      return { jar, isIn, facts, landed, answer, opened };
    }
    opened.push(form.lock ?? '');
    answer = await fillIn({ asker, site }, form, password, jar);
    landed = answer.location;
  }
}

/** Sends a form for a password, as a browser does from a page of the same site. */
export async function fillIn(
  { asker, site }: { readonly asker: Asker; readonly site: SiteAddresses },
  form: PasswordForm,
  password: string,
  jar: Jar,
): Promise<Facts> {
  const answer = await asker.ask({
    target: form.action,
    method: 'POST',
    headers: { origin: asker.origin, 'sec-fetch-site': 'same-origin' },
    form: {
      ...form.fields,
      ...(form.stayField === undefined ? {} : { [form.stayField]: 'on' }),
      [form.passwordField]: password,
    },
    jar,
  });
  return factsOf(form.action, answer, site);
}

/** The form to fill in: that of a section, or that of the screen. */
export function formAt(facts: Facts, section: string | undefined): PasswordForm | undefined {
  return facts.forms.find((form) => (section === undefined ? !form.isForSection : form.lock === section));
}

/** What an address answers, through redirects to others of the same site. */
async function followed(asker: Asker, site: SiteAddresses, door: string, jar: Jar) {
  let target = door;
  for (let hops = 0; ; hops++) {
    const answer = await asker.ask({ target, jar });
    const location = answer.headers['location'];
    const next = location === undefined ? undefined : site.targetOf(location, target);
    if (answer.status < 300 || answer.status > 399 || next === undefined || hops === 5) return answer;
    target = next;
  }
}

/** The locks of a policy that a guest can open by a password now. */
export const hasPassword = (lock: Lock, now: number) =>
  countsAt(lock, now) && lock.passwords.some(({ window }) => isWithin(window, now));
