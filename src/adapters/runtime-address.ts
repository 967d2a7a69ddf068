/**
 * The address of the connection's other end, as Deno (`info.remoteAddr`), Bun (`server.requestIP`) and
 * Hono on Node (`env.incoming.socket`) hand it over beside the request.
 */
export function addressGiven(request: Request, ...[beside]: unknown[]): string | undefined {
  if (typeof beside !== 'object' || beside === null) return undefined;
  const { remoteAddr, incoming } = beside as { remoteAddr?: unknown; incoming?: unknown };
  const found = isBunServer(beside)
    ? beside.requestIP(request)?.address
    : (textAt(remoteAddr, 'hostname') ?? textAt(textAt(incoming, 'socket'), 'remoteAddress'));
  return typeof found === 'string' ? found : undefined;
}

interface BunServer {
  requestIP(request: Request): { readonly address: string } | null;
}

const isBunServer = (beside: object): beside is BunServer =>
  'requestIP' in beside && typeof beside.requestIP === 'function';

const textAt = (holder: unknown, key: string): unknown =>
  typeof holder === 'object' && holder !== null ? (holder as Record<string, unknown>)[key] : undefined;
