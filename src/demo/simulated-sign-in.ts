import { randomUUID } from 'node:crypto';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { text } from 'node:stream/consumers';
import { exportJWK, generateKeyPair, SignJWT, type JWK } from 'jose';
import { signInPage, type PlayedPerson } from './sign-in-page.js';

export interface SignInOptions {
  readonly people: readonly PlayedPerson[];
  /** The `aud` of its tokens. */
  readonly audience: string;
  /** How the site is called, on the page. */
  readonly siteName: string;
  /** Where one goes from the page, signed in or out. */
  readonly home: () => string;
  /** @default 0, any that is free */
  readonly port?: number;
  /** The cookie that the token is put into. @default session */
  readonly cookie?: string;
}

/** A running identity provider that takes everybody's word: for demos and tests, on loopback. */
export interface SimulatedSignIn {
  readonly port: number;
  readonly issuer: string;
  /** A token of a person (RFC 7519), good for an hour, with these claims changed. */
  token(person: PlayedPerson, claims?: Readonly<Record<string, unknown>>): Promise<string>;
  /** Signs with a new key from now on; the old one is published no longer. */
  rotate(): Promise<void>;
  /** How often its keys were fetched. */
  readonly fetches: () => number;
  close(): Promise<void>;
}

/** Seconds for which a token counts. */
const tokenLife = 3600;

/**
 * Starts an identity provider that signs in whoever is clicked on. It publishes its keys as a JWKS
 * (RFC 7517) at `/jwks.json`, and hands its tokens out in a cookie, which browsers send to every
 * port of the same host.
 */
export async function startSimulatedSignIn(options: SignInOptions): Promise<SimulatedSignIn> {
  const { people, audience, cookie = 'session' } = options;
  let signing = await newKey();
  let fetches = 0;

  const server = createServer((request, response) => {
    answer(request, response).catch(() => {
      response.writeHead(500).end();
    });
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(options.port ?? 0, '127.0.0.1', resolve);
  });
  const { port } = server.address() as AddressInfo;
  const issuer = `http://127.0.0.1:${port}`;

  const token: SimulatedSignIn['token'] = (person, claims = {}) => {
    const now = Math.floor(Date.now() / 1000);
    const { email, name, roles } = person;
    const standard = { iss: issuer, aud: audience, iat: now, exp: now + tokenLife, sub: email };
    return new SignJWT({ ...standard, email, email_verified: true, name, roles, ...claims })
      .setProtectedHeader({ alg: 'ES256', kid: signing.kid })
      .sign(signing.privateKey);
  };

  async function answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const path = (request.url ?? '/').split('?', 1)[0];
    if (request.method === 'POST' && path === '/sign-in') {
      const email = new URLSearchParams(await text(request)).get('person');
      const person = people.find((one) => one.email === email);
      const value = person === undefined ? '; Max-Age=0' : await token(person);
      response.writeHead(303, {
        location: options.home(),
        'set-cookie': `${cookie}=${value}; Path=/; HttpOnly; SameSite=Lax`,
      });
      response.end();
    } else if (path === '/jwks.json') {
      fetches++;
      response.writeHead(200, { 'content-type': 'application/jwk-set+json' });
      response.end(JSON.stringify({ keys: [signing.publicJwk] }));
    } else if (path === '/') {
      response.writeHead(200, {
        'content-type': 'text/html; charset=utf-8',
        'cache-control': 'no-store',
      });
      response.end(signInPage(options.siteName, people, options.home()));
    } else response.writeHead(404).end();
  }

  return {
    port,
    issuer,
    token,
    fetches: () => fetches,
    rotate: async () => {
      signing = await newKey();
    },
    close: async () => {
      const closed = new Promise((done) => server.close(done));
      server.closeAllConnections();
      await closed;
    },
  };
}

async function newKey() {
  const { publicKey, privateKey } = await generateKeyPair('ES256');
  const kid = randomUUID();
  const publicJwk: JWK = { ...(await exportJWK(publicKey)), kid, alg: 'ES256', use: 'sig' };
  return { kid, privateKey, publicJwk };
}
