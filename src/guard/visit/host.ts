/** A name of letters, digits, dashes and dots (RFC 1123 section 2.1), in small letters and without a dot at its end. */
const hostName = /^(?=.{1,253}$)[a-z0-9_](?:[a-z0-9_-]{0,62})(?:\.[a-z0-9_](?:[a-z0-9_-]{0,62}))*$/;
const bracketed = /^\[[0-9a-f:.]{2,45}\]$/;

/** Whether this is how a host is written where sites are kept by their hosts: `xn--…` for other scripts. */
export const isHostName = (host: string): boolean => hostName.test(host) || bracketed.test(host);

/**
 * The one spelling of a `Host` header (RFC 9110 section 7.2): small letters, no port, no dot at the end.
 * Undefined for what is no host, or could be read as two.
 */
export function readHost(header: string | undefined): string | undefined {
  // Before capitals are made small: other letters become plain ones by that.
  if (header === undefined || header.length > 300 || !/^[\x21-\x7e]+$/.test(header)) return undefined;
  const [, name = ''] = /^(\[[^\]]*\]|[^:]*)(?::\d{1,5})?$/.exec(header) ?? [];
  const host = name.toLowerCase().replace(/\.$/, '');
  return isHostName(host) ? host : undefined;
}
