/**
 * Request headers by which a visitor could say what was asked for, of which host, and who asks. Whatever stands
 * between visitors and a site takes them out: the proxy of `dorlin serve --to`, and the configurations printed for
 * web servers. One list, so that none of them forgets one.
 */

/** What some servers take for the URL that was asked for, in place of the one that was judged. */
export const otherTargets = [
  'X-Original-URI',
  'X-Original-URL',
  'X-Rewrite-URL',
  'X-Override-URL',
  'X-Proxy-URL',
  'X-HTTP-DestinationURL',
  'X-Forwarded-Uri',
  'X-Forwarded-Path',
] as const;

/** What some servers take for the method, in place of the one that was judged. */
export const otherMethods = ['X-Original-Method', 'X-Forwarded-Method'] as const;

/** What some servers take for the host that was asked for, in place of `Host`. */
export const otherHosts = [
  'X-Host',
  'X-Original-Host',
  'X-HTTP-Host-Override',
  'X-Host-Override',
  'X-Forwarded-Server',
  'Dorlin-Site',
] as const;

/** What says who the visitor is, and how the visitor came. Every other name with `X-Forwarded-` is one too. */
export const ofVisitor = [
  'Forwarded',
  'X-Forwarded-For',
  'X-Forwarded-Host',
  'X-Forwarded-Port',
  'X-Forwarded-Prefix',
  'X-Forwarded-Proto',
  'X-Forwarded-Scheme',
  'X-Forwarded-Ssl',
  'X-Real-IP',
  'X-Client-IP',
  'X-Cluster-Client-IP',
  'True-Client-IP',
] as const;

/** All of them: what a web server in front of Dorlin or of an application must not pass on as visitors send it. */
export const distrusted: readonly string[] = [...otherTargets, ...otherMethods, ...otherHosts, ...ofVisitor];

/** Whether a header has one of these names; servers that know headers as variables take `_` for `-`. */
export const isNamedIn = (names: readonly string[]): ((name: string) => boolean) => {
  const known = new Set(names.map((name) => name.toLowerCase()));
  return (name) => known.has(name.toLowerCase().replaceAll('_', '-'));
};
