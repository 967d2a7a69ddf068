import { DorlinError } from '../core/errors.js';

/**
 * The origin of another server, without a slash at its end: with one, some web servers hand on another address
 * than the one that arrived and was judged.
 * @throws DorlinError `call-wrong`
 */
export function upstreamOf(text: string): string {
  if (/^https?:\/\/[\w.:[\]-]+\/?$/.test(text)) return text.replace(/\/$/, '');
  throw new DorlinError('call-wrong', `\`${text}\` is no address of a server.`, {
    mend: 'Write scheme, host and port, such as `http://127.0.0.1:3000`.',
  });
}
