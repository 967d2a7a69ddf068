import { randomBytes } from 'node:crypto';
import { DorlinError } from '../../core/errors.js';
import { readPolicyOrThrow } from '../../core/policy/read.js';
import { keptKind, keptTypes, type KeptFile } from '../../core/screen/kept-file.js';
import { isHostName } from '../../guard/visit/host.js';
import { ask, numberOf, textOf, textsOf, type RedisClient } from './client.js';
import { isSiteId, type Names } from './names.js';
import { script } from './script.js';

/** A site as it lies in the store. */
export interface StoredSite {
  readonly id: string;
  /** Goes up by one with each change. */
  readonly version: number;
  /** The policy, letter by letter; undefined where it was taken out. */
  readonly text: string | undefined;
  /** What signs its passes: one secret or several, separated by commas. */
  readonly secret: string;
  readonly hosts: readonly string[];
}

/** What is to be put into the store. */
export interface SiteToPut {
  readonly id: string;
  readonly text: string;
  /** The version that this began as; 0 where the site is new. */
  readonly since: number;
  /** Its hosts, without ports; left out, those that it has stay. */
  readonly hosts?: readonly string[] | undefined;
  /** Taken where the site has none yet. @default one is made */
  readonly secret?: string | undefined;
  /** Passwords that can be looked up, as they lie beside a policy: sealed, as JSON. */
  readonly recall?: string | undefined;
}

const putSite = script(`
local version = redis.call('HGET', KEYS[1], 'version') or '0'
if version ~= ARGV[2] then return {'changed', version} end
local had = redis.call('HGET', KEYS[1], 'hosts') or ''
local hosts = ARGV[6] == '=' and had or ARGV[6]
for host in string.gmatch(hosts, '[^\\n]+') do
  local owner = redis.call('HGET', KEYS[4], host)
  if owner and owner ~= ARGV[1] then return {'taken', host} end
end
for host in string.gmatch(had, '[^\\n]+') do redis.call('HDEL', KEYS[4], host) end
for host in string.gmatch(hosts, '[^\\n]+') do redis.call('HSET', KEYS[4], host, ARGV[1]) end
version = redis.call('HINCRBY', KEYS[1], 'version', 1)
if ARGV[3] == '' then redis.call('HDEL', KEYS[1], 'text', 'recall')
else redis.call('HSET', KEYS[1], 'text', ARGV[3]) end
redis.call('HSET', KEYS[1], 'at', ARGV[4], 'hosts', hosts)
redis.call('HSETNX', KEYS[1], 'secret', ARGV[5])
if ARGV[7] ~= '' then redis.call('HSET', KEYS[1], 'recall', ARGV[7]) end
redis.call('ZADD', KEYS[3], redis.call('INCR', KEYS[2]), ARGV[1])
redis.call('PUBLISH', ARGV[8], ARGV[1])
return {'put', version}
`);

const putSecret = script(`
if redis.call('HGET', KEYS[1], 'secret') ~= ARGV[2] then return 0 end
redis.call('HSET', KEYS[1], 'secret', ARGV[3])
redis.call('ZADD', KEYS[3], redis.call('INCR', KEYS[2]), ARGV[1])
redis.call('PUBLISH', ARGV[4], ARGV[1])
return 1
`);

/** The policies of many sites in Redis, each with its own secret, pictures and passwords to look up. */
export interface RedisSites {
  /** Undefined where there never was one. */
  read(id: string): Promise<StoredSite | undefined>;
  /** The site of a host; undefined where there is none. */
  ofHost(host: string): Promise<string | undefined>;
  /** The ids of all sites, in no order. */
  list(): Promise<readonly string[]>;
  /**
   * Puts a policy in its place, with all that belongs to it, at once for everybody.
   * @returns its new version
   * @throws DorlinError `policy-invalid`, `source-refused`, `source-changed`
   */
  put(site: SiteToPut): Promise<number>;
  /** Takes a site out; its hosts are free again. @throws DorlinError `source-changed` */
  remove(id: string, since: number): Promise<number>;
  /** Puts another secret in the place of one. No, where that is not the one any more. */
  putSecret(id: string, before: string, secret: string): Promise<boolean>;
  /** Passwords that can be looked up, as `put` took them. */
  recall(id: string): Promise<string | undefined>;
  putRecall(id: string, recall: string): Promise<void>;
  picture(id: string, name: string): Promise<KeptFile | undefined>;
  pictures(id: string): Promise<readonly string[]>;
  putPicture(id: string, name: string, body: Uint8Array): Promise<void>;
}

export function redisSites(client: RedisClient, names: Names): RedisSites {
  const put = async (
    id: string,
    since: number,
    values: readonly [text: string, secret: string, hosts: string],
    recall: string,
  ) => {
    const [text, secret, hosts] = values;
    const keys = [names.site(id), names.epoch, names.changed, names.hosts];
    const at = new Date().toISOString();
    const answer = await putSite(client, keys, id, since, text, at, secret, hosts, recall, names.changes);
    const [what, which = ''] = textsOf(answer);
    if (what === 'put') return Number(which);
    if (what === 'taken') {
      throw new DorlinError('source-refused', `The host ${which} is another site’s.`, {
        mend: 'Take it out of that site first, or name other hosts with `--host`.',
      });
    }
    throw new DorlinError(
      'source-changed',
      `The site ${id} has the version ${which} in the store, and this began as ${since === 0 ? 'a new one' : since}; nothing was put there.`,
    );
  };
  return {
    async read(id) {
      if (!isSiteId(id)) return undefined;
      const answer = await ask(client, 'HMGET', names.site(id), 'version', 'text', 'secret', 'hosts');
      const [version, text, secret, hosts = ''] = textsOf(answer);
      if (version === undefined || secret === undefined) return undefined;
      return { id, version: numberOf(version), text, secret, hosts: hosts.split('\n').filter((host) => host !== '') };
    },
    ofHost: async (host) => textOf(await ask(client, 'HGET', names.hosts, host)),
    list: async () => textsOf(await ask(client, 'ZRANGE', names.changed, 0, -1)).filter((id) => id !== undefined),
    async put({ id, text, since, hosts, secret = randomBytes(32).toString('base64url'), recall = '' }) {
      if (!isSiteId(id)) {
        throw new DorlinError('source-refused', `\`${id}\` is no id that a site can have in the store.`, {
          mend: 'Give `site.id` up to 64 letters, digits, dots, dashes or underscores.',
        });
      }
      const policy = readPolicyOrThrow(text, 'the policy');
      // Passes and links are bound to it: a site that bears another’s would take its passes.
      if (policy.site.id !== id) {
        throw new DorlinError(
          'source-refused',
          `The policy’s \`site.id\` is ${policy.site.id ?? 'not there'}, and its place is ${id}.`,
        );
      }
      const strange = hosts?.find((host) => !isHostName(host));
      if (strange !== undefined) throw new DorlinError('source-refused', `\`${strange}\` is no name of a host.`);
      return put(id, since, [text, secret, hosts?.join('\n') ?? '='], recall);
    },
    remove: (id, since) => put(id, since, ['', randomBytes(32).toString('base64url'), ''], ''),
    putSecret: async (id, before, secret) =>
      numberOf(
        await putSecret(client, [names.site(id), names.epoch, names.changed], id, before, secret, names.changes),
      ) === 1,
    recall: async (id) => textOf(await ask(client, 'HGET', names.site(id), 'recall')),
    putRecall: async (id, recall) => {
      await ask(client, 'HSET', names.site(id), 'recall', recall);
    },
    async picture(id, name) {
      const kind = keptKind(name);
      if (kind === undefined) return undefined;
      const body = textOf(await ask(client, 'HGET', names.pictures(id), name));
      return body === undefined ? undefined : { type: keptTypes[kind], body: Buffer.from(body, 'base64') };
    },
    pictures: async (id) =>
      textsOf(await ask(client, 'HKEYS', names.pictures(id))).filter((name) => name !== undefined),
    putPicture: async (id, name, body) => {
      await ask(client, 'HSET', names.pictures(id), name, Buffer.from(body).toString('base64'));
    },
  };
}
