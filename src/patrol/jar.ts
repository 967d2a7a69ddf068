import { parseSetCookie } from 'cookie';

/** The cookies of one browser (RFC 6265bis), of which all are the site's own. */
export interface Jar {
  /** The `Cookie` header; undefined where there are none. */
  header(): string | undefined;
  /** Keeps, replaces or forgets by `Set-Cookie` lines. */
  keep(lines: readonly string[]): void;
  /** A copy as it is after the browser was closed: what was for one visit is gone. */
  reopened(): Jar;
  /** A copy that goes its own way. */
  copy(): Jar;
  /** A copy with some of the cookies alone. */
  only(isKept: (name: string) => boolean): Jar;
}

interface KeptCookie {
  readonly value: string;
  readonly isForVisit: boolean;
}

export function makeJar(kept: ReadonlyMap<string, KeptCookie> = new Map()): Jar {
  const cookies = new Map(kept);
  return {
    header() {
      if (cookies.size === 0) return undefined;
      return [...cookies].map(([name, { value }]) => `${name}=${value}`).join('; ');
    },
    keep(lines) {
      for (const line of lines) {
        const cookie = parseSetCookie(line, { decode: (value) => value });
        const { name, value = '', maxAge, expires } = cookie;
        const isOver = maxAge === undefined ? expires !== undefined && expires.getTime() <= Date.now() : maxAge <= 0;
        if (isOver) cookies.delete(name);
        else {
          const isForVisit = maxAge === undefined && expires === undefined;
          cookies.set(name, { value, isForVisit });
        }
      }
    },
    reopened: () => makeJar(new Map([...cookies].filter(([, { isForVisit }]) => !isForVisit))),
    copy: () => makeJar(cookies),
    only: (isKept) => makeJar(new Map([...cookies].filter(([name]) => isKept(name)))),
  };
}
