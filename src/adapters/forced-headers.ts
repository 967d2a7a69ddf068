import type { OutgoingHttpHeaders, ServerResponse } from 'node:http';
import type { VerdictHeaders } from '../guard/visit.js';
import { headersIn } from './written-headers.js';
import { mergedVary } from '../guard/vary.js';

type WriteHead = (status: number, headers: OutgoingHttpHeaders) => ServerResponse;

/**
 * Makes a `writeHead` that sets headers at the last moment, over whatever the application has set or
 * passes along.
 */
export function forcing(
  response: ServerResponse,
  own: ServerResponse['writeHead'],
  forced: VerdictHeaders,
): ServerResponse['writeHead'] {
  const writeHead = own.bind(response) as WriteHead;
  return (status: number, ...rest: unknown[]): ServerResponse => {
    const given = rest.at(-1);
    // Handed on in one object: Node is quicker with that than with headers set one by one.
    const headers: Record<string, unknown> = {};
    let vary = response.getHeader('vary');
    let written: string[] | undefined;
    const keep = (name: string, value: unknown) => {
      const known = name.toLowerCase();
      if (known === 'vary') vary = value as string;
      // Ours are added to what the application sets.
      else if (known === 'set-cookie')
        written = [...(written ?? []), ...([value].flat() as string[])];
      else if (!(known in forced)) {
        headers[name] = name in headers ? [headers[name], value].flat() : value;
      }
    };
    if (Array.isArray(given)) for (const [name, value] of headersIn(given)) keep(name, value);
    else if (typeof given === 'object' && given !== null) {
      for (const name in given) keep(name, (given as Record<string, unknown>)[name]);
    }
    for (const name in forced) headers[name] = forced[name];
    const ours = [forced['set-cookie'] ?? []].flat();
    const cookies = [
      (
        written ??
        [(response.getHeader('set-cookie') as string | string[] | undefined) ?? []].flat()
      ).filter((line) => !ours.includes(line)),
      ours,
    ].flat();
    if (cookies.length > 0) headers['set-cookie'] = cookies;
    if (vary !== undefined)
      headers['vary'] = mergedVary(String(vary), String(forced['vary'] ?? ''));
    if (typeof rest[0] === 'string') response.statusMessage = rest[0];
    return writeHead(status, headers as OutgoingHttpHeaders);
  };
}
