import ipaddr from 'ipaddr.js';
import { parseForwarded } from './forwarded.js';

/** Whether a text is an address or a range (`192.0.2.0/24`) that can be matched. */
export function isAddressRange(text: string): boolean {
  const [address = '', ...bits] = text.split('/');
  return readAddress(address) !== undefined && (bits.length === 0 || ipaddr.isValidCIDR(text));
}

/**
 * Reads an address; one of IPv4 mapped into IPv6 (RFC 4291 section 2.5.5.2) as IPv4. IPv4 in four
 * plain decimal parts only: `010.1.1.1` and `10.1` are read differently from program to program.
 */
function readAddress(text: string): ipaddr.IPv4 | ipaddr.IPv6 | undefined {
  return ipaddr.IPv4.isValidFourPartDecimal(text) || ipaddr.IPv6.isValid(text) ? ipaddr.process(text) : undefined;
}

type Range = readonly [ipaddr.IPv4 | ipaddr.IPv6, number];

/** Ranges that were read, and what was found of the few addresses that proxies have. */
interface ReadRanges {
  readonly ranges: readonly Range[];
  readonly known: Map<string, boolean>;
}

/** By the list as it stands in a policy, which never changes: to read it takes longer than all the rest. */
const readLists = new WeakMap<readonly string[], ReadRanges>();

/** Most addresses of which the answer is remembered; a list that many come to is read for each of the others. */
const mostKnown = 100;

/** Whether an address lies in one of the ranges. Doubt answers no. */
export function isInRanges(address: string | undefined, ranges: readonly string[]): boolean {
  if (address === undefined || ranges.length === 0) return false;
  let read = readLists.get(ranges);
  if (read === undefined) readLists.set(ranges, (read = { ranges: ranges.map(readRange), known: new Map() }));
  const known = read.known.get(address);
  if (known !== undefined) return known;
  const parsed = readAddress(address);
  const isIn =
    parsed !== undefined &&
    read.ranges.some(([range, bits]) => parsed.kind() === range.kind() && parsed.match(range, bits));
  if (read.known.size < mostKnown && address.length < 64) read.known.set(address, isIn);
  return isIn;
}

function readRange(text: string): Range {
  if (text.includes('/')) return ipaddr.parseCIDR(text);
  const address = ipaddr.process(text);
  return [address, address.kind() === 'ipv4' ? 32 : 128];
}

/** What proxies say of a request's way, as it arrived. */
export interface ToldByProxies {
  /** The header `X-Forwarded-For`. */
  readonly forwardedFor?: string | undefined;
  /** The header `Forwarded` (RFC 7239). */
  readonly forwarded?: string | undefined;
}

/**
 * The visitor's address: that of the connection, or, where that is a trusted proxy's, the last one
 * on the way that no trusted proxy has. What others say of themselves is not heard.
 *
 * @returns undefined where a trusted proxy's word cannot be read, or where the two headers differ:
 * a proxy writes one of them, and hands on the other as the visitor wrote it
 */
export function visitorAddress(
  connection: string | undefined,
  { forwardedFor, forwarded }: ToldByProxies,
  trustedProxies: readonly string[],
): string | undefined {
  if (!isInRanges(connection, trustedProxies)) return connection;
  const ways: (string | undefined)[][] = [];
  if (forwardedFor !== undefined) ways.push(forwardedFor.split(','));
  if (forwarded !== undefined) {
    ways.push(parseForwarded(forwarded)?.map((hop) => hop.for) ?? [undefined]);
  }
  if (ways.length === 0) return connection;
  const [first, ...others] = ways.map((way) => lastUntrusted(way, trustedProxies));
  return others.every((other) => other === first) ? first : undefined;
}

/** The last address on a way that is no trusted proxy's, or the first one if all are. */
function lastUntrusted(way: readonly (string | undefined)[], trustedProxies: readonly string[]): string | undefined {
  let address: string | undefined;
  for (const node of [...way].reverse()) {
    address = addressOfNode(node);
    if (!isInRanges(address, trustedProxies)) return address;
  }
  return address;
}

/** The address of a node (RFC 7239 section 6), without its port; undefined for names. */
function addressOfNode(node: string | undefined): string | undefined {
  const found = /^(?:\[([0-9a-f:.]+)\]|([0-9.]+))(?::\d{1,5})?$|^([0-9a-f:.]+)$/i.exec((node ?? '').trim());
  const address = found?.[1] ?? found?.[2] ?? found?.[3];
  return address === undefined ? undefined : readAddress(address)?.toString();
}

/** An address of which the part that tells one household from the next is left out. */
export function maskAddress(address: string | undefined): string {
  const parsed = address === undefined ? undefined : readAddress(address);
  if (parsed === undefined) return 'unknown';
  const bits = parsed.kind() === 'ipv4' ? 24 : 48;
  const network =
    parsed.kind() === 'ipv4'
      ? ipaddr.IPv4.networkAddressFromCIDR(`${parsed.toString()}/${bits}`)
      : ipaddr.IPv6.networkAddressFromCIDR(`${parsed.toString()}/${bits}`);
  return `${network.toString()}/${bits}`;
}

/** What a range of addresses is like, of those that {@link isAddressRange} takes. */
export function addressBits(range: string): {
  readonly kind: 'ipv4' | 'ipv6';
  readonly bits: number;
  /** Whether it lies on the machine itself or in a network of its own (RFC 1918, RFC 4193). */
  readonly isNear: boolean;
} {
  const [address, bits] = range.includes('/')
    ? ipaddr.parseCIDR(range)
    : ((one) => [one, one.kind() === 'ipv4' ? 32 : 128] as const)(ipaddr.process(range));
  const near = ['loopback', 'private', 'linkLocal', 'uniqueLocal'];
  return { kind: address.kind(), bits, isNear: near.includes(address.range()) };
}

/** The first address of a range, of those that {@link isAddressRange} takes. */
export function firstAddress(range: string): string {
  if (!range.includes('/')) return range;
  const [address] = ipaddr.parseCIDR(range);
  const network =
    address.kind() === 'ipv4' ? ipaddr.IPv4.networkAddressFromCIDR(range) : ipaddr.IPv6.networkAddressFromCIDR(range);
  return network.toString();
}
