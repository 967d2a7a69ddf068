import { createHash } from 'node:crypto';

/** What the keys of all sites begin with, where nobody says otherwise. */
export const defaultPrefix = 'dorlin';

/** What a site may be called here: its id is part of keys. */
const siteId = /^[\w.-]{1,64}$/;

export const isSiteId = (id: string): boolean => siteId.test(id);

/** Under which keys what lies in Redis. */
export const namesIn = (prefix: string) => ({
  /** Counts the changes of all sites. */
  epoch: `${prefix}:epoch`,
  /** Sites by the count at which they last changed. A sorted set. */
  changed: `${prefix}:changed`,
  /** Tells of each change, by the site's id. A channel. */
  changes: `${prefix}:changes`,
  /** Sites by their hosts. A hash. */
  hosts: `${prefix}:hosts`,
  /** One site: version, text, at, hosts, secret, recall. A hash. */
  site: (id: string) => `${prefix}:site:${id}`,
  /** Pictures and fonts by name, in base64. A hash. */
  pictures: (id: string) => `${prefix}:pictures:${id}`,
  /** A stream of lines. */
  journal: (id: string) => `${prefix}:journal:${id}`,
  /** A stream of lines. */
  requests: (id: string) => `${prefix}:requests:${id}`,
  /** How often each entry link was used. A hash. */
  uses: (id: string) => `${prefix}:uses:${id}`,
  /** What came of one taking. It ends by itself. */
  ticket: (ticket: string) => `${prefix}:ticket:${ticket}`,
  /** One counter. Its name has the visitor's address in it, which is nobody's to read here. */
  count: (name: string) => `${prefix}:count:${createHash('sha256').update(name).digest('base64url').slice(0, 27)}`,
});

export type Names = ReturnType<typeof namesIn>;
