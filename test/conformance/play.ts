import { request as httpRequest } from 'node:http';
import { connect } from 'node:http2';
import { cases, type Case } from './cases.js';
import type { RunningFront } from './front.js';
import { thePassword } from './policy.js';
import { canaries } from './site.js';

/** An answer as it came. */
export interface Answered {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly body: string;
}

/** Sends one request, its target as it is written. */
export function send(
  port: number,
  { target, method = 'GET', headers = {}, form }: Pick<Case, 'target' | 'method' | 'headers' | 'form'>,
): Promise<Answered> {
  const body = form === undefined ? undefined : new URLSearchParams(form).toString();
  const sent = {
    host: 'heron.example',
    ...headers,
    ...(body === undefined
      ? {}
      : { 'content-type': 'application/x-www-form-urlencoded', 'content-length': String(body.length) }),
  };
  return new Promise((resolve, reject) => {
    const asked = httpRequest(
      {
        port,
        host: '127.0.0.1',
        path: target,
        method: body === undefined ? method : 'POST',
        headers: sent,
        agent: false,
      },
      (answer) => {
        const pieces: Buffer[] = [];
        answer.on('data', (piece: Buffer) => pieces.push(piece));
        answer.on('error', reject);
        answer.on('end', () => {
          const { statusCode = 0, headers } = answer;
          resolve({ status: statusCode, headers, body: Buffer.concat(pieces).toString() });
        });
      },
    );
    asked.setTimeout(20_000, () => asked.destroy(new Error(`no answer to ${target}`)));
    asked.on('error', reject);
    asked.end(body);
  });
}

/** The same by HTTP/2 (RFC 9113): the host is `:authority`, and what is of a connection has no place there. */
export async function sendSecure(
  port: number,
  { target, method = 'GET', headers = {}, form }: Parameters<typeof send>[1],
): Promise<Answered> {
  const body = form === undefined ? undefined : new URLSearchParams(form).toString();
  const { host = 'heron.example', ...others } = headers;
  const session = connect(`https://127.0.0.1:${port}`, { rejectUnauthorized: false, servername: 'heron.example' });
  try {
    return await new Promise<Answered>((resolve, reject) => {
      session.on('error', reject);
      const asked = session.request({
        ':path': target,
        ':method': body === undefined ? method : 'POST',
        ':authority': host,
        ...others,
        ...(body !== undefined && { 'content-type': 'application/x-www-form-urlencoded' }),
      });
      const pieces: Buffer[] = [];
      let answered: Omit<Answered, 'body'> = { status: 0, headers: {} };
      asked.on('response', ({ ':status': status = 0, ...more }) => (answered = { status, headers: more }));
      asked.on('data', (piece: Buffer) => pieces.push(piece));
      asked.on('error', reject);
      asked.on('end', () => {
        resolve({ ...answered, body: Buffer.concat(pieces).toString() });
      });
      asked.setTimeout(20_000, () => {
        reject(new Error(`no answer to ${target}`));
      });
      asked.end(body);
    });
  } finally {
    session.destroy();
  }
}

/** What an answer is, in a line that can be compared. */
export function markOf({ status, headers, body }: Answered): string {
  const header = (name: string) => [headers[name] ?? ''].flat().join(', ');
  const has = (name: string, text: string) => header(name).includes(text);
  // On https the names of cookies begin so, which a page on http cannot set.
  const cookies = [headers['set-cookie'] ?? []].flat().map((line) => /^(?:__Host-)?([^=]*)/.exec(line)?.[1] ?? '');
  const marks = [
    ...Object.entries(canaries).flatMap(([name, text]) => (body.includes(text) ? [name] : [])),
    ...(body.includes('action="/_dorlin/unlock"') ? ['screen'] : []),
    ...(body.includes('/members/log<') ? ['names-members'] : []),
    ...(has('cache-control', 'no-store') ? ['unstored'] : []),
    ...(has('x-robots-tag', 'noindex') ? ['unindexed'] : []),
    ...(headers['content-security-policy'] === undefined ? [] : ['strict']),
    ...(headers['location'] === undefined ? [] : [`to:${header('location')}`]),
    ...(headers['retry-after'] === undefined ? [] : ['later']),
    ...(headers['www-authenticate'] === undefined ? [] : ['challenge']),
    ...(body.includes('"open":["members"]') ? ['says-open'] : []),
    ...(cookies.length === 0 ? [] : [`sets:${[...new Set(cookies)].sort().join('+')}`]),
  ];
  return [String(status), ...marks.sort()].join(' ');
}

/** What a front answered to every case, in their order. */
export async function playAll({ port, headers: given, isSecure = false }: RunningFront): Promise<string[]> {
  const ask = isSecure ? sendSecure : send;
  const guests = new Map<string, string>();
  const passOf = async (lock: string): Promise<string> => {
    const known = guests.get(lock);
    if (known !== undefined) return known;
    const { headers } = await ask(port, {
      target: '/_dorlin/unlock',
      headers: { ...given },
      form: { lock, password: thePassword, to: '/' },
    });
    const cookie = [headers['set-cookie'] ?? []]
      .flat()
      .map((line) => line.split(';', 1)[0])
      .join('; ');
    guests.set(lock, cookie);
    return cookie;
  };
  const marks: string[] = [];
  for (const { guestOf, headers, ...one } of cases) {
    const cookie = guestOf === undefined ? undefined : await passOf(guestOf);
    const answered = await ask(port, {
      ...one,
      headers: { ...given, ...headers, ...(cookie !== undefined && { cookie }) },
    }).catch((error: unknown) => ({ status: 0, headers: {}, body: String(error) }));
    marks.push(markOf(answered));
  }
  return marks;
}
