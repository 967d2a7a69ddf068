import { DorlinError } from '../../core/errors.js';

/** What a configuration is made of, the same for every web server. */
export interface FrontOrder {
  /** Host and port where `dorlin authorize` listens. */
  readonly authorizer: string;
  /** The port the web server listens at. */
  readonly port: number;
  /** The files by which it speaks TLS. */
  readonly tls: { readonly certificate: string; readonly key: string } | undefined;
  /** The host names that it answers for; empty for any. */
  readonly names: readonly string[];
  /** What it serves itself. */
  readonly site: { readonly folder: string } | { readonly to: string };
}

/** The same, with what the policy says of it. */
export interface Front extends FrontOrder {
  readonly siteName: string;
  /** The site whose files it serves, so that a guard of many sites judges by no other policy. */
  readonly siteId: string | undefined;
  /** Without its last slash: `/_dorlin`. */
  readonly prefix: string;
  readonly extensions: readonly string[];
  readonly indexFiles: readonly string[];
  /** Headers that the web server must not pass on as visitors send them. */
  readonly distrusted: readonly string[];
  /** How Dorlin is started beside it. */
  readonly start: string;
}

/** The headers of a verdict that are to be set on the page: with the name of what carries each. */
export const carried = [
  ['Cache-Control', 'cache'],
  ['Vary', 'vary'],
  ['X-Robots-Tag', 'robots'],
  ['Dorlin-Let-In', 'let_in'],
  ['Set-Cookie', 'cookie'],
] as const;

/** A path that a web server would take for something else. */
export const pathUnfit = (server: string, path: string, what: string): DorlinError =>
  new DorlinError('call-wrong', `${path} has ${what} in it, by which ${server} would read another path.`, {
    mend: 'Give the folder another name, or a link to it that has none.',
  });
