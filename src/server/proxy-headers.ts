import type { IncomingMessage, OutgoingHttpHeaders } from 'node:http';
import { readHost } from '../guard/visit/host.js';
import { isNamedIn, ofVisitor, otherHosts, otherMethods, otherTargets } from '../core/distrusted-headers.js';
import { patrolHeader } from '../core/passes/patrol-mark.js';

/** Headers of one connection (RFC 9110 section 7.6.1), and those that only ever speak of one. */
const ofConnection = new Set([
  'connection',
  'keep-alive',
  'proxy-connection',
  'proxy-authorization',
  'proxy-authenticate',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
  'http2-settings',
]);
/** What the header `Connection` may not take away: somebody behind us decides by it. */
const ofRequest = /^(?:host|cookie|authorization|content-length|forwarded|x-forwarded-.*|x-real-ip)$/;

const isOtherTarget = isNamedIn([...otherTargets, ...otherMethods]);
const isOtherHost = isNamedIn(otherHosts);
const isNamedOfVisitor = isNamedIn(ofVisitor);
const isOfVisitor = (plain: string) => plain.startsWith('x-forwarded-') || isNamedOfVisitor(plain);

/** The names that a `Connection` header says are of this connection alone. */
const named = (connection: string | undefined) =>
  new Set((connection ?? '').split(',').map((name) => name.trim().toLowerCase()));

/** The pairs of a raw list of headers that are not of the connection they came by. */
export function endToEnd(rawHeaders: readonly string[], connection: string | undefined): string[] {
  const dropped = named(connection);
  const kept: string[] = [];
  for (let at = 0; at < rawHeaders.length; at += 2) {
    const name = rawHeaders[at] ?? '';
    const key = name.toLowerCase();
    if (ofConnection.has(key) || (dropped.has(key) && key !== 'content-length')) continue;
    kept.push(name, rawHeaders[at + 1] ?? '');
  }
  return kept;
}

/** A host as many sites are told apart by it, with its port: servers read dots, capitals and more in their own ways. */
function judgedHost(header: string | undefined): string | undefined {
  const host = readHost(header);
  return host === undefined ? undefined : host + (/:\d{1,5}$/.exec(header ?? '')?.[0] ?? '');
}

/**
 * The headers of a request as they go on: as the guard left them, without those of the connection,
 * and with who asked and how. What the visitor says of that is dropped, unless it is a proxy that is
 * trusted. Where there are many sites, which one it is for is said in one way: as it was judged.
 */
export function forwardedHeaders(
  request: IncomingMessage,
  isTrusted: (request: IncomingMessage) => boolean,
  isOneSite = true,
): OutgoingHttpHeaders {
  const { headers, socket } = request;
  const dropped = named(headers.connection);
  const address = socket.remoteAddress;
  const believed = isTrusted(request);
  const kept: OutgoingHttpHeaders = {};
  for (const name in headers) {
    // Servers that know headers as variables take both signs for one.
    const plain = name.replaceAll('_', '-');
    if (ofConnection.has(plain) || plain === 'expect' || isOtherTarget(plain)) continue;
    if (!isOneSite && isOtherHost(plain)) continue;
    // Who reads it there could show it here again, as long as it holds.
    if (plain === patrolHeader) continue;
    if (isOfVisitor(plain) && (!believed || plain !== name)) continue;
    if (!dropped.has(name) || ofRequest.test(name)) kept[name] = headers[name];
  }
  const more = (name: string, value: string | undefined) => {
    const before = kept[name];
    kept[name] = before === undefined ? value : `${String(before)}, ${value ?? ''}`;
  };
  if (address !== undefined) more('x-forwarded-for', address);
  kept['x-forwarded-proto'] ??= 'encrypted' in socket ? 'https' : 'http';
  if (isOneSite) kept['x-forwarded-host'] ??= headers.host;
  else {
    const host = judgedHost(headers.host);
    delete kept['forwarded'];
    Object.assign(kept, { host, 'x-forwarded-host': host });
  }
  for (const name in kept) if (kept[name] === undefined) Reflect.deleteProperty(kept, name);
  return kept;
}
