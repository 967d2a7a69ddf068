import { DorlinError } from '../core/errors.js';

/** Where sites are served if nobody says otherwise. */
export const defaultPort = 4280;
/** Where web servers ask if nobody says otherwise. */
export const authorizePort = 4281;
/** Where a sealed site is shown if nobody says otherwise. */
export const sealedPort = 4285;
/** Where consoles listen if nobody says otherwise. */
export const consolePort = 4290;

/** The address of a server on this machine, as it is told. */
export function urlAt(host: string, port: number): string {
  const name = host === '127.0.0.1' ? 'localhost' : host;
  return `http://${name.includes(':') ? `[${name}]` : name}:${port}/`;
}

/** @throws DorlinError `call-wrong` */
export function portOf(text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const port = Number(text);
  if (Number.isInteger(port) && port >= 0 && port <= 65_535) return port;
  throw new DorlinError('call-wrong', `\`${text}\` is no port: it is a number from 0 to 65535.`);
}
