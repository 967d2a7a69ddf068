import { isInRanges } from '../../core/bypass/address.js';
import type { SiteDocument } from '../../core/policy/document.js';
import { lastHop } from '../context.js';
import { headerOf, type Visit } from './visit.js';

/** Longest form that is read, in bytes. */
const maxFormBytes = 16 * 1024;

/** A form is longer than is read. What reads bodies throws it as well. */
export class FormTooLong extends Error {
  constructor() {
    super(`the form is longer than ${maxFormBytes} bytes`);
    this.name = 'FormTooLong';
  }
}

/** A form's fields; of a field sent twice, the first. */
export type FormFields = ReadonlyMap<string, string>;

/** Reads the form of a request, `application/x-www-form-urlencoded` or JSON; empty if it is neither. */
export async function readForm(visit: Visit): Promise<FormFields> {
  const body = (await visit.readBody?.(maxFormBytes)) ?? '';
  if (body.length > maxFormBytes) throw new FormTooLong();
  const type = (headerOf(visit, 'content-type') ?? '').split(';', 1)[0]?.trim().toLowerCase();
  const entries =
    type === 'application/json'
      ? jsonEntries(body)
      : type === 'application/x-www-form-urlencoded'
        ? [...new URLSearchParams(body)]
        : [];
  const fields = new Map<string, string>();
  for (const [name, value] of entries) if (!fields.has(name)) fields.set(name, value);
  return fields;
}

function jsonEntries(body: string): [string, string][] {
  try {
    const value: unknown = JSON.parse(body);
    if (typeof value !== 'object' || value === null) return [];
    return Object.entries(value).filter((entry): entry is [string, string] => typeof entry[1] === 'string');
  } catch {
    return [];
  }
}

/**
 * Whether a page of another site sent this, by `Sec-Fetch-Site`, or by `Origin` where a browser
 * does not send that (on plain http). Tools that send neither are no browser, and no danger.
 */
export function isCrossSite(visit: Visit, site: SiteDocument): boolean {
  const fetchSite = headerOf(visit, 'sec-fetch-site');
  if (fetchSite !== undefined) return fetchSite === 'cross-site';
  const origin = headerOf(visit, 'origin')?.toLowerCase();
  if (origin === undefined || origin === site.origin?.toLowerCase()) return false;
  const isProxied = isInRanges(visit.address, site.trustedProxies);
  const hosts = [
    headerOf(visit, 'host'),
    ...(isProxied ? [headerOf(visit, 'x-forwarded-host'), lastHop(visit)?.host] : []),
  ];
  return !hosts.some((host) => origin.replace(/^https?:\/\//, '') === host?.toLowerCase());
}

/** Whether a script asked, and wants JSON rather than a page. */
export function wantsJson(visit: Visit): boolean {
  const accept = headerOf(visit, 'accept') ?? '';
  return accept.includes('application/json') && !accept.includes('text/html');
}
