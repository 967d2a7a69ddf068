/** Kinds of files that owners keep for their screens, by the ending of their names. */
export const keptTypes = {
  avif: 'image/avif',
  gif: 'image/gif',
  jpg: 'image/jpeg',
  png: 'image/png',
  svg: 'image/svg+xml',
  webp: 'image/webp',
  woff: 'font/woff',
  woff2: 'font/woff2',
  ttf: 'font/ttf',
  otf: 'font/otf',
} as const;

export type KeptKind = keyof typeof keptTypes;

/** A picture or font that an owner keeps beside the policy, for screens. */
export interface KeptFile {
  /** Its media type. */
  readonly type: string;
  readonly body: Uint8Array;
}

const ending = /^[a-z0-9][a-z0-9-]{0,90}\.([a-z0-9]{3,5})$/;

/** The kind of a kept file by its name; undefined for what is no such name, and so leads nowhere. */
export function keptKind(name: string): KeptKind | undefined {
  const kind = ending.exec(name)?.[1];
  return kind !== undefined && Object.hasOwn(keptTypes, kind) ? (kind as KeptKind) : undefined;
}

/** Where a kept file is found on the site. */
export const keptPath = (prefix: string, name: string): string => `${prefix}/assets/kept/${name}`;

/** The name of the kept file that a path leads to; undefined where it leads to none. */
export function keptName(prefix: string, path: string): string | undefined {
  const start = keptPath(prefix, '');
  const name = path.startsWith(start) ? path.slice(start.length) : '';
  return keptKind(name) === undefined ? undefined : name;
}
