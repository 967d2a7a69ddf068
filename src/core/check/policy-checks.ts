import { addressBits } from '../bypass/address.js';
import { formatMoment } from '../windows/moment.js';
import { idleBypass } from './idle-bypass.js';
import type { Lock, Policy } from '../policy/types.js';
import type { Strength } from '../passwords/strength.js';
import type { Finding } from './table.js';

/** Seconds before its end in which a password is about to end. */
const soon = 14 * 86_400;

/** Prefix lengths below which a range of addresses is nearly everybody. */
const tooWide = { ipv4: 8, ipv6: 16 };

/** Words that owners use for those who work on a site, in the languages of the screen. */
const staffWords =
  /\b(?:staff|team|crew|office|admins?|administrators?|editors?|wardens?|équipe|personnel|bureau|mitarbeiter|mitarbeitende|redaktion|büro|intern)\b/iu;

/** Passwords that can be looked up, judged: by lock, then by id. */
export type JudgedPasswords = ReadonlyMap<string, ReadonlyMap<string, Strength>>;

/** What can be seen from the policy alone. */
export function checkPolicy(policy: Policy, judged: JudgedPasswords, now: number): Finding[] {
  return [
    ...[...policy.locks.values()].flatMap((lock) => checkLock(policy, lock, judged, now)),
    ...checkBypasses(policy, now),
    ...checkIdentity(policy),
  ];
}

/** Who visitors are, where nobody is believed about it. */
function checkIdentity(policy: Policy): Finding[] {
  const { identity, site, bypasses, locks } = policy;
  const findings: Finding[] = [];
  if (identity?.header !== undefined && site.trustedProxies.length === 0) {
    const text = '`identity.header` is set, and `site.trustedProxies` is empty.';
    findings.push({ code: 'header-untrusted', about: 'identity', text });
  }
  const used = new Set([...locks.values()].flatMap((lock) => lock.bypasses));
  for (const bypass of bypasses.values()) {
    const why = used.has(bypass) ? idleBypass(policy, bypass) : undefined;
    if (why === undefined) continue;
    findings.push({ code: 'bypass-idle', about: bypass.name, text: `The bypass ${bypass.name}: ${why}.` });
  }
  return findings;
}

function checkLock(policy: Policy, lock: Lock, judged: JudgedPasswords, now: number): Finding[] {
  const { name, enabled, window, passwords, openers, bypasses, outsiders } = lock;
  const { timeZone } = policy.site;
  if (!enabled) {
    return [{ code: 'lock-off', about: name, text: `The lock ${name} shuts nothing.` }];
  }
  if (window.until !== undefined && now >= window.until) {
    const text = `The lock ${name} ended at ${formatMoment(window.until, timeZone)}.`;
    return [{ code: 'lock-ended', about: name, text }];
  }
  const findings: Finding[] = [];
  const counting = [...openers.values()].filter(({ window: { until } }) => until === undefined || now < until);
  if (counting.length === 0 && bypasses.length === 0 && outsiders === 'screen') {
    const text =
      openers.size === 0 ? 'has no password, no link and no bypass' : 'has only passwords and links that have ended';
    findings.push({ code: 'lock-nobody', about: name, text: `The lock ${name} ${text}.` });
  }
  const [hashed] = passwords;
  if (hashed !== undefined && hashed.parsedHash.cost.algorithm !== policy.site.hash) {
    const text = `The passwords of ${name} are hashed by ${hashed.parsedHash.cost.algorithm}, and the site says ${policy.site.hash}.`;
    findings.push({ code: 'password-hashed-otherwise', about: name, text });
  }
  const left = passwords.filter(({ window: { until } }) => until === undefined || now < until);
  const last = left.reduce((end, { window: { until = Infinity } }) => Math.max(end, until), 0);
  if (left.length > 0 && last < now + soon) {
    const end = formatMoment(last, timeZone);
    const text = `The last password of ${name} ends at ${end}.`;
    // A lock that ends no later needs no password after that.
    if (!(window.until !== undefined && window.until <= last)) {
      findings.push({ code: 'password-ending', about: name, text });
    }
  }
  for (const { id, label } of left) {
    const strength = judged.get(name)?.get(id);
    if (strength?.verdict !== 'guessable') continue;
    const text = `The password “${label}” of ${name}: ${strength.words}`;
    findings.push({ code: 'password-guessable', about: name, text });
  }
  const { request } = lock;
  if (request !== undefined && request.gives !== 'nothing' && request.opener === undefined) {
    const text = `Visitors of ${name} are to be sent what it no longer has: “${request.wanted}”.`;
    findings.push({ code: 'request-gives-nothing', about: name, text });
  } else if (
    request?.gives === 'password' &&
    request.opener !== undefined &&
    judged.get(name)?.has(request.opener.id) !== true
  ) {
    const text = `Visitors of ${name} are to be sent the password “${request.opener.label}”.`;
    findings.push({ code: 'request-unknown-password', about: name, text });
  }
  const isWhole = lock.covers.some(({ kind }) => kind === 'site');
  const staff = [lock.title, name, ...left.map(({ label }) => label)].find(
    (words) => words !== undefined && staffWords.test(words.replace(/[-_]/g, ' ')),
  );
  // Where the owner has said whom it is for, the public knows.
  const { text: own } = lock.screen.design;
  const isSaid = own.hint !== undefined || own.message !== undefined;
  if (isWhole && outsiders === 'screen' && left.length > 0 && staff !== undefined && !isSaid) {
    const text = `The lock ${name} covers the whole site, and asks everybody for the password “${staff}”.`;
    findings.push({ code: 'screen-invites', about: name, text });
  }
  return findings;
}

function checkBypasses({ bypasses, locks, site }: Policy, now: number): Finding[] {
  const used = new Set([...locks.values()].flatMap((lock) => lock.bypasses));
  return [...bypasses.values()].flatMap((bypass): Finding[] => {
    const { name, addresses, roles, people, signedIn, window } = bypass;
    if (!used.has(bypass) || (window.until !== undefined && now >= window.until)) return [];
    if (addresses === undefined || roles || people || signedIn) return [];
    const ranges = addresses.map((text) => ({ text, ...addressBits(text) }));
    const wide = ranges.find(({ kind, bits }) => bits < tooWide[kind]);
    // Two halves are the whole as well.
    if (wide !== undefined) {
      const text = `The bypass ${name} lets in ${wide.text}.`;
      return [{ code: 'bypass-everybody', about: name, text }];
    }
    const near = ranges.find(({ isNear }) => isNear);
    if (near === undefined || site.trustedProxies.length > 0) return [];
    const text = `The bypass ${name} lets in ${near.text}, and no proxy is trusted.`;
    return [{ code: 'bypass-behind-proxy', about: name, text }];
  });
}
