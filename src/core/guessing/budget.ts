import ipaddr from 'ipaddr.js';
import { parseSpan, spanText } from '../policy/span.js';

/** So many tries in so many seconds. */
export interface Budget {
  readonly tries: number;
  readonly seconds: number;
}

/** Reads `10 per 15 minutes`, `100 per hour`; undefined for anything else. */
export function parseBudget(text: string): Budget | undefined {
  const found = /^(\d{1,6}) per (?:(\d.*)|([a-z]+))$/i.exec(text.trim());
  if (found === null) return undefined;
  const tries = Number(found[1]);
  const seconds = parseSpan(found[2] ?? `1 ${found[3] ?? ''}`);
  return tries < 1 || seconds === undefined ? undefined : { tries, seconds };
}

/** A budget as a policy writes it: `10 per 15 minutes`, `100 per hour`. */
export const budgetText = ({ tries, seconds }: Budget): string =>
  `${tries} per ${spanText(seconds).replace(/^1 /, '')}`;

/**
 * What stands for one visitor when tries are counted: an IPv4 address, or the /64 of an IPv6 one,
 * as a household or a rented machine has at least that many addresses to itself (RFC 6177).
 */
export function visitorKey(address: string | undefined): string {
  if (address === undefined || !ipaddr.isValid(address)) return 'unknown';
  const parsed = ipaddr.process(address);
  if (parsed.kind() === 'ipv4') return parsed.toString();
  return ipaddr.IPv6.networkAddressFromCIDR(`${parsed.toString()}/64`).toString();
}
