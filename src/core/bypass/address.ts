import ipaddr from 'ipaddr.js';

/** Whether a text is an address or a range (`192.0.2.0/24`) that can be matched. */
export function isAddressRange(text: string): boolean {
  return text.includes('/') ? ipaddr.isValidCIDR(text) : ipaddr.isValid(text);
}

/** Whether an address lies in one of the ranges. Doubt answers no. */
export function isInRanges(address: string | undefined, ranges: readonly string[]): boolean {
  if (address === undefined || ranges.length === 0 || !ipaddr.isValid(address)) return false;
  // `process` reads an IPv4 address mapped into IPv6 (RFC 4291 section 2.5.5.2) as IPv4.
  const parsed = ipaddr.process(address);
  return ranges.some((text) => {
    const [range, bits] = text.includes('/')
      ? ipaddr.parseCIDR(text)
      : ((one) => [one, one.kind() === 'ipv4' ? 32 : 128] as const)(ipaddr.process(text));
    return parsed.kind() === range.kind() && parsed.match(range, bits);
  });
}

/**
 * The visitor's address: that of the connection, or, where that is a trusted proxy's, the last
 * one in `X-Forwarded-For` that no trusted proxy has. What others say of themselves is not heard.
 */
export function visitorAddress(
  connection: string | undefined,
  forwardedFor: string | undefined,
  trustedProxies: readonly string[],
): string | undefined {
  const hops = (forwardedFor ?? '').split(',').map((hop) => hop.trim());
  let address = connection;
  while (isInRanges(address, trustedProxies)) {
    const before = hops.pop();
    if (before === undefined || !ipaddr.isValid(before)) break;
    address = before;
  }
  return address;
}

/** An address of which the part that tells one household from the next is left out. */
export function maskAddress(address: string | undefined): string {
  if (address === undefined || !ipaddr.isValid(address)) return 'unknown';
  const parsed = ipaddr.process(address);
  const bits = parsed.kind() === 'ipv4' ? 24 : 48;
  const network =
    parsed.kind() === 'ipv4'
      ? ipaddr.IPv4.networkAddressFromCIDR(`${parsed.toString()}/${bits}`)
      : ipaddr.IPv6.networkAddressFromCIDR(`${parsed.toString()}/${bits}`);
  return `${network.toString()}/${bits}`;
}
