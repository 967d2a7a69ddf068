import type { IncomingMessage } from 'node:http';
import type { Context } from 'hono';
import { isInRanges, visitorAddress } from '../core/bypass/address.js';
import { DorlinError } from '../core/errors.js';
import { loadPolicy } from '../stores/policy-file.js';

/** What a request came over. */
export interface Arrival {
  /** The address of the connection’s other end. */
  readonly address: string | undefined;
  readonly encrypted: boolean;
}

/** What is known of a request while it is answered. */
export interface Env {
  Bindings: { arrival: Arrival };
  Variables: {
    /** Whether it is encrypted on its whole way. */
    secure?: boolean;
    /** From where it comes, as far as that is known for certain. */
    address?: string | undefined;
  };
}

/** Scheme and host under which the console is reached. */
export type Origins = () => readonly string[];

export const elsewhere = () => new DorlinError('not-allowed', 'This did not come from the console’s own page.');

export const arrivalOf = ({ socket }: IncomingMessage): Arrival => ({
  address: socket.remoteAddress,
  encrypted: 'encrypted' in socket,
});

/** Whether an address is this machine’s own. */
export const isLoopback = (address: string | undefined): boolean => isInRanges(address, ['127.0.0.0/8', '::1/128']);

export const isSecure = (context: Context<Env>): boolean => context.get('secure') === true;
export const addressOf = (context: Context<Env>): string | undefined => context.get('address');

export function isKnownHost(host: string | undefined, origins: Origins): boolean {
  return origins().some((origin) => new URL(origin).host === host?.toLowerCase());
}

/**
 * Refuses what names another host, what a page elsewhere could send, and what others could read on its way.
 * @throws DorlinError `not-allowed`, `console-insecure`
 */
export async function judgeArrival(context: Context<Env>, policyFile: string, origins: Origins): Promise<void> {
  const { req } = context;
  if (!isKnownHost(req.header('host'), origins)) throw elsewhere();
  if (req.method === 'GET') {
    if (req.header('sec-fetch-site') === 'cross-site') throw elsewhere();
  } else {
    // A form, or a script of another page, can send neither this type nor from our own address.
    const type = req.header('content-type')?.split(';', 1)[0]?.trim().toLowerCase();
    if (type !== 'application/json' || !origins().includes(req.header('origin') ?? '')) throw elsewhere();
  }
  const { address, encrypted } = context.env.arrival;
  const [forwardedFor, forwarded, proto] = ['x-forwarded-for', 'forwarded', 'x-forwarded-proto'].map((name) =>
    req.header(name),
  );
  const isHandedOn = [forwardedFor, forwarded, proto].some((one) => one !== undefined);
  if (!isHandedOn && (encrypted || isLoopback(address))) {
    context.set('secure', encrypted);
    context.set('address', address);
    return;
  }
  const proxies = await loadPolicy(policyFile).then(
    ({ site }) => site.trustedProxies,
    () => [],
  );
  const isTrusted = isInRanges(address, proxies);
  if (!encrypted && !(isTrusted && proto?.split(',').at(-1)?.trim().toLowerCase() === 'https')) {
    throw new DorlinError('console-insecure', 'This connection is not encrypted, so that others could read it.');
  }
  context.set('secure', true);
  const said = visitorAddress(address, { forwardedFor, forwarded }, proxies);
  // Where a proxy does not say from where somebody comes, nobody knows.
  context.set('address', isTrusted && said === address ? undefined : said);
}
